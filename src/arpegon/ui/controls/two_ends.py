"""A span whose ends do not pass one another, and the keys that choose an end."""

from __future__ import annotations

from typing import TypeVar

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

_Value = TypeVar("_Value", int, float)


def with_end(
    span: tuple[_Value, _Value], end: int, value: _Value, lowest: _Value, highest: _Value
) -> tuple[_Value, _Value]:
    """A span with its low (0) or high (1) end moved: within bounds, and no further than the other end."""
    low, high = span
    value = max(lowest, min(highest, value))
    return (min(value, high), high) if end == 0 else (low, max(value, low))


def end_of_key(event: QKeyEvent | None) -> int | None:
    """The end that a key chooses: 0 for Home, 1 for End."""
    return {int(Qt.Key.Key_Home): 0, int(Qt.Key.Key_End): 1}.get(event.key()) if event is not None else None
