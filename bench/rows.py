"""One row of the table."""

from __future__ import annotations

import msgspec


class Row(msgspec.Struct, frozen=True):
    """What was measured, against what, and what is asked for."""

    what: str
    measured: str
    bare: str
    ratio: str
    asked: str
    met: bool


def median(values: list[float]) -> float:
    """The middle value."""
    return sorted(values)[len(values) // 2]


def percentile(values: list[float], share: float) -> float:
    """The value that ``share`` of all do not exceed."""
    ordered = sorted(values)
    return ordered[min(len(ordered) - 1, int(share * len(ordered)))]
