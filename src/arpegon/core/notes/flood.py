"""Thinning too much input: controllers first, never notes, never the last value."""

from __future__ import annotations

from collections.abc import Sequence

from arpegon.core.events import BEND, CONTROL, POLY_PRESSURE, PRESSURE, STRUCTURAL_CONTROLLERS, Event

_CONTINUOUS = frozenset({POLY_PRESSURE, CONTROL, PRESSURE, BEND})


def thin(events: Sequence[Event], limit: int) -> list[Event]:
    """Leave out superseded controller values where ``events`` has more than ``limit`` entries.

    Of each run of values of one controller between two other kinds of event, the last stays, so that a
    sustain pedal moved between notes keeps its place. Notes, programs, system exclusive and the controllers
    that build up RPN/NRPN are never left out.

    Args:
        events: what arrived together, in order.
        limit: how many entries are let through untouched.
    """
    if len(events) <= limit:
        return list(events)
    kept: list[Event] = []
    latest: dict[tuple[int, int], int] = {}
    for event in events:
        kind = event.status & 0xF0
        if kind not in _CONTINUOUS or (kind == CONTROL and event.data1 in STRUCTURAL_CONTROLLERS):
            latest.clear()
            kept.append(event)
            continue
        slot = (event.status, event.data1 if kind in (CONTROL, POLY_PRESSURE) else 0)
        place = latest.get(slot)
        if place is None:
            latest[slot] = len(kept)
            kept.append(event)
        else:
            kept[place] = event
    # A value that took an earlier value's place carries its own time: restore the order in time.
    kept.sort(key=lambda event: event.time)
    return kept
