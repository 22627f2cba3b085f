"""What the stages and sources of the board are to a take: run over its notes, offline; which notes can be true."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

import msgspec

from arpegon.core.document.metered import metered
from arpegon.core.document.model import Project, Stage, Strand, SurfaceSource
from arpegon.core.document.remedies import Plan, planned
from arpegon.core.notes.course import Course, course_of
from arpegon.core.notes.sheet import Sheet
from arpegon.core.processing.parameters import with_defaults
from arpegon.core.time.clock import TEMPO_RANGE, bar_beats
from arpegon.processors import processor_class

_SPAN_BARS = 16
"""The longest note value, in bars."""
_AFTER_SECONDS = 8.0
"""How long a stage may go on after the last note."""


def plan_stage(sheet: Sheet, chosen: Collection[int], course: Course, kind: str, params: Mapping[str, Any]) -> Plan:
    """What a stage would make of chosen notes (none chosen: of all, and of all else too).

    It works on the beats, at the tempi and in the meters of the take, in the key that holds where they begin.

    Raises:
        ArpegonError: it cannot work with these parameters.
    """
    whole = not chosen
    some = set(chosen) or set(range(len(sheet.notes)))
    taken = Sheet(tuple(sheet.notes[place] for place in sorted(some)), sheet.others if whole else ())
    events = taken.events()
    if not events:
        return planned(sheet, sheet, ())
    first = _first_line(course, events[0].time)
    heard = msgspec.structs.replace(course.cut(first), first=0.0)
    tempi = [(beat, min(TEMPO_RANGE[1], max(TEMPO_RANGE[0], tempo))) for beat, tempo in heard.tempi]
    played = [event.at(event.time - first) for event in events]
    project = Project(
        tempo=tempi[0][1],
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

    last = played[-1].time
    project = metered(project, heard.meters, last)
    result = offline.run(
        project, played, on_beats=True, tempi=tempi[1:], seconds=heard.second_at(last) + _AFTER_SECONDS
    )
    made = course_of(result.facts, 0.0, result.seconds).lay(result.strands.get("take", []))
    new = Sheet.of([event.at(event.time + first) for event in made], events[-1].time)
    rest, others = sheet.without(some), new.others if whole else sheet.others
    after, places = Sheet(rest.notes, others).added(new.notes)
    return planned(sheet, after, places)


def _first_line(course: Course, beat: float) -> float:
    """A bar line up to sixteen bars before a beat, from which note values of any length are counted as in the take."""
    start, meter, _ = course.meter_at(beat)
    span = _SPAN_BARS * bar_beats(meter)
    return start + max(0.0, (beat - start) // span) * span


def heard_range(project: Project, strand_id: str) -> dict[str, Any]:
    """The ``lowest`` and the ``highest`` note that is heard in the audio of a strand: what lies beyond is no note of
    the string. Empty where no pitch is listened to."""
    strand = project.strand(strand_id)
    for source in strand.active_sources if strand is not None else ():
        if source.stage_kind == "pitch":
            values = with_defaults(processor_class("pitch").params, source.params)
            return {key: values[key] for key in ("lowest", "highest")}
    return {}
