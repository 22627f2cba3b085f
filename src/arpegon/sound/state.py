"""What the voices of an instrument, or the strokes of a kit, are at: arrays which whoever renders them shares."""

from __future__ import annotations

import ctypes
from collections.abc import Iterator
from typing import Any, NamedTuple, Protocol

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


class Placed(NamedTuple):
    """Samples or gains, and where the compiled code finds them."""

    values: Array
    """Float32 without gaps: of two sides, of shape (2, frames), of a stroke, of shape (frames,), or a ramp."""
    place: int

    @classmethod
    def of(cls, values: Array) -> Placed:
        """As it lies now; it must stay there."""
        return cls(values, values.ctypes.data)

    def places(self, frame: int) -> tuple[int, int]:
        """Where a sample of two sides lies."""
        left = self.place + 4 * frame
        return left, left + 4 * self.values.shape[1]


def ramp(gains: Array, rises: Array | float = 0.0) -> Placed:
    """Gains of left and right at a first sample, and how much more they are at each later one; of shape (2,)."""
    values = np.zeros(4, dtype=np.float32)
    values[:2], values[2:] = gains, rises
    return Placed.of(values)


class Rendering(Protocol):
    """Makes sound of strokes, or of slots and controllers."""

    def prepare(self, start: int, frames: int, out: Placed, offset: int, ramp: Placed) -> None:
        """What is to be done next: add the ``frames`` samples from sample ``start`` on to ``out``, from its sample
        ``offset`` on, turned up by a ramp."""

    def render(self) -> None:
        """Do it."""

    @property
    def swing(self) -> float:
        """How far what was done last swings."""

    @property
    def over(self) -> Array:
        """The slots or strokes that are heard no more after it, in order."""


class VoiceRendering(Rendering, Protocol):
    """Makes sound of slots and controllers."""

    def rest(self, start: int, frames: int) -> None:
        """Let ``frames`` samples pass in silence: controllers arrive at once where nothing can click."""


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


class KitStroke(ctypes.Structure):
    """A stroke of a kit on its way."""

    _fields_ = (
        ("samples", ctypes.c_void_p),
        ("length", ctypes.c_int64),
        ("start", ctypes.c_int64),
        ("end", ctypes.c_int64),
        ("channel", ctypes.c_int64),
        ("gain", ctypes.c_double * 2),
        ("note", ctypes.c_int64),
    )


class Strokes:
    """The strokes that sound, and the gains of their channels."""

    def __init__(self) -> None:
        self.array = (KitStroke * VOICES)()
        self.count = 0
        """How many of the first of them there are."""
        self.before = np.zeros((2, CHANNELS))
        """Left and right gains of each channel at the beginning of a block,"""
        self.after = np.zeros((2, CHANNELS))
        """and at its end."""

    def __iter__(self) -> Iterator[KitStroke]:
        return (self.array[place] for place in range(self.count))

    def add(self, note: int, samples: Placed, channel: int, start: int, gain: tuple[float, float]) -> None:
        """One more."""
        if self.count == len(self.array):
            more = (KitStroke * (2 * self.count))()
            ctypes.memmove(more, self.array, ctypes.sizeof(self.array))
            self.array = more
        self.array[self.count] = KitStroke(samples.place, len(samples.values), start, FOREVER, channel, gain, note)
        self.count += 1

    def remove(self, places: Array) -> None:
        """Forget some, given in order; others take their places."""
        for place in reversed(places.tolist()):
            self.count -= 1
            self.array[place] = self.array[self.count]
