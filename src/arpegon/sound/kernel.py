"""The compiled way through a block of instruments, where there is one: ``kernel.c``, built when Arpegon is installed.

Where no compiler was there, NumPy does the same, some five times slower (:mod:`arpegon.sound.plain`).
"""

from __future__ import annotations

import ctypes
from collections.abc import Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from arpegon.core.compiled import function
from arpegon.sound.rotor import SLOW_HZ
from arpegon.sound.sounds import Sound
from arpegon.sound.state import (
    CHANNELS,
    DRAWBAR_NUMBERS,
    SILENCE,
    SLOTS,
    Controllers,
    Placed,
    Rendering,
    Slots,
    Strokes,
    octaves_of,
)

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
        ("silence", _real),
        ("over", _place),
        ("ended", _number),
    )


_render = function(_LIBRARY, "arpegon_render", (ctypes.POINTER(_place), _number))
_rest = function(_LIBRARY, "arpegon_rest", (_place, _number, _number), _number)


class _Job(ctypes.Structure):
    _fields_ = (
        ("source", _place),
        ("is_kit", _number),
        ("now", _number),
        ("frames", _number),
        ("left", _place),
        ("right", _place),
        ("ramp", _place),
        ("swing", _real),
    )


class _Kit(ctypes.Structure):
    _fields_ = (
        ("strokes", _place),
        ("count", _number),
        ("choke", _real),
        ("before", _place),
        ("after", _place),
        ("over", _place),
        ("ended", _number),
    )


def renders(sound: Sound) -> bool:
    """Whether a sound can be rendered so."""
    return _render is not None and len(sound.partials) <= _MOST_PARTIALS


def renders_kits() -> bool:
    """Whether strokes can be rendered so."""
    return _render is not None


class _Compiled:
    """What both have in common: a source, and what is to be done of it next."""

    def __init__(self, state: Any, is_kit: bool) -> None:
        self._state = state
        self._job = _Job(source=ctypes.addressof(state), is_kit=is_kit)
        self.job = ctypes.addressof(self._job)
        self._over = np.zeros(0, dtype=np.int64)

    def prepare(self, start: int, frames: int, out: Placed, offset: int, ramp: Placed) -> None:
        job = self._job
        job.now, job.frames, job.ramp = start, frames, ramp.place
        job.left, job.right = out.places(offset)

    def render(self) -> None:
        render([self])

    @property
    def swing(self) -> float:
        return float(self._job.swing)

    @property
    def over(self) -> Array:
        return self._over[: self._state.ended]


def render(renderings: Iterable[Rendering]) -> None:
    """Do what was prepared, all that is compiled in one call."""
    jobs = []
    for one in renderings:
        if isinstance(one, _Compiled):
            jobs.append(one.job)
        else:
            one.render()
    if jobs:
        _render((_place * len(jobs))(*jobs), len(jobs))


class CompiledRendering(_Compiled):
    """Makes sound of slots and controllers.

    Args:
        sound: what to render.
        rate: samples a second.
        slots, controllers: of its voices.
    """

    def __init__(self, sound: Sound, rate: int, slots: Slots, controllers: Controllers) -> None:
        _, octaves = octaves_of(sound)
        self._controllers = controllers
        over = np.zeros(SLOTS, dtype=np.int64)
        self._kept = (slots, controllers, octaves, DRAWBAR_NUMBERS)
        """What the compiled code finds by its address."""
        state = _State(
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
            silence=SILENCE,
            over=over.ctypes.data,
        )
        super().__init__(state, is_kit=False)
        self._over = over
        self.rest(0, 0)

    def rest(self, start: int, frames: int) -> None:
        _rest(self._job.source, start, frames)


class CompiledDrumming(_Compiled):
    """Makes sound of strokes.

    Args:
        strokes: that sound.
        choke: how many samples one is heard after it is choked.
    """

    def __init__(self, strokes: Strokes, choke: float) -> None:
        super().__init__(
            _Kit(choke=choke, before=strokes.before.ctypes.data, after=strokes.after.ctypes.data), is_kit=True
        )
        self._strokes = strokes

    def prepare(self, start: int, frames: int, out: Placed, offset: int, ramp: Placed) -> None:
        strokes, state = self._strokes, self._state
        if len(self._over) != len(strokes.array):
            self._over = np.zeros(len(strokes.array), dtype=np.int64)
            state.over = self._over.ctypes.data
            state.strokes = ctypes.addressof(strokes.array)
        state.count = strokes.count
        super().prepare(start, frames, out, offset, ramp)
