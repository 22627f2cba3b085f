"""A rotor before an organ: loudness that goes round, slowly or fast."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

SLOW_HZ, FAST_HZ = 0.75, 6.4
_INERTIA_SECONDS = 0.6
_DEPTH = 0.22
_APART = 2.0
"""Radians by which the right ear hears the rotor later."""

Array = NDArray[Any]


class Rotor:
    """Turns with inertia between two speeds.

    Args:
        rate: samples a second.
    """

    def __init__(self, rate: int) -> None:
        self.rate = rate
        self.speed = SLOW_HZ
        self._phase = 0.0

    def turn(self, frames: int, fast: bool) -> float:
        """Turn on by ``frames`` samples; the angle between two samples, in radians."""
        wanted = FAST_HZ if fast else SLOW_HZ
        after = wanted + (self.speed - wanted) * math.exp(-frames / (_INERTIA_SECONDS * self.rate))
        step = 2.0 * math.pi * 0.5 * (self.speed + after) / self.rate
        self._phase = math.fmod(self._phase + step * frames, 2.0 * math.pi)
        self.speed = after
        return step

    def turned(self, sound: Array, fast: bool) -> Array:
        """A block, float32 of shape (2, frames), as it is heard before the rotor."""
        frames = sound.shape[1]
        before = self._phase
        step = self.turn(frames, fast)
        phases = before + step * np.arange(frames)
        swing = np.stack((np.sin(phases), np.sin(phases - _APART))).astype(np.float32)
        turned: Array = sound * (np.float32(1.0) + np.float32(_DEPTH) * swing)
        return turned
