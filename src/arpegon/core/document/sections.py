"""The piece as a row of sections: where each begins, and how they follow one another."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import accumulate

from arpegon.core.document.model import Project, Section
from arpegon.core.time.clock import bar_beats
from arpegon.core.time.ramp import Ramp

MAX_BARS = 128
ENDS = {"on": "goes on", "again": "again and again", "top": "back to the first", "stop": "stops"}
"""What follows a section."""
_NEAR = 1e-6


def starts(project: Project) -> list[float]:
    """The beat on which each section begins; one more for the end of the last."""
    bar = bar_beats(project.meter)
    return [bar * bars for bars in accumulate((section.bars for section in project.sections), initial=0)]


def section_at(project: Project, beat: float) -> int:
    """The place of the section that holds at a beat: before the start the first, past the end the last; -1: none."""
    begun = [start for start in starts(project)[:-1] if start <= beat + _NEAR]
    return max(0, len(begun) - 1) if project.sections else -1


def following(project: Project, place: int) -> int | None:
    """The place of the section after one has ended; ``None`` where none follows (the transport stops or goes on)."""
    match project.sections[place].then:
        case "again":
            return place
        case "top":
            return 0
        case "on" if place + 1 < len(project.sections):
            return place + 1
    return None


def played_through(project: Project) -> Iterator[Section]:
    """The sections in the order in which they are played from the start of the piece; it may never end."""
    place: int | None = 0 if project.sections else None
    while place is not None:
        yield project.sections[place]
        place = following(project, place)


def tempo_of(project: Project, section: Section) -> float:
    """The tempo in a section: its own, or the project's."""
    return next((float(held.value) for held in section.holds if held.place == ("", "tempo")), project.tempo)


def ramps_of(project: Project, place: int, before: float) -> list[Ramp]:
    """The tempi on their way in a section: into its own, then to that of its end; beats are counted from its start.

    Args:
        before: the tempo of what it follows.
    """
    section = project.sections[place]
    bar = bar_beats(project.meter)
    own = tempo_of(project, section)
    into = min(section.tempo_within, section.bars) * bar
    found = [Ramp(0.0, into, before, own)] if into > 0 and before != own else []
    rest = section.bars * bar - into
    if section.tempo_to is not None and rest > 0 and section.tempo_to != own:
        found.append(Ramp(into, rest, own, section.tempo_to))
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


def seconds_of(project: Project, bars: float | None) -> float:
    """How long so many bars last, played from the start; ``None``: all sections, each once."""
    bar = bar_beats(project.meter)
    seconds, tempo = 0.0, project.tempo
    passed = list(project.sections) if bars is None else played_through(project)
    left = sum(section.bars for section in project.sections) if bars is None else bars
    for section in passed:
        played = min(left, section.bars)
        lasts, tempo = _seconds_in(project, project.sections.index(section), tempo, played * bar)
        seconds += lasts
        left -= played
        if left <= 0:
            break
    return seconds + left * bar * 60.0 / tempo
