"""The piece as a row of sections: where each begins, and how they follow one another."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import accumulate

from arpegon.core.document.model import Project, Section
from arpegon.core.time.clock import bar_beats, position
from arpegon.core.time.ramp import Ramp

MAX_BARS = 128
ENDS = {"on": "goes on", "again": "again and again", "top": "back to the first", "stop": "stops"}
"""What follows a section."""
TRANSPORT_WAYS = {"on": "goes on", "anew": "begins anew", "stop": "stops"}
"""What the transport does where a section begins."""
CLOCK_WAYS = {"on": "goes on", "anew": "starts anew", "stop": "rests"}
"""What a clock that is sent does in a section."""
_NEAR = 1e-6
_STARTS_KNOWN = 4
_starts_known: list[tuple[tuple[Section, ...], tuple[int, int], tuple[float, ...]]] = []
"""Where the sections of the last documents begin: it is asked for at every frame."""


def meter_of(project: Project, section: Section) -> tuple[int, int]:
    """The meter in a section: its own, or the project's."""
    beats, unit = project.meter
    for held in section.holds:
        if held.place == ("", "meter_beats"):
            beats = int(held.value)
        elif held.place == ("", "meter_unit"):
            unit = int(held.value)
    return beats, unit


def starts(project: Project) -> list[float]:
    """The beat on which each section begins; one more for the end of the last."""
    for sections, of, found in _starts_known:
        if sections is project.sections and of == project.meter:
            return list(found)
    lengths = (section.bars * bar_beats(meter_of(project, section)) for section in project.sections)
    begun = list(accumulate(lengths, initial=0.0))
    _starts_known[:] = [(project.sections, project.meter, tuple(begun)), *_starts_known[: _STARTS_KNOWN - 1]]
    return begun


def position_in(project: Project, beat: float) -> tuple[int, int, int]:
    """Bar, beat in the bar (both from 1) and tick at a beat, counted through the sections and their meters."""
    place = section_at(project, beat)
    if place < 0 or beat < 0.0:
        return position(beat, project.meter)
    begun, section = starts(project), project.sections[place]
    before = sum(one.bars for one in project.sections[:place])
    bar, in_bar, tick = position(beat - begun[place], meter_of(project, section))
    return before + bar, in_bar, tick


def beat_of(project: Project, bar: int, in_bar: int = 1) -> float:
    """The beat at which a bar (from 1) and a beat in it (from 1) begin; past the last section its bars go on."""
    begun, before = starts(project), 0
    for place, section in enumerate(project.sections):
        meter = meter_of(project, section)
        if bar <= before + section.bars or place == len(project.sections) - 1:
            return begun[place] + (bar - 1 - before) * bar_beats(meter) + (in_bar - 1) * 4.0 / meter[1]
        before += section.bars
    return (bar - 1) * bar_beats(project.meter) + (in_bar - 1) * 4.0 / project.meter[1]


def meters_of(project: Project) -> Iterator[tuple[float, tuple[int, int]]]:
    """From which beat on which meter holds, each where it is another one than before."""
    last = None
    for start, section in zip(starts(project), project.sections, strict=False):
        meter = meter_of(project, section)
        if meter != last:
            yield start, meter
            last = meter


def section_at(project: Project, beat: float) -> int:
    """The place of the section that holds at a beat: before the start the first, past the end the last; -1: none."""
    begun = [start for start in starts(project)[:-1] if start <= beat + _NEAR]
    return max(0, len(begun) - 1) if project.sections else -1


def following(project: Project, place: int) -> int | None:
    """The place of the section after one has ended; ``None`` where none is played then: the transport stops."""
    after = after_end(project, place)
    return None if after is None or project.sections[after].transport == "stop" else after


def after_end(project: Project, place: int) -> int | None:
    """The place of the section that begins when one has ended, even if the transport stops there."""
    match project.sections[place].then:
        case "again":
            return place
        case "top":
            return 0
        case "on" if place + 1 < len(project.sections):
            return place + 1
    return None


def clock_in(project: Project, place: int, port: str) -> tuple[bool, float]:
    """Whether the clock of an output runs in a section, and the beat from which it counts: the last on which it began.

    Args:
        place: that of the section; -1: none.
    """
    ways = [next((one.way for one in section.clocks if one.port == port), "on") for section in project.sections]
    anew = [start for start, way in zip(starts(project), ways[: place + 1], strict=False) if way == "anew"]
    return place < 0 or ways[place] != "stop", anew[-1] if anew else 0.0


def grid_of(project: Project, place: int) -> float:
    """The beat from which note values are counted in a section: the last on which bars of another meter began."""
    meters = [meter_of(project, section) for section in project.sections[: place + 1]]
    begun = starts(project)
    return next((begun[at] for at in range(place, 0, -1) if meters[at] != meters[at - 1]), 0.0)


def tempo_of(project: Project, section: Section) -> float:
    """The tempo in a section: its own, or the project's."""
    return next((float(held.value) for held in section.holds if held.place == ("", "tempo")), project.tempo)


def ramps_of(project: Project, place: int, before: float) -> list[Ramp]:
    """The tempi on their way in a section: into its own, then to that of its end; beats are counted from its start.

    Args:
        before: the tempo of what it follows.
    """
    section = project.sections[place]
    bar = bar_beats(meter_of(project, section))
    own = tempo_of(project, section)
    into = min(section.tempo_within, section.bars) * bar
    found = [Ramp(0.0, into, before, own)] if into > 0 and before != own else []
    rest = section.bars * bar - into
    if section.tempo_to is not None and rest > 0 and section.tempo_to != own:
        found.append(Ramp(into, rest, own, section.tempo_to))
    return found


def to_first_stop(project: Project) -> list[Section]:
    """All sections, up to where the transport stops."""
    found: list[Section] = []
    for section in project.sections:
        if found and (found[-1].then == "stop" or section.transport == "stop"):
            break
        found.append(section)
    return found


def _seconds_in(project: Project, place: int, before: float, beats: float) -> tuple[float, float]:
    """How long the first beats of a section last, and the tempo after them."""
    own = tempo_of(project, project.sections[place])
    at, seconds, tempo = 0.0, 0.0, own
    for ramp in ramps_of(project, place, before):
        if beats <= ramp.beat:
            break
        seconds += (ramp.beat - at) * 60.0 / own
        at = min(beats, ramp.end)
        seconds += ramp.seconds(ramp.beat, at)
        tempo = ramp.tempo_at(at)
    return seconds + (beats - at) * 60.0 / tempo, tempo


def seconds_of(project: Project) -> float:
    """Add up the seconds of all sections, each played once, up to the first stop of the transport."""
    seconds, tempo = 0.0, project.tempo
    for place, section in enumerate(to_first_stop(project)):
        beats = section.bars * bar_beats(meter_of(project, section))
        lasts, tempo = _seconds_in(project, place, tempo, beats)
        seconds += lasts
    return seconds
