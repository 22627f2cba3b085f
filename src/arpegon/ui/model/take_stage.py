"""What the stages and sources of the board are to a take: run over its notes, offline; which notes can be true."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

from arpegon.core.document.model import Project, Stage, Strand, SurfaceSource
from arpegon.core.document.remedies import Plan, planned
from arpegon.core.notes.course import Course
from arpegon.core.notes.sheet import Sheet
from arpegon.core.processing.parameters import with_defaults
from arpegon.processors import processor_class

_AFTER_SECONDS = 8.0
"""How long a stage may go on after the last note."""


def plan_stage(sheet: Sheet, chosen: Collection[int], course: Course, kind: str, params: Mapping[str, Any]) -> Plan:
    """What a stage would make of chosen notes (none chosen: of all, and of all else too).

    It works at the tempo, in the key and in the meter that hold where they begin.

    Raises:
        ArpegonError: it cannot work with these parameters.
    """
    whole = not chosen
    some = set(chosen) or set(range(len(sheet.notes)))
    taken = Sheet(tuple(sheet.notes[place] for place in sorted(some)), sheet.others if whole else ())
    events = taken.events()
    if not events:
        return planned(sheet, sheet, ())
    begin = course.second_at(events[0].time)
    second_at = course.second_at
    played = [event.at(second_at(event.time) - begin) for event in events]
    project = Project(
        tempo=min(400.0, max(20.0, course.tempo_at(events[0].time))),
        meter=course.meter_at(events[0].time)[1],
        key=course.key_at(events[0].time),
        strands=(
            Strand(
                id="take",
                name="Take",
                sources=(SurfaceSource(),),
                stages=(Stage(id="remedy", kind=kind, params=dict(params)),),
                destinations=(),
            ),
        ),
    )
    from arpegon.engine import offline  # the engine is loaded once a take wants it, not before the window is there

    result = offline.run(project, played, seconds=played[-1].time + _AFTER_SECONDS)
    made = course.lay(event.at(event.time + begin) for event in result.strands.get("take", []))
    new = Sheet.of(made, course.beat_at(begin + played[-1].time))
    rest, others = sheet.without(some), new.others if whole else sheet.others
    after, places = Sheet(rest.notes, others).added(new.notes)
    return planned(sheet, after, places)


def heard_range(project: Project, strand_id: str) -> dict[str, Any]:
    """The ``lowest`` and the ``highest`` note that is heard in the audio of a strand: what lies beyond is no note of
    the string. Empty where no pitch is listened to."""
    strand = project.strand(strand_id)
    for source in strand.active_sources if strand is not None else ():
        if source.stage_kind == "pitch":
            values = with_defaults(processor_class("pitch").params, source.params)
            return {key: values[key] for key in ("lowest", "highest")}
    return {}
