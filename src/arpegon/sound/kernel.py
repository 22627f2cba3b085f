"""The compiled way through a block of voices, where there is one: ``kernel.c``, built when Arpegon is installed.

Where no compiler was there, NumPy does the same, some five times slower (:meth:`arpegon.sound.voices.Voices.render`).
"""

from __future__ import annotations

import ctypes
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from arpegon.core.compiled import function

MOST_FRAMES = 8192
MOST_PARTIALS = 32
_LIBRARY = "arpegon.sound._kernel"

Array = NDArray[Any]


class _State(ctypes.Structure):
    _fields_ = (
        ("partials", ctypes.c_int64),
        *((name, ctypes.c_void_p) for name in ("channel", "phase", "step", "level", "fall", "start", "end", "fade")),
        ("attack", ctypes.c_double),
        *((name, ctypes.c_void_p) for name in ("tuning0", "tuning1", "weights0", "weights1", "gain0", "gain1")),
    )


_number, _place = ctypes.c_int64, ctypes.c_void_p
_render = function(
    _LIBRARY,
    "arpegon_render",
    (ctypes.POINTER(_State), _place, _number, _number, _number, _place, _place, ctypes.c_double, _place),
    _number,
)
_mix = function(_LIBRARY, "arpegon_mix", (_place, _place, _number, _place, _place), ctypes.c_float)


def is_there() -> bool:
    """Whether blocks can be rendered so."""
    return _render is not None


class Sides(NamedTuple):
    """Something of two sides, and where the compiled code finds it."""

    values: Array
    """Float32 of shape (2,) or (2, frames), without gaps."""
    place: int

    @classmethod
    def of(cls, values: Array) -> Sides:
        """As it lies now; it must stay there."""
        return cls(values, values.ctypes.data)


def mix(dry: Sides, first: Sides, last: Sides, out: Sides) -> float:
    """Add a strip to a mix, with gains from ``first`` to ``last``, and say how far it swings."""
    frames = dry.values.shape[1]
    if _mix is not None:
        return float(_mix(dry.place, out.place, frames, first.place, last.place))
    ramp = np.linspace(0.0, 1.0, frames, dtype=np.float32)
    strip = dry.values * (first.values[:, None] + (last.values - first.values)[:, None] * ramp)
    into = out.values
    into += strip
    return max(float(strip.max()), -float(strip.min()))


class Kernel:
    """One instrument's arrays, as the compiled code sees them.

    Args:
        used, channel, start, end, fade: one for each slot.
        phase, step, level, fall: of shape (slots, partials).
        attack: in samples.
    """

    def __init__(
        self,
        used: Array,
        channel: Array,
        phase: Array,
        step: Array,
        level: Array,
        fall: Array,
        start: Array,
        end: Array,
        fade: Array,
        attack: float,
    ) -> None:
        slots, partials = phase.shape
        self._tuning = np.ones((2, 16))
        self._weights = np.ones((2, 16, partials))
        self._gain = np.ones((2, 2, 16))
        self._over = np.zeros(slots, dtype=np.int64)
        self._kept = (channel, phase, step, level, fall, start, end, fade)
        self._used = used
        self._slots = used.ctypes.data, slots
        self._over_place = self._over.ctypes.data
        places = [one.ctypes.data for one in self._kept]
        pairs = [both[side].ctypes.data for both in (self._tuning, self._weights, self._gain) for side in (0, 1)]
        self._state = _State(partials, *places, attack, *pairs)
        self._by = ctypes.byref(self._state)

    def control(self, gain: tuple[Array, Array], tuning: tuple[Array, Array], weights: tuple[Array, Array]) -> None:
        """What the controllers make of the next block, at its beginning and at its end."""
        for into, both in ((self._gain, gain), (self._tuning, tuning), (self._weights, weights)):
            into[0], into[1] = both

    def render(self, now: int, frames: int, out: Array, silence: float) -> Array:
        """Add a block to ``out``, float32 of shape (2, frames), each row without gaps; the slots that began and are
        softer than ``silence`` at its end."""
        left = out.ctypes.data
        ended = _render(self._by, *self._slots, now, frames, left, left + out.strides[0], silence, self._over_place)
        return self._over[:ended]
