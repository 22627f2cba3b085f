"""The drum kit: strokes made once from decaying tones and noise, then played back."""

from __future__ import annotations

import math
from collections.abc import Iterable
from functools import cache, partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from arpegon.core.events import ALL_NOTES_OFF, ALL_SOUND_OFF, BEND, CONTROL, NOTE_ON, Event
from arpegon.sound import kernel
from arpegon.sound.drums import DRUMS
from arpegon.sound.plain import PlainDrumming
from arpegon.sound.sounds import Sound
from arpegon.sound.state import CHANNELS, FOREVER, VOICES, KitStroke, Placed, Rendering, Strokes

_VOLUME, _PAN, _EXPRESSION, _RESET = 7, 10, 11, 121
_CHOKE_SECONDS = 0.012
_SMOOTH_SECONDS = 0.008
_SETTLED = 1e-5
"""How near a gain is where it was sent, when it has arrived."""
_FFT_FRAMES = 1024
"""Strokes last a whole number of these, a length that is quickly transformed."""

Array = NDArray[Any]


@cache
def stroke(note: int, rate: int) -> Array:
    """One stroke of a drum at full level; float32 of shape (frames,)."""
    drum = DRUMS[note]
    longest = max(drum.tone[2] * drum.mix[0], drum.bell_decay * drum.mix[1] and drum.bell_decay, drum.noise[2])
    frames = _FFT_FRAMES * -(-round((longest * 5.0 + 0.05) * rate) // _FFT_FRAMES)
    time = np.arange(frames) / rate
    out = np.zeros(frames)
    frequency, fall, decay = drum.tone
    if decay:
        # The pitch falls to its rest within a few hundredths of a second, as that of a struck skin does.
        phase = 2.0 * math.pi * frequency * (time + fall * 0.03 * (1.0 - np.exp(-time / 0.03)))
        out += drum.mix[0] * np.sin(phase) * np.exp(-time / decay)
    if drum.bell:
        tones = sum(np.sin(2.0 * math.pi * one * time + one) for one in drum.bell if one < 0.45 * rate)
        out += drum.mix[1] / len(drum.bell) * tones * np.exp(-time / drum.bell_decay)
    low, high, decay = drum.noise
    if decay:
        hiss = _band(_noise(note, frames), low, min(high, 0.45 * rate), rate)
        shape = np.zeros(frames)
        for begin in drum.strokes:
            since = time - begin
            shape = np.maximum(shape, np.where(since >= 0, np.exp(-np.maximum(0.0, since) / decay), 0.0))
        out += drum.mix[2] * hiss * shape
    out[: rate // 2000] *= np.linspace(0.0, 1.0, rate // 2000)
    out[-rate // 100 :] *= np.linspace(1.0, 0.0, rate // 100)
    made: Array = out.astype(np.float32)
    return made


@cache
def _laid(note: int, rate: int) -> Placed:
    return Placed.of(stroke(note, rate))


def prepare(rate: int) -> None:
    """Make all strokes now, so that none has to be made while music plays."""
    for note in DRUMS:
        stroke(note, rate)


def _noise(note: int, frames: int) -> Array:
    noise: Array = np.random.default_rng(note).standard_normal(frames)
    return noise


def _band(noise: Array, low: float, high: float, rate: int) -> Array:
    """Noise between two frequencies, at a level of its own of about 1."""
    spectrum = np.fft.rfft(noise)
    frequencies = np.fft.rfftfreq(len(noise), 1.0 / rate)
    spectrum *= 1.0 / (1.0 + (low / np.maximum(frequencies, 1.0)) ** 4) / (1.0 + (frequencies / high) ** 4)
    band = np.fft.irfft(spectrum, len(noise))
    made: Array = band / max(1e-9, float(np.abs(band).max()))
    return made


class Kit:
    """Plays drums; answers velocity, volume, pan, expression and all sound off. Note offs mean nothing to it.

    Args:
        sound: its level is taken.
        rate: samples a second.
    """

    def __init__(self, sound: Sound, rate: int) -> None:
        self.sound = sound
        self.rate = rate
        self.now = 0
        self._strokes = Strokes()
        choke = _CHOKE_SECONDS * rate
        self.rendering: Rendering
        if kernel.renders_kits():
            self.rendering = kernel.CompiledDrumming(self._strokes, choke)
        else:
            self.rendering = PlainDrumming(self._strokes, choke, partial(stroke, rate=rate))
        self._controls = np.zeros((CHANNELS, 128), dtype=np.int64)
        for channel in range(CHANNELS):
            self._reset(channel, levels=True)
        self._aim = self._target()
        self._moving = True
        self.rest(0)

    @property
    def sounding(self) -> int:
        """How many strokes sound."""
        return self._strokes.count

    def handle(self, event: Event, offset: int) -> None:
        """Take an event that falls ``offset`` samples into the block to be rendered next."""
        kind, channel = event.status & 0xF0, event.status & 0x0F
        at = self.now + offset
        if kind == NOTE_ON and event.data1 in DRUMS:
            self._strike(channel, event.data1, event.data2, at)
        elif kind == CONTROL and event.data1 == ALL_SOUND_OFF:
            self._choke([one for one in self._strokes if one.channel == channel], at)
        elif kind == CONTROL and event.data1 == _RESET:
            self._reset(channel, levels=False)
            self._aim, self._moving = self._target(), True
        elif CONTROL <= kind < BEND and event.data1 < ALL_NOTES_OFF:
            self._controls[channel, event.data1] = event.data2
            self._aim, self._moving = self._target(), True

    def release_all(self, offset: int = 0) -> None:
        """Let every stroke fade (the instrument is being taken out)."""
        self._choke(self._strokes, self.now + offset)

    def _strike(self, channel: int, note: int, velocity: int, at: int) -> None:
        drum = DRUMS[note]
        if drum.group:
            self._choke([one for one in self._strokes if DRUMS[one.note].group == drum.group], at)
        ringing = [one for one in self._strokes if one.end == FOREVER]
        if len(ringing) >= VOICES:
            self._choke([min(ringing, key=lambda one: one.start)], at)
        angle = (drum.pan + 1.0) * math.pi / 4.0
        loudness = self.sound.level * (velocity / 127.0) ** 1.6 * math.sqrt(2.0)
        gain = math.cos(angle) * loudness, math.sin(angle) * loudness
        self._strokes.add(note, _laid(note, self.rate), channel, at, gain)

    def _choke(self, strokes: Iterable[KitStroke], at: int) -> None:
        for one in strokes:
            if one.end == FOREVER:
                one.end = max(at, one.start)

    def rest(self, frames: int) -> None:
        """Let ``frames`` samples pass in silence."""
        self.now += frames
        if self._moving:
            self._strokes.before[:] = self._strokes.after[:] = self._aim
            self._moving = False

    def prepare(self, frames: int, out: Placed, offset: int, ramp: Placed) -> None:
        """Let its rendering add the next ``frames`` samples to ``out``, from its sample ``offset`` on, turned up by a
        ramp, as soon as it is asked."""
        if self._moving:
            strokes, share = self._strokes, 1.0 - math.exp(-frames / (_SMOOTH_SECONDS * self.rate))
            strokes.before[:] = strokes.after
            gain = strokes.before + (self._aim - strokes.before) * share
            arrived = np.abs(gain - self._aim).max() < _SETTLED
            strokes.after[:] = self._aim if arrived else gain
            self._moving = not (arrived and (strokes.before == strokes.after).all())
        self.rendering.prepare(self.now, frames, out, offset, ramp)
        self.now += frames

    def rendered(self) -> float:
        """Take note of what came of it: how far it swings."""
        over = self.rendering.over
        if len(over):
            self._strokes.remove(over)
        return self.rendering.swing

    def _reset(self, channel: int, levels: bool) -> None:
        self._controls[channel, _EXPRESSION] = 127
        if levels:
            self._controls[channel, _VOLUME] = 100
            self._controls[channel, _PAN] = 64

    def _target(self) -> Array:
        """Left and right gain of each channel; of shape (2, 16)."""
        level = (self._controls[:, _VOLUME] / 100.0) * (self._controls[:, _EXPRESSION] / 127.0)
        angle = (np.clip((self._controls[:, _PAN] - 64) / 63.0, -1.0, 1.0) + 1.0) * math.pi / 4.0
        gains: Array = np.stack((np.cos(angle), np.sin(angle))) * level**1.5 * math.sqrt(2.0)
        return gains
