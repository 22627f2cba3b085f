"""How late things are: of the last seconds, the 99th percentile."""

from __future__ import annotations

import math
from collections import deque

_SECONDS = 2.0
_KEPT = 8000
"""At most so many are remembered: a flood in two seconds."""


class Lateness:
    """What was how late. One thread adds, another may ask."""

    def __init__(self) -> None:
        self._late: deque[tuple[float, float]] = deque(maxlen=_KEPT)

    def add(self, now: float, late: float) -> None:
        """Something was done ``late`` seconds after its time."""
        self._late.append((now, late))

    def p99(self, now: float) -> float | None:
        """The 99th percentile of the last seconds, in seconds; ``None`` where nothing was done."""
        late = sorted(late for time, late in list(self._late) if time >= now - _SECONDS)
        return late[math.ceil(0.99 * len(late)) - 1] if late else None
