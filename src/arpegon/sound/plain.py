"""Blocks of an instrument in NumPy alone, where no compiler was there: see :mod:`arpegon.sound.kernel`.

A block costs a few NumPy calls however many notes sound.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from arpegon.sound.rotor import Rotor
from arpegon.sound.sounds import ROTARY, Sound
from arpegon.sound.state import (
    DRAWBAR_NUMBERS,
    EXPRESSION,
    MODULATION,
    PAN,
    SILENCE,
    VOLUME,
    Controllers,
    KitStroke,
    Placed,
    Slots,
    Strokes,
    octaves_of,
)

_SMOOTH_SECONDS = 0.008
"""How soon controllers arrive, but for the last 37 %."""
_NEAR = 1e-5
"""How near is there."""

Array = NDArray[Any]


@lru_cache(maxsize=32)
def _counts(frames: int) -> Array:
    """0, 1, 2 ...; float32 of shape (frames,)."""
    counts: Array = np.arange(frames, dtype=np.float32)
    counts.flags.writeable = False
    return counts


def _mix(dry: Array, out: Placed, offset: int, ramp: Placed) -> float:
    """Add two sides, turned up by a ramp; how far they swing."""
    frames = dry.shape[1]
    gains, rises = ramp.values[:2, None], ramp.values[2:, None]
    turned = dry * (gains + rises * _counts(frames) if rises.any() else gains)
    into = out.values[:, offset : offset + frames]
    into += turned
    return max(float(turned.max()), -float(turned.min()))


class _Plain:
    """What both have in common: what is to be done next, and what came of it."""

    def __init__(self) -> None:
        self.swing = 0.0
        self.over: Array = np.zeros(0, dtype=np.int64)
        self._next: tuple[int, int, Placed, int, Placed]

    def prepare(self, start: int, frames: int, out: Placed, offset: int, ramp: Placed) -> None:
        self._next = start, frames, out, offset, ramp

    def render(self) -> None:
        start, frames, out, offset, ramp = self._next
        dry = self._dry(start, frames)
        self.swing = _mix(dry, out, offset, ramp) if dry is not None else 0.0

    def _dry(self, start: int, frames: int) -> Array | None:
        """Its sound, of shape (2, frames); ``None``: silence."""
        raise NotImplementedError


class PlainRendering(_Plain):
    """Makes sound of slots and controllers.

    Args:
        sound: what to render.
        rate: samples a second.
        slots, controllers: of its voices.
    """

    def __init__(self, sound: Sound, rate: int, slots: Slots, controllers: Controllers) -> None:
        super().__init__()
        self._sound, self._rate = sound, rate
        self._slots, self._controllers = slots, controllers
        _, self._octaves = octaves_of(sound)
        self._rotor = Rotor(rate) if sound.drawbars else None
        self._arrive(0)

    def _dry(self, start: int, frames: int) -> Array | None:
        before = self._gain, self._bright, self._tuning, self._weights
        self._ease(start + frames, 1.0 - math.exp(-frames / (_SMOOTH_SECONDS * self._rate)))
        slots = self.over = np.flatnonzero(self._slots.used)
        if not len(slots):
            self._turn_rotor(frames)
            return None
        gain0, bright0, tuning0, weights0 = before
        channel = self._slots.channel[slots]
        tone = self._tone(slots, channel, frames, start, tuning0, bright0, weights0)
        envelope = self._envelope(slots, frames, start)
        if envelope is not None:
            tone *= envelope
        mixed: Array = gain0[:, channel].astype(np.float32) @ tone
        if gain0 is not self._gain:
            mixed += (((self._gain - gain0)[:, channel] / frames).astype(np.float32) @ tone) * _counts(frames)
        if self._rotor is not None:
            mixed = self._rotor.turned(mixed, self._fast_rotor())
        begun = self._slots.start[slots] < start + frames
        self.over = slots[begun & (self._peaks(slots, envelope, start + frames) < SILENCE)]
        return mixed

    def rest(self, start: int, frames: int) -> None:
        self._turn_rotor(frames)
        if self._controllers.moving.any():
            self._arrive(start + frames)
            self._controllers.moving[:] = bool(self._sound.vibrato_cents) and self._mod.any()

    def _turn_rotor(self, frames: int) -> None:
        if self._rotor is not None:
            self._rotor.turn(frames, self._fast_rotor())

    def _fast_rotor(self) -> bool:
        """Whether any channel's rotor switch is on."""
        return bool((self._controllers.values[:, ROTARY.number] >= 64).any())

    # -- controllers -------------------------------------------------------------------------------

    def _wheel(self) -> Array:
        wheel: Array = self._controllers.values[:, MODULATION] / 127.0
        return wheel

    def _arrive(self, now: int) -> None:
        """Be where the controllers are."""
        self._gain = self._target_gain()
        self._mod = self._wheel()
        self._bright = self._controllers.pressure.copy()
        self._tuning = self._target_tuning(now)
        self._weights = self._target_weights()

    def _ease(self, now: int, share: float) -> None:
        """Move the controllers towards where they were sent, at the end of a block; what rests there costs nothing."""
        controllers = self._controllers
        if not controllers.moving.any():
            return
        target = self._target_gain()
        gain = self._gain + (target - self._gain) * share
        wheel = self._wheel()
        self._mod = self._mod + (wheel - self._mod) * share
        self._bright = self._bright + (controllers.pressure - self._bright) * share
        self._tuning = self._target_tuning(now)
        settled = np.abs(target - gain).max() < _NEAR and np.abs(self._bright - controllers.pressure).max() < _NEAR
        if self._weights is not None:
            weights = self._target_weights()
            settled = settled and np.abs(weights - self._weights).max() < _NEAR
            self._weights = weights if settled else self._weights + (weights - self._weights) * share
        if settled:
            gain = target
            # Vibrato goes on moving for as long as a wheel is up.
            if not self._sound.vibrato_cents or (self._mod.max() < _NEAR and not wheel.any()):
                self._mod = wheel
                self._bright = controllers.pressure.copy()
                self._tuning = self._target_tuning(now)
                controllers.moving[:] = False
        self._gain = gain

    def _target_gain(self) -> Array:
        """Left and right gain of each channel from volume, expression and pan; shape (2, 16)."""
        level = (self._controllers.values[:, VOLUME] / 100.0) * (self._controllers.values[:, EXPRESSION] / 127.0)
        place = np.clip((self._controllers.values[:, PAN] - 64) / 63.0, -1.0, 1.0)
        angle = (place + 1.0) * math.pi / 4.0
        return np.stack((np.cos(angle), np.sin(angle))) * level**1.5 * math.sqrt(2.0)

    def _target_weights(self) -> Array | None:
        """What the controllers make of each partial on each channel; shape (16, partials), or ``None``.

        A bow that is drawn harder is louder and brighter; a drawbar is the level of its pipe.
        """
        if self._sound.drawbars:
            weights: Array = (self._controllers.values[:, DRAWBAR_NUMBERS] / 127.0) ** 1.4
            return weights
        if self._sound.bowed:
            bow = self._wheel()[:, None]
            bowed: Array = (0.05 + 1.15 * bow**1.3) * 2.0 ** (1.6 * (bow - 0.75) * self._octaves)
            return bowed
        return None

    def _target_tuning(self, now: int) -> Array:
        """The factor on each channel's frequencies from bend and vibrato at a sample; shape (16,)."""
        swing = math.sin(2.0 * math.pi * self._sound.vibrato_hz * now / self._rate)
        cents = self._mod * (self._sound.vibrato_cents * swing)
        factor: Array = 2.0 ** ((self._controllers.bend + cents / 100.0) / 12.0)
        return factor

    # -- a block -----------------------------------------------------------------------------------

    def _tone(
        self,
        slots: Array,
        channel: Array,
        frames: int,
        start: int,
        tuning0: Array,
        bright0: Array,
        weights0: Array | None,
    ) -> Array:
        """The sum of the partials of each slot, without its envelope; float32 of shape (slots, frames)."""
        voices = self._slots
        count = _counts(frames)
        step0 = voices.step[slots] * tuning0[channel][:, None]
        phase0 = voices.phase[slots]
        ages = start - voices.start[slots]
        fresh = ages < 0
        if fresh.any():
            # A note that begins inside the block has its phase zero at its own first sample.
            phase0 = phase0 + step0 * np.minimum(0, ages)[:, None]
        angles = count * step0.astype(np.float32)[:, :, None]
        angles += np.fmod(phase0, 2.0 * math.pi).astype(np.float32)[:, :, None]
        phase1 = phase0 + step0 * frames
        if tuning0 is not self._tuning:
            slide = voices.step[slots] * (self._tuning - tuning0)[channel][:, None] / frames
            angles += (count * count) * (slide * 0.5).astype(np.float32)[:, :, None]
            phase1 += slide * (0.5 * frames * frames)
        begun = voices.start[slots] < start + frames
        voices.phase[slots[begun]] = np.fmod(phase1[begun], 2.0 * math.pi)
        np.sin(angles, out=angles)
        fall = voices.fall[slots]
        age = ages[:, None]
        level0 = voices.level[slots] * np.exp(fall * np.maximum(0, age))
        level1 = voices.level[slots] * np.exp(fall * np.maximum(0, age + frames))
        if bright0.any() or self._bright.any():
            lift = 1.0 + self._sound.press * self._octaves * 2.0
            level0 *= lift ** bright0[channel][:, None]
            level1 *= lift ** self._bright[channel][:, None]
        if weights0 is not None and self._weights is not None:
            level0 = level0 * weights0[channel]
            level1 = level1 * self._weights[channel]
        weights = np.stack((level0, (level1 - level0) / frames), axis=1).astype(np.float32)
        summed: Array = weights @ angles
        tone: Array = summed[:, 0] + summed[:, 1] * count
        return tone

    def _envelope(self, slots: Array, frames: int, start: int) -> Array | None:
        """Attack and release of each slot; float32 of shape (slots, frames), 0 before a note begins.

        ``None`` where all notes simply sound on.
        """
        attack = self._sound.attack * self._rate
        rising = self._slots.start[slots].max() > start - attack
        ending = np.flatnonzero(self._slots.end[slots] < start + frames)
        if not rising and not len(ending):
            return None
        count = _counts(frames)
        envelope: Array
        if rising:
            age = count + (start - self._slots.start[slots]).astype(np.float32)[:, None]
            envelope = np.clip(age * np.float32(1.0 / attack), 0.0, 1.0)
            envelope *= envelope * (np.float32(3.0) - np.float32(2.0) * envelope)
        else:
            envelope = np.ones((len(slots), frames), dtype=np.float32)
        if len(ending):
            since = count + (start - self._slots.end[slots[ending]]).astype(np.float32)[:, None]
            fade = (-1.0 / self._slots.fade[slots[ending]]).astype(np.float32)[:, None]
            # The release is a decay whose first instants are rounded, so that it has no corner.
            since = np.maximum(since, 0.0) * fade
            envelope[ending] *= np.exp(since * 3.0) * (1.0 - since * 3.0)
        return envelope

    def _peaks(self, slots: Array, envelope: Array | None, now: int) -> Array:
        """How loud each slot is at the end of a block."""
        voices = self._slots
        peak: Array = voices.level[slots].sum(axis=1) * np.exp(
            voices.fall[slots].max(axis=1) * np.maximum(0, now - voices.start[slots])
        )
        if envelope is not None:
            peak = np.where(voices.end[slots] < now, peak * envelope[:, -1], peak)
        return peak


class PlainDrumming(_Plain):
    """Makes sound of strokes.

    Args:
        strokes: that sound.
        choke: how many samples one is heard after it is choked.
        samples: those of a stroke by its note.
    """

    def __init__(self, strokes: Strokes, choke: float, samples: Callable[[int], Array]) -> None:
        super().__init__()
        self._strokes, self._choke, self._samples = strokes, choke, samples

    def _dry(self, start: int, frames: int) -> Array | None:
        dry = np.zeros((2, frames), dtype=np.float32)
        self.over = np.array(
            [place for place, stroke in enumerate(self._strokes) if not self._add(stroke, start, dry)], dtype=np.int64
        )
        return dry

    def _add(self, stroke: KitStroke, start: int, dry: Array) -> bool:
        """Add one stroke; False when it is over."""
        frames = dry.shape[1]
        first = max(0, stroke.start - start)
        if first >= frames:
            return True
        begun = start + first - stroke.start
        piece = self._samples(stroke.note)[begun : begun + frames - first]
        since = start + first - stroke.end
        if since + len(piece) > 0:
            fade = np.clip(1.0 - np.arange(since, since + len(piece)) / self._choke, 0.0, 1.0)
            piece = piece * fade.astype(np.float32)
        before, after = self._strokes.before[:, stroke.channel], self._strokes.after[:, stroke.channel]
        count = np.arange(first, first + len(piece)) / max(1, frames - 1)
        for side, gain in enumerate(stroke.gain):
            gains = gain * (before[side] + (after[side] - before[side]) * count)
            dry[side, first : first + len(piece)] += piece * gains.astype(np.float32)
        return bool(since + len(piece) <= self._choke and begun + frames - first < stroke.length)
