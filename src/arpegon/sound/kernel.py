"""The compiled way through a block of voices, where there is one: ``kernel.c``, built when Arpegon is installed.

Where no compiler was there, NumPy does the same, some five times slower (:mod:`arpegon.sound.plain`).
"""

from __future__ import annotations

import ctypes
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from arpegon.core.compiled import function
from arpegon.sound.rotor import SLOW_HZ
from arpegon.sound.sounds import Sound
from arpegon.sound.state import CHANNELS, DRAWBAR_NUMBERS, SILENCE, SLOTS, Controllers, Slots, octaves_of

_MOST_FRAMES = 8192
_MOST_PARTIALS = 32
_LIBRARY = "arpegon.sound._kernel"

Array = NDArray[Any]

_number, _real, _place = ctypes.c_int64, ctypes.c_double, ctypes.c_void_p


class _State(ctypes.Structure):
    _fields_ = (
        ("partials", _number),
        ("slots", _number),
        *((name, _place) for name in ("used", "channel", "phase", "step", "level", "fall", "start", "end", "fade")),
        *((name, _real) for name in ("rate", "attack", "press", "vibrato_hz", "vibrato_cents")),
        ("bowed", _number),
        *((name, _place) for name in ("drawbars", "octaves", "controls", "bend", "pressure", "moving")),
        ("slides", _number),
        ("gain", _real * (2 * 2 * CHANNELS)),
        ("tuning", _real * (2 * CHANNELS)),
        ("shade", _real * (2 * CHANNELS * _MOST_PARTIALS)),
        ("mod", _real * CHANNELS),
        ("bright", _real * CHANNELS),
        ("weights", _real * (CHANNELS * _MOST_PARTIALS)),
        ("rotor_speed", _real),
        ("rotor_phase", _real),
    )


_render = function(
    _LIBRARY,
    "arpegon_render",
    (_place, _number, _number, _place, _place, _real, _place),
    _number,
)
_rest = function(_LIBRARY, "arpegon_rest", (_place, _number, _number), _number)
_Pair = ctypes.c_float * 2
_stroke = function(
    _LIBRARY,
    "arpegon_stroke",
    (_place, _number, _place, _place, ctypes.POINTER(_Pair), ctypes.POINTER(_Pair), _number, _real),
)
_mix = function(_LIBRARY, "arpegon_mix", (_place, _place, _number, _place, _place), ctypes.c_float)


def renders(sound: Sound) -> bool:
    """Whether a sound can be rendered so."""
    return _render is not None and len(sound.partials) <= _MOST_PARTIALS


class Placed(NamedTuple):
    """Samples, and where the compiled code finds them."""

    values: Array
    """Float32 without gaps: of two sides, of shape (2,) or (2, frames), or of a stroke, of shape (frames,)."""
    place: int

    @classmethod
    def of(cls, values: Array) -> Placed:
        """As it lies now; it must stay there."""
        return cls(values, values.ctypes.data)

    def places(self, frame: int) -> tuple[int, int]:
        """Where a sample of two sides lies."""
        left = self.place + 4 * frame
        return left, left + 4 * self.values.shape[1]


def mix(dry: Placed, first: Placed, last: Placed, out: Placed) -> float:
    """Add a strip to a mix, with gains from ``first`` to ``last``, and say how far it swings."""
    frames = dry.values.shape[1]
    if _mix is not None:
        return float(_mix(dry.place, out.place, frames, first.place, last.place))
    ramp = np.linspace(0.0, 1.0, frames, dtype=np.float32)
    strip = dry.values * (first.values[:, None] + (last.values - first.values)[:, None] * ramp)
    into = out.values
    into += strip
    return max(float(strip.max()), -float(strip.min()))


def add_stroke(
    stroke: Placed,
    begun: int,
    frames: int,
    out: Placed,
    first: int,
    gains: tuple[float, float],
    rises: tuple[float, float],
    since: int,
    choke: float,
) -> None:
    """Add so many frames of a stroke to ``out`` from sample ``first`` on.

    Args:
        begun: how much of it was added before.
        gains: of both sides at its beginning,
        rises: and by how much they are more each sample later.
        since: how many samples ago it was choked; negative where that comes later.
        choke: how many samples it is heard from then on.
    """
    if _stroke is not None:
        left, right = out.places(first)
        _stroke(stroke.place + 4 * begun, frames, left, right, _Pair(*gains), _Pair(*rises), since, choke)
        return
    piece = stroke.values[begun : begun + frames]
    if since + frames > 0:
        fade = np.clip(1.0 - np.arange(since, since + frames) / choke, 0.0, 1.0)
        piece = piece * fade.astype(np.float32)
    count = np.arange(frames, dtype=np.float32)
    into = out.values[:, first : first + frames]
    for side in (0, 1):
        into[side] += piece * (np.float32(gains[side]) + np.float32(rises[side]) * count)


class CompiledRendering:
    """Makes sound of slots and controllers.

    Args:
        sound: what to render.
        rate: samples a second.
        slots, controllers: of its voices.
    """

    def __init__(self, sound: Sound, rate: int, slots: Slots, controllers: Controllers) -> None:
        _, octaves = octaves_of(sound)
        self._controllers = controllers
        self._over = np.zeros(SLOTS, dtype=np.int64)
        self._kept = (slots, controllers, octaves, DRAWBAR_NUMBERS)
        """What the compiled code finds by its address."""
        state = self._state = _State(
            partials=len(sound.partials),
            slots=SLOTS,
            used=slots.used.ctypes.data,
            channel=slots.channel.ctypes.data,
            phase=slots.phase.ctypes.data,
            step=slots.step.ctypes.data,
            level=slots.level.ctypes.data,
            fall=slots.fall.ctypes.data,
            start=slots.start.ctypes.data,
            end=slots.end.ctypes.data,
            fade=slots.fade.ctypes.data,
            rate=rate,
            attack=sound.attack * rate,
            press=sound.press,
            vibrato_hz=sound.vibrato_hz,
            vibrato_cents=sound.vibrato_cents,
            bowed=sound.bowed,
            drawbars=DRAWBAR_NUMBERS.ctypes.data if sound.drawbars else None,
            octaves=octaves.ctypes.data,
            controls=controllers.values.ctypes.data,
            bend=controllers.bend.ctypes.data,
            pressure=controllers.pressure.ctypes.data,
            moving=controllers.moving.ctypes.data,
            rotor_speed=SLOW_HZ,
        )
        self._by = ctypes.addressof(state)
        self._over_place = self._over.ctypes.data
        self.rest(0, 0)

    def render(self, start: int, frames: int, out: Placed, offset: int) -> Array:
        ended = 0
        for done in range(0, frames, _MOST_FRAMES):
            left, right = out.places(offset + done)
            count = min(_MOST_FRAMES, frames - done)
            ended = _render(self._by, start + done, count, left, right, SILENCE, self._over_place)
        return self._over[:ended]

    def rest(self, start: int, frames: int) -> None:
        _rest(self._by, start, frames)
