"""Audio that comes in and is heard itself."""

from __future__ import annotations

from collections import deque
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]


class Monitored:
    """Audio that is heard itself, kept for the moment in which it is."""

    def __init__(self, rate: int) -> None:
        self.rate = rate
        self._parts: deque[tuple[float, Array]] = deque(maxlen=200)

    def add(self, samples: Array, start: float) -> None:
        """Keep samples that began at a time."""
        self._parts.append((start, samples[:, :2] if samples.shape[1] > 1 else np.repeat(samples, 2, axis=1)))

    def mix(self, out: Array, start: float, rate: int) -> None:
        """Add what sounds from ``start`` on to a block of shape (2, frames)."""
        if not self._parts:
            return
        frames = out.shape[1]
        end = start + frames / rate
        while self._parts and self._parts[0][0] + len(self._parts[0][1]) / self.rate <= start:
            self._parts.popleft()
        times = start + np.arange(frames) / rate
        for begins, samples in list(self._parts):
            if begins >= end:
                break
            place = (times - begins) * self.rate
            inside = (place > -0.5) & (place < len(samples) - 0.5)
            for channel in range(2):
                out[channel, inside] += np.interp(place[inside], np.arange(len(samples)), samples[:, channel])
