"""Which values stand at a moment in the midst of music: what begins there begins with them, or it sounds otherwise."""

from __future__ import annotations

from collections.abc import Iterable

from arpegon.core.events import BEND, CONTROL, PEDALS, PRESSURE, PROGRAM, STRUCTURAL_CONTROLLERS, Event
from arpegon.core.notes.pressed import is_at_rest, springs_back

_BANKS = frozenset({0, 32})
"""Controllers that choose a bank, for the program that comes after them."""
_DIALS = STRUCTURAL_CONTROLLERS - _BANKS


def standing(events: Iterable[Event], before: float) -> list[Event]:
    """The values that stand at a moment.

    Args:
        events: in order of time.
        before: those that came earlier than this count.

    Returns:
        The last value of each controller, of bend, pressure and program, in the order in which they came, at that
        moment. Left out are values in which nothing is felt: pedals that are up, bend in the middle, no pressure; and
        numbers that are dialled by several messages, as which of them belong together is not known.
    """
    found: dict[tuple[int, int], Event] = {}
    for event in events:
        if event.time >= before:
            break
        kind = event.status & 0xF0
        if kind not in (CONTROL, PROGRAM, PRESSURE, BEND) or (kind == CONTROL and event.data1 in _DIALS):
            continue
        key = event.status, event.data1 if kind == CONTROL else 0
        found.pop(key, None)  # the order is that of the last values
        returns = event.data1 in PEDALS if kind == CONTROL else kind != PROGRAM
        if not (returns and is_at_rest(event)):
            found[key] = event.at(before)
    return list(found.values())


def held_at(events: Iterable[Event], before: float) -> list[Event]:
    """Of what stands at a moment (see :func:`standing`), what a hand or a foot holds then."""
    return [event for event in standing(events, before) if springs_back(event)]
