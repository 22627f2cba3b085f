"""Single values inside a parameter that holds many: one step's note, one accent, one point of a curve.

A part is named by what leads to it, counted from 1 as on screen: ``patterns.2.3.note`` is the note of the third step of
the second pattern, ``accents.4`` the fourth accent, ``points.2.out`` where the second point of a curve leads. Each
declaration says what parts it has (:meth:`arpegon.core.processing.parameters.Param.part`) and sets them.
"""

from __future__ import annotations

from typing import Any

OUT = "out"
"""Where a point of a curve leads."""


def place_in(name: str, values: Any) -> int | None:
    """The place in a list that a number from 1 names; ``None`` where the list has no such place."""
    if not isinstance(values, (list, tuple)) or not name.isascii() or not name.isdigit() or len(name) > 4:
        return None
    return int(name) - 1 if 1 <= int(name) <= len(values) else None


def replaced(values: Any, place: int, value: Any) -> list[Any]:
    """A list with one of its values replaced."""
    made = list(values)
    made[place] = value
    return made
