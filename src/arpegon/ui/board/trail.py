"""The way of the last note through a strand: what it became on each roll, and where it ended."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec

from arpegon.core.document.model import Strand
from arpegon.core.notes.taps import IN, rolls_of
from arpegon.core.theory.pitch import written
from arpegon.ui.model.paper import RollLine

RECENT_SECONDS = 8.0
_SPAN_SECONDS = 1.2
_TOGETHER_SECONDS = 0.03
_MAX_NAMED = 4


class TrailMark(msgspec.Struct, frozen=True):
    """What stands on one roll: the notes, and whether the way ends before it."""

    text: str
    ends: bool = False


def trail(strand: Strand, lines: Mapping[str, RollLine], names: tuple[str, ...], now: float) -> list[TrailMark]:
    """A mark for each roll that the last note reached, and one for the first that it did not reach.

    Nothing where no note came in of late.
    """
    first = lines.get(IN)
    recent = first.begun(now - RECENT_SECONDS) if first is not None else []
    if not recent:
        return []
    together = [bar for bar in recent if recent[-1].start - bar.start < _TOGETHER_SECONDS]
    struck = together[0].start
    marks = [TrailMark(_names({bar.note for bar in together}, names))]
    for place in rolls_of(stage.id for stage in strand.stages)[1:]:
        line = lines.get(place)
        until = struck + _SPAN_SECONDS
        notes = {bar.note for bar in line.begun(struck - 0.001) if bar.start <= until} if line else set()
        if not notes:
            waiting = now - struck < 0.15
            return marks if waiting else [*marks, TrailMark("ends here", True)]
        marks.append(TrailMark(_names(notes, names)))
    return marks


def _names(notes: set[int], names: tuple[str, ...]) -> str:
    ordered = sorted(notes)
    more = f" +{len(ordered) - _MAX_NAMED}" if len(ordered) > _MAX_NAMED else ""
    return " ".join(written(note, names) for note in ordered[:_MAX_NAMED]) + more
