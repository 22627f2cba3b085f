"""A clock box: a simulated outside device that sends a MIDI clock of its own tempo, with some drift and jitter."""

from __future__ import annotations

import math
import random

import msgspec

from arpegon.core.time.ticks import PER_QUARTER, START, STOP, TICK

NAME = "Clock box"
"""What its port is called."""


class BoxSettings(msgspec.Struct, frozen=True):
    """``drift`` is the swing of its tempo around the one that is set, in percent; ``jitter`` in milliseconds."""

    tempo: float = 104.0
    running: bool = False
    on: bool = False
    """Whether it is switched on: then it ticks, also while it is stopped."""
    drift: float = 0.2
    jitter: float = 1.0


class ClockBox:
    """Gives out the messages that are due, as (time, status).

    Args:
        seed: of its jitter.
    """

    def __init__(self, seed: int = 1) -> None:
        self.settings = BoxSettings()
        self._draw = random.Random(seed)
        self._ideal = math.inf
        """When its next tick would fall without jitter."""
        self._next = math.inf
        self._began = 0.0
        self._waiting: list[tuple[float, int]] = []

    def configure(self, settings: BoxSettings, time: float) -> None:
        """Turn its knobs."""
        before, self.settings = self.settings, settings
        if settings.on and not before.on:
            self._began = self._ideal = time
            self._plan()
        if not settings.on:  # as if its plug was pulled: no stop is sent
            self._ideal = self._next = math.inf
        elif settings.running != before.running or not before.on:
            if settings.running:
                self._waiting.append((time, START))
            elif before.running:
                self._waiting.append((time, STOP))

    def next_due(self) -> float:
        """When its next message falls."""
        return self._waiting[0][0] if self._waiting else self._next

    def tempo_at(self, time: float) -> float:
        """Its true tempo: the one that is set, swinging slowly."""
        swing = math.sin(2.0 * math.pi * (time - self._began) / 47.0)
        return self.settings.tempo * (1.0 + self.settings.drift / 100.0 * swing)

    def take(self, until: float) -> list[tuple[float, int]]:
        """The messages up to a time, in order."""
        due, self._waiting = self._waiting, []
        while self._next <= until:
            due.append((self._next, TICK))
            self._ideal += 60.0 / (PER_QUARTER * self.tempo_at(self._ideal))
            self._plan()
        return due

    def _plan(self) -> None:
        late = self.settings.jitter / 1000.0
        before = self._next if self._next < math.inf else -math.inf
        self._next = max(self._ideal + self._draw.uniform(0.0, late), before + 1e-5)
