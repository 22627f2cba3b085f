"""The voices of one instrument: partials of all sounding notes, rendered together.

All state lies in arrays over slots, so that a block costs a few NumPy calls however many notes sound.
Envelopes are functions of the time since a note's own first sample: a note may begin and end anywhere in a
block, and the size of blocks is not heard.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from arpegon.core.events import (
    ALL_NOTES_OFF,
    ALL_SOUND_OFF,
    BEND,
    CONTROL,
    NOTE_OFF,
    NOTE_ON,
    PRESSURE,
    SUSTAIN,
    Event,
)
from arpegon.sound.kernel import MOST_FRAMES, MOST_PARTIALS, Kernel, is_there
from arpegon.sound.rotor import Rotor
from arpegon.sound.sounds import DRAWBARS, ROTARY, Sound

VOICES = 32
_TAILS = 12
"""Slots beyond the voices, in which stolen notes fade."""
_SLOTS = VOICES + _TAILS
_STEAL_SECONDS = 0.006
_SILENCE = 1e-4
_FOREVER = 1 << 60
_BEND_SEMITONES = 2.0
_SMOOTH_SECONDS = 0.008
_MODULATION, _VOLUME, _PAN, _EXPRESSION, _RESET = 1, 7, 10, 11, 121

Array = NDArray[Any]


@lru_cache(maxsize=32)
def _counts(frames: int) -> Array:
    """0, 1, 2 ...; float32 of shape (frames,)."""
    counts: Array = np.arange(frames, dtype=np.float32)
    counts.flags.writeable = False
    return counts


class Voices:
    """Renders one sound: 32 voices, 16 channels of controllers.

    Args:
        sound: what to render.
        rate: samples a second.
    """

    def __init__(self, sound: Sound, rate: int) -> None:
        self.sound = sound
        self.rate = rate
        self.now = 0
        partials = np.array(sound.partials, dtype=np.float64)
        self._ratio, self._amplitude, self._decay = partials.T.copy()
        self._ratio = self._ratio * np.sqrt(1.0 + sound.stiffness * self._ratio**2)
        self._octaves = np.log2(np.maximum(1.0, self._ratio))
        count = len(partials)
        self._phase = np.zeros((_SLOTS, count))
        self._step = np.zeros((_SLOTS, count))
        self._level = np.zeros((_SLOTS, count))
        self._fall = np.zeros((_SLOTS, count))
        self._note = np.full(_SLOTS, -1)
        self._channel = np.zeros(_SLOTS, dtype=np.int64)
        self._start = np.zeros(_SLOTS, dtype=np.int64)
        self._end = np.full(_SLOTS, _FOREVER)
        self._fade = np.ones(_SLOTS)
        self._used = np.zeros(_SLOTS, dtype=bool)
        self._waiting: set[int] = set()
        self._pedal = np.zeros(16, dtype=bool)
        self._bend = np.zeros(16)
        self._controls = np.zeros((16, 128), dtype=np.int64)
        self._pressure = np.zeros(16)
        for channel in range(16):
            self._reset(channel, levels=True)
        self._gain = self._target_gain()
        self._mod = np.zeros(16)
        self._bright = np.zeros(16)
        self._tuning = np.ones(16)
        self._weights = self._target_weights()
        self._rotor = Rotor(rate) if sound.drawbars else None
        fits = count <= MOST_PARTIALS and is_there()
        self._kernel = (
            Kernel(
                self._used,
                self._channel,
                self._phase,
                self._step,
                self._level,
                self._fall,
                self._start,
                self._end,
                self._fade,
                sound.attack * rate,
            )
            if fits
            else None
        )
        self._told = False
        """Whether the kernel knows of controllers that rest."""
        self._moving = True
        self._settled = False
        """Whether the controllers came to where they were sent while nothing sounded, and none moved since."""

    @property
    def sounding(self) -> int:
        """How many notes sound, tails included."""
        return int(np.count_nonzero(self._used))

    # -- events ------------------------------------------------------------------------------------

    def handle(self, event: Event, offset: int) -> None:
        """Take an event that falls ``offset`` samples into the block to be rendered next."""
        kind, channel = event.status & 0xF0, event.status & 0x0F
        if kind >= CONTROL:
            self._moving = True
            self._settled = False
        at = self.now + offset
        if kind == NOTE_ON:
            self._strike(channel, event.data1, event.data2, at)
        elif kind == NOTE_OFF:
            self._let_go(channel, event.data1, at)
        elif kind == CONTROL:
            self._control(channel, event.data1, event.data2, at)
        elif kind == BEND:
            self._bend[channel] = event.bend / 8192.0 * _BEND_SEMITONES
        elif kind == PRESSURE:
            self._pressure[channel] = event.data1 / 127.0

    def release_all(self, offset: int = 0) -> None:
        """Let every note go (the instrument is being taken out)."""
        self._end_slots(np.flatnonzero(self._used & (self._end == _FOREVER)), self.now + offset)

    def _strike(self, channel: int, note: int, velocity: int, at: int) -> None:
        sound = self.sound
        held = (self._note == note) & (self._channel == channel) & self._used & (self._end == _FOREVER)
        self._end_slots(np.flatnonzero(held), at)
        slot = self._free_slot(at)
        frequency = 440.0 * 2.0 ** ((note - 69) / 12.0)
        loudness = velocity / 127.0
        step = 2.0 * math.pi * frequency * self._ratio / self.rate
        shade = loudness ** (sound.tone * self._octaves)
        audible = np.clip(3.0 - step / math.pi * 3.2, 0.0, 1.0)
        key = (note - 60) / 12.0
        tame = 2.0 ** (-0.25 * max(0.0, key)) * 2.0 ** (-0.1 * max(0.0, -key))
        self._level[slot] = sound.level * tame * loudness**sound.touch * self._amplitude * shade * audible
        decay = self._decay * 2.0 ** (-sound.key_decay * key)
        self._fall[slot] = np.where(self._decay > 0, -1.0 / (np.maximum(decay, 0.01) * self.rate), 0.0)
        self._phase[slot] = 0.0
        self._step[slot] = step
        self._note[slot], self._channel[slot] = note, channel
        self._start[slot], self._end[slot] = at, _FOREVER
        self._fade[slot] = sound.release * self.rate
        self._used[slot] = True
        self._waiting.discard(slot)

    def _free_slot(self, at: int) -> int:
        live = np.flatnonzero(self._used & (self._end == _FOREVER))
        if len(live) >= VOICES:
            oldest = live[np.argmin(self._start[live])]
            self._end[oldest] = at
            self._fade[oldest] = _STEAL_SECONDS * self.rate
            self._waiting.discard(int(oldest))
        free = np.flatnonzero(~self._used)
        if len(free):
            return int(free[0])
        fading = np.flatnonzero(self._end != _FOREVER)
        return int(fading[np.argmin(self._end[fading])])

    def _let_go(self, channel: int, note: int, at: int) -> None:
        slots = np.flatnonzero((self._note == note) & (self._channel == channel) & self._used & (self._end == _FOREVER))
        if self._pedal[channel]:
            self._waiting.update(slots.tolist())
        else:
            self._end_slots(slots, at)

    def _end_slots(self, slots: Array, at: int) -> None:
        self._end[slots] = np.maximum(at, self._start[slots])
        self._waiting.difference_update(slots.tolist())

    def _control(self, channel: int, number: int, value: int, at: int) -> None:
        self._controls[channel, number] = value
        mine = self._used & (self._channel == channel) & (self._end == _FOREVER)
        if number == SUSTAIN:
            self._pedal[channel] = value >= 64
            if value < 64:
                waiting = [slot for slot in self._waiting if self._channel[slot] == channel]
                self._end_slots(np.array(waiting, dtype=np.int64), at)
        elif number == ALL_SOUND_OFF:
            slots = np.flatnonzero(self._used & (self._channel == channel))
            self._end[slots] = np.maximum(np.minimum(self._end[slots], at), self._start[slots])
            self._fade[slots] = _STEAL_SECONDS * self.rate
            self._waiting.difference_update(slots.tolist())
        elif number >= ALL_NOTES_OFF:
            self._end_slots(np.flatnonzero(mine), at)
        elif number == _RESET:
            self._reset(channel, levels=False)
            self._control(channel, SUSTAIN, 0, at)

    def _reset(self, channel: int, levels: bool) -> None:
        """Controllers to their rest; volume and pan only where ``levels`` says so (MIDI RP-015)."""
        self._controls[channel, [_MODULATION, SUSTAIN]] = 0
        self._controls[channel, _EXPRESSION] = 127
        for control in self.sound.own:
            if control.number not in (_MODULATION, SUSTAIN) or self.sound.bowed:
                self._controls[channel, control.number] = control.rest
        if levels:
            self._controls[channel, _VOLUME] = 100
            self._controls[channel, _PAN] = 64
        self._bend[channel] = 0.0
        self._pressure[channel] = 0.0
        self._pedal[channel] = False

    # -- rendering ---------------------------------------------------------------------------------

    def render(self, frames: int, out: Array) -> None:
        """Add the next ``frames`` samples to ``out``, float32 of shape (2, frames)."""
        start = self.now
        self.now = start + frames
        self._settled = False
        gain0, bright0, tuning0, weights0 = self._gain, self._bright, self._tuning, self._weights
        self._ease(1.0 - math.exp(-frames / (_SMOOTH_SECONDS * self.rate)))
        if not np.count_nonzero(self._used):
            return
        if self._kernel is not None and frames <= MOST_FRAMES:
            self._render_compiled(frames, start, out, (gain0, bright0, tuning0, weights0))
            return
        slots = np.flatnonzero(self._used)
        channel = self._channel[slots]
        count = _counts(frames)
        tone = self._tone(slots, channel, frames, start, tuning0, bright0, weights0)
        envelope = self._envelope(slots, frames, start)
        if envelope is not None:
            tone *= envelope
        first = gain0[:, channel].astype(np.float32)
        mixed = first @ tone
        if gain0 is not self._gain:
            mixed += (((self._gain - gain0)[:, channel] / frames).astype(np.float32) @ tone) * count
        out += mixed if self._rotor is None else self._rotor.turned(mixed, self._fast_rotor())
        self._retire(slots, self._peaks(slots, envelope))

    def _render_compiled(
        self, frames: int, start: int, out: Array, before: tuple[Array, Array, Array, Array | None]
    ) -> None:
        """The same by the compiled kernel; ``before`` are gain, brightness, tuning and weights at the beginning."""
        kernel = self._kernel
        assert kernel is not None
        gain0, bright0, tuning0, weights0 = before
        moves = gain0 is not self._gain or tuning0 is not self._tuning or bright0 is not self._bright
        if moves or weights0 is not self._weights or not self._told:
            weights = self._shade(bright0, weights0), self._shade(self._bright, self._weights)
            kernel.control((gain0, self._gain), (tuning0, self._tuning), weights)
            self._told = not self._moving and not moves
        if self._rotor is None:
            over = kernel.render(start, frames, out, _SILENCE)
        else:
            dry = np.zeros((2, frames), dtype=np.float32)
            over = kernel.render(start, frames, dry, _SILENCE)
            out += self._rotor.turned(dry, self._fast_rotor())
        if len(over):
            self._free(over)

    def _shade(self, bright: Array, weights: Array | None) -> Array:
        """What pressure and controllers make of each partial on each channel; shape (16, partials)."""
        shade: Array = (1.0 + self.sound.press * self._octaves * 2.0) ** bright[:, None]
        return shade if weights is None else shade * weights

    def _fast_rotor(self) -> bool:
        """Whether any channel's rotor switch is on."""
        return bool((self._controls[:, ROTARY.number] >= 64).any())

    def _ease(self, share: float) -> None:
        """Move the controllers towards where they were sent; what rests there costs nothing."""
        if not self._moving:
            return
        target = self._target_gain()
        gain = self._gain + (target - self._gain) * share
        wheel = self._controls[:, _MODULATION] / 127.0
        self._mod = self._mod + (wheel - self._mod) * share
        self._bright = self._bright + (self._pressure - self._bright) * share
        self._tuning = self._target_tuning()
        near = 1e-5
        settled = np.abs(target - gain).max() < near and np.abs(self._bright - self._pressure).max() < near
        if self._weights is not None:
            weights = self._target_weights()
            settled = settled and np.abs(weights - self._weights).max() < near
            self._weights = weights if settled else self._weights + (weights - self._weights) * share
        if settled:
            gain = target
            # Vibrato goes on moving for as long as a wheel is up.
            if self._mod.max() < near and not wheel.any():
                self._mod = np.zeros(16)
                self._bright = self._pressure.copy()
                self._moving = False
                self._tuning = self._target_tuning()
        self._gain = gain

    def rest(self, frames: int) -> None:
        """Let ``frames`` samples pass in silence: controllers arrive at once where nothing can click."""
        self.now += frames
        if self._rotor is not None:
            self._rotor.turn(frames, self._fast_rotor())
        if self._moving and not self._settled:
            self._gain = self._target_gain()
            self._mod = self._controls[:, _MODULATION] / 127.0
            self._bright = self._pressure.copy()
            self._tuning = self._target_tuning()
            self._weights = self._target_weights()
            self._settled = not self._mod.any()
            self._told = False

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
        count = _counts(frames)
        step0 = self._step[slots] * tuning0[channel][:, None]
        phase0 = self._phase[slots]
        ages = start - self._start[slots]
        fresh = ages < 0
        if fresh.any():
            # A note that begins inside the block has its phase zero at its own first sample.
            phase0 = phase0 + step0 * np.minimum(0, ages)[:, None]
        angles = count * step0.astype(np.float32)[:, :, None]
        angles += np.fmod(phase0, 2.0 * math.pi).astype(np.float32)[:, :, None]
        phase1 = phase0 + step0 * frames
        if tuning0 is not self._tuning:
            slide = self._step[slots] * (self._tuning - tuning0)[channel][:, None] / frames
            angles += (count * count) * (slide * 0.5).astype(np.float32)[:, :, None]
            phase1 += slide * (0.5 * frames * frames)
        begun = self._start[slots] < start + frames
        self._phase[slots[begun]] = np.fmod(phase1[begun], 2.0 * math.pi)
        np.sin(angles, out=angles)
        fall = self._fall[slots]
        age = ages[:, None]
        level0 = self._level[slots] * np.exp(fall * np.maximum(0, age))
        level1 = self._level[slots] * np.exp(fall * np.maximum(0, age + frames))
        if bright0.any() or self._bright.any():
            lift = 1.0 + self.sound.press * self._octaves * 2.0
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
        attack = self.sound.attack * self.rate
        rising = self._start[slots].max() > start - attack
        ending = np.flatnonzero(self._end[slots] < start + frames)
        if not rising and not len(ending):
            return None
        count = _counts(frames)
        envelope: Array
        if rising:
            age = count + (start - self._start[slots]).astype(np.float32)[:, None]
            envelope = np.clip(age * np.float32(1.0 / attack), 0.0, 1.0)
            envelope *= envelope * (np.float32(3.0) - np.float32(2.0) * envelope)
        else:
            envelope = np.ones((len(slots), frames), dtype=np.float32)
        if len(ending):
            since = count + (start - self._end[slots[ending]]).astype(np.float32)[:, None]
            fade = (-1.0 / self._fade[slots[ending]]).astype(np.float32)[:, None]
            # The release is a decay whose first instants are rounded, so that it has no corner.
            since = np.maximum(since, 0.0) * fade
            envelope[ending] *= np.exp(since * 3.0) * (1.0 - since * 3.0)
        return envelope

    def _peaks(self, slots: Array, envelope: Array | None) -> Array:
        """How loud each slot is at the end of the block."""
        peak: Array = self._level[slots].sum(axis=1) * np.exp(
            self._fall[slots].max(axis=1) * np.maximum(0, self.now - self._start[slots])
        )
        if envelope is not None:
            peak = np.where(self._end[slots] < self.now, peak * envelope[:, -1], peak)
        return peak

    def _retire(self, slots: Array, peak: Array) -> None:
        """Slots that are no longer heard are free."""
        quiet = peak < _SILENCE
        if quiet.any():
            self._free(slots[quiet & (self._start[slots] < self.now)])

    def _free(self, gone: Array) -> None:
        """These slots sound no more."""
        self._used[gone] = False
        self._note[gone] = -1
        self._end[gone] = _FOREVER
        self._waiting.difference_update(gone.tolist())

    def _target_gain(self) -> Array:
        """Left and right gain of each channel from volume, expression and pan; shape (2, 16)."""
        level = (self._controls[:, _VOLUME] / 100.0) * (self._controls[:, _EXPRESSION] / 127.0)
        place = np.clip((self._controls[:, _PAN] - 64) / 63.0, -1.0, 1.0)
        angle = (place + 1.0) * math.pi / 4.0
        return np.stack((np.cos(angle), np.sin(angle))) * level**1.5 * math.sqrt(2.0)

    def _target_weights(self) -> Array | None:
        """What the controllers make of each partial on each channel; shape (16, partials), or ``None``.

        A bow that is drawn harder is louder and brighter; a drawbar is the level of its pipe.
        """
        if self.sound.drawbars:
            numbers = [control.number for control in DRAWBARS]
            weights: Array = (self._controls[:, numbers] / 127.0) ** 1.4
            return weights
        if self.sound.bowed:
            bow = (self._controls[:, _MODULATION] / 127.0)[:, None]
            bowed: Array = (0.05 + 1.15 * bow**1.3) * 2.0 ** (1.6 * (bow - 0.75) * self._octaves)
            return bowed
        return None

    def _target_tuning(self) -> Array:
        """The factor on each channel's frequencies from bend and vibrato at the end of the block; shape (16,)."""
        swing = math.sin(2.0 * math.pi * self.sound.vibrato_hz * self.now / self.rate)
        cents = self._mod * (self.sound.vibrato_cents * swing)
        factor: Array = 2.0 ** ((self._bend + cents / 100.0) / 12.0)
        return factor
