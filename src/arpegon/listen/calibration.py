"""Calibration: from a few soft and a few hard strokes to the settings of a pad.

While it runs, the listener hears with :data:`TRIAL` values, so that nothing is missed and every bounce shows.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec

from arpegon.listen.heard import HeardNote

TRIAL: dict[str, Any] = {"threshold": -70.0, "sensitivity": 60, "retrigger_ms": 8}
"""Values while it watches."""
ENOUGH = 4
"""Strokes of a kind that are asked for."""
_BOUNCE_SECONDS = 0.12
"""What comes this soon after a stroke, and softer, is its own ringing."""
_BOUNCE_DB = 3.0
_MARGIN_DB = 8.0
"""How far under the softest stroke the threshold lies."""
_BEYOND_DB = 2.0
"""How far beyond soft and hard strokes the ends of the response lie: a player strays a little."""


class Calibration(msgspec.Struct, frozen=True):
    """What was found."""

    values: dict[str, Any]
    """New values for the pad; empty where nothing could be found."""
    words: str
    """What was found, in sentences."""
    sure: float
    """How sure it is, 0-1."""


def strokes_in(marks: Sequence[HeardNote]) -> tuple[list[HeardNote], float]:
    """The strokes among all that was heard, and after how many seconds the last of their bounces came (0: none)."""
    strokes: list[HeardNote] = []
    bounced = 0.0
    for mark in sorted(marks, key=lambda mark: mark.time):
        last = strokes[-1] if strokes else None
        if last and mark.time - last.time < _BOUNCE_SECONDS and mark.level < last.level - _BOUNCE_DB:
            bounced = max(bounced, mark.time - last.time)
        else:
            strokes.append(mark)
    return strokes, bounced


def calibrate(noise_db: float, soft: Sequence[HeardNote], hard: Sequence[HeardNote]) -> Calibration:
    """Settings from strokes heard with :data:`TRIAL` values.

    Args:
        noise_db: the highest sample while nothing was struck, dB of full scale.
        soft: what was heard while the pad was hit softly.
        hard: what was heard while it was hit hard.
    """
    softly, soft_bounce = strokes_in(soft)
    strongly, hard_bounce = strokes_in(hard)
    if len(softly) < 2 or len(strongly) < 2:
        kind = "soft" if len(softly) < 2 else "hard"
        return Calibration({}, f"Too few {kind} strokes were heard to go by; hit the pad again.", 0.0)
    low, high = _middle([mark.level for mark in softly]), _middle([mark.level for mark in strongly])
    if high - low < 3.0:
        words = "Soft and hard strokes were hardly different; hit softer, or harder, and try again."
        return Calibration({}, words, 0.0)
    softest = min(mark.peak for mark in softly)
    threshold = max(min(softest - _MARGIN_DB, -3.0), min(noise_db + 6.0, softest - 1.0), -80.0)
    bounced = max(soft_bounce, hard_bounce)
    retrigger = min(120, max(20, round(1000.0 * bounced) + 10)) if bounced else 25
    values = {
        "threshold": _half(threshold),
        "sensitivity": 50,
        "retrigger_ms": retrigger,
        "soft_db": _half(min(mark.level for mark in softly) - _BEYOND_DB),
        "loud_db": _half(min(6.0, max(mark.level for mark in strongly) + _BEYOND_DB)),
        "shape": "straight",
    }
    apart = min(1.0, (high - low) / 12.0)
    steady = 1.0 - min(1.0, max(0.0, _spread(softly) + _spread(strongly) - 4.0) / 16.0)
    clear = min(1.0, max(0.0, softest - noise_db - 3.0) / 12.0)
    many = min(1.0, min(len(softly), len(strongly)) / ENOUGH)
    sure = apart * (0.4 + 0.6 * steady) * clear * many
    ring = f"It rings on for {1000.0 * bounced:.0f} ms, so retrigger is {retrigger} ms. " if bounced else ""
    clipped = "The hardest strokes clip: turn the input down. " if max(mark.peak for mark in strongly) > -0.1 else ""
    words = (
        f"{len(softly)} soft strokes around {low:.0f} dB and {len(strongly)} hard ones around {high:.0f} dB, "
        f"noise at {noise_db:.0f} dB. {ring}{clipped}"
    )
    return Calibration(values, words.replace("-", "−").strip(), sure)


def surely(sure: float) -> str:
    """How sure a calibration is, in words."""
    return "sure" if sure >= 0.7 else "fairly sure" if sure >= 0.4 else "not sure: try again with clearer strokes"


def _middle(values: Sequence[float]) -> float:
    ordered = sorted(values)
    return ordered[len(ordered) // 2]


def _spread(marks: Sequence[HeardNote]) -> float:
    """How far apart the levels of strokes lie, dB, the outermost left out."""
    levels = sorted(mark.level for mark in marks)
    inner = levels[1:-1] or levels
    return inner[-1] - inner[0]


def _half(value: float) -> float:
    return round(2.0 * value) / 2.0
