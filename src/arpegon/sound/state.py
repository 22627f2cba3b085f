"""What the voices of an instrument are at: arrays over slots and channels, which whoever renders them shares."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from arpegon.core.events import SUSTAIN
from arpegon.sound.sounds import DRAWBARS, Sound

VOICES = 32
_TAILS = 12
"""Slots beyond the voices, in which stolen notes fade."""
SLOTS = VOICES + _TAILS
CHANNELS = 16
FOREVER = 1 << 60
SILENCE = 1e-4
"""What is softer than this at the end of a block is not heard any more."""
MODULATION, VOLUME, PAN, EXPRESSION = 1, 7, 10, 11

Array = NDArray[Any]


class Slots:
    """The notes that sound, or fade.

    Args:
        sound: gives the partials.
    """

    def __init__(self, sound: Sound) -> None:
        count = len(sound.partials)
        self.phase = np.zeros((SLOTS, count))
        """Of each partial, in radians; the next three have the same shape."""
        self.step = np.zeros((SLOTS, count))
        """Radians a sample."""
        self.level = np.zeros((SLOTS, count))
        self.fall = np.zeros((SLOTS, count))
        """By which power of e a sample it decays."""
        self.note = np.full(SLOTS, -1)
        self.channel = np.zeros(SLOTS, dtype=np.int64)
        self.start = np.zeros(SLOTS, dtype=np.int64)
        """In samples,"""
        self.end = np.full(SLOTS, FOREVER)
        """as when it was let go."""
        self.fade = np.ones(SLOTS)
        """How many samples its release takes."""
        self.used = np.zeros(SLOTS, dtype=bool)

    def held(self) -> Array:
        """Which are not let go."""
        held: Array = self.used & (self.end == FOREVER)
        return held


class Controllers:
    """What came for each channel.

    Args:
        sound: says where its own ones rest.
    """

    def __init__(self, sound: Sound) -> None:
        self._sound = sound
        self.values = np.zeros((CHANNELS, 128), dtype=np.int64)
        self.bend = np.zeros(CHANNELS)
        """In semitones."""
        self.pressure = np.zeros(CHANNELS)
        """0 to 1."""
        self.pedal = np.zeros(CHANNELS, dtype=bool)
        self.moving = np.ones(CHANNELS, dtype=bool)
        """Whether what is heard of a channel may not have arrived at them."""
        for channel in range(CHANNELS):
            self.reset(channel, levels=True)

    def reset(self, channel: int, levels: bool) -> None:
        """Controllers to their rest; volume and pan only where ``levels`` says so (MIDI RP-015)."""
        values = self.values[channel]
        values[[MODULATION, SUSTAIN]] = 0
        values[EXPRESSION] = 127
        for control in self._sound.own:
            if control.number not in (MODULATION, SUSTAIN) or self._sound.bowed:
                values[control.number] = control.rest
        if levels:
            values[VOLUME] = 100
            values[PAN] = 64
        self.bend[channel] = 0.0
        self.pressure[channel] = 0.0
        self.pedal[channel] = False


def octaves_of(sound: Sound) -> tuple[Array, Array]:
    """The ratio of each partial to its note's frequency, stretched by stiffness, and its octaves above the note."""
    ratio = np.array([partial[0] for partial in sound.partials])
    ratio = ratio * np.sqrt(1.0 + sound.stiffness * ratio**2)
    return ratio, np.log2(np.maximum(1.0, ratio))


DRAWBAR_NUMBERS = np.array([control.number for control in DRAWBARS], dtype=np.int64)
