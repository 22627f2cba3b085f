"""How long a melody is listened to before a note of it is known."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.core.theory.pitch import note_hz

READY = 1.05
"""After how much of its window a clear note is believed, in windows."""
_HOP_SECONDS = (0.0025, 0.005)
"""Between two readings: at least, at most."""


def hop_seconds(window: float) -> float:
    """The time between two readings of a window of so many seconds."""
    return max(_HOP_SECONDS[0], min(_HOP_SECONDS[1], 0.12 * window))


def periods(sureness: float) -> float:
    """How many periods of the lowest note the window holds: 1.7 (quick), 2.22 in the middle, 3.4 (sure)."""
    share = sureness / 100.0
    return 1.7 + 1.04 * share if share <= 0.5 else 2.22 + 2.36 * (share - 0.5)


def latency_of(values: Mapping[str, Any], note: int | None = None) -> float:
    """Seconds from a stroke to its note, at the middle: the window of the lowest note, and a little.

    Args:
        values: of the parameters, all of them.
        note: instead of the lowest note.
    """
    lowest: int = min(values["lowest"], values["highest"]) if note is None else note
    window = periods(values["sureness"]) / note_hz(lowest)
    shortest = 2.25 / note_hz(lowest)
    return max(READY * window, shortest) + hop_seconds(window)
