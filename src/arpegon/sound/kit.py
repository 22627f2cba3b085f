"""The drum kit: strokes made once from decaying tones and noise, then played back."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from arpegon.core.events import ALL_NOTES_OFF, ALL_SOUND_OFF, BEND, CONTROL, NOTE_ON, Event
from arpegon.sound import kernel
from arpegon.sound.drums import DRUMS
from arpegon.sound.kernel import Placed
from arpegon.sound.sounds import Sound

VOICES = 32
_VOLUME, _PAN, _EXPRESSION, _RESET = 7, 10, 11, 121
_CHOKE_SECONDS = 0.012
_SMOOTH_SECONDS = 0.008
_SETTLED = 1e-5
"""How near a gain is where it was sent, when it has arrived."""
_FFT_FRAMES = 1024
"""Strokes last a whole number of these, a length that is quickly transformed."""

Array = NDArray[Any]
_Pairs = list[list[float]]
"""For the left and the right of each channel."""


@lru_cache(maxsize=256)
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


@lru_cache(maxsize=256)
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


class _Playing:
    """One stroke on its way."""

    __slots__ = ("channel", "end", "gains", "note", "start", "stroke")

    def __init__(self, note: int, stroke: Placed, channel: int, start: int, gains: tuple[float, float]) -> None:
        self.note = note
        self.stroke = stroke
        self.channel = channel
        self.start = start
        self.gains = gains
        self.end: int | None = None


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
        self._playing: list[_Playing] = []
        self._controls = np.zeros((16, 128), dtype=np.int64)
        for channel in range(16):
            self._reset(channel, levels=True)
        self._aim = self._target()
        self._set_gain(self._aim)

    @property
    def sounding(self) -> int:
        """How many strokes sound."""
        return len(self._playing)

    def handle(self, event: Event, offset: int) -> None:
        """Take an event that falls ``offset`` samples into the block to be rendered next."""
        kind, channel = event.status & 0xF0, event.status & 0x0F
        at = self.now + offset
        if kind == NOTE_ON and event.data1 in DRUMS:
            self._strike(channel, event.data1, event.data2, at)
        elif kind == CONTROL and event.data1 == ALL_SOUND_OFF:
            self._choke([one for one in self._playing if one.channel == channel], at)
        elif kind == CONTROL and event.data1 == _RESET:
            self._reset(channel, levels=False)
            self._aim = self._target()
        elif CONTROL <= kind < BEND and event.data1 < ALL_NOTES_OFF:
            self._controls[channel, event.data1] = event.data2
            self._aim = self._target()

    def release_all(self, offset: int = 0) -> None:
        """Let every stroke fade (the instrument is being taken out)."""
        self._choke(self._playing, self.now + offset)

    def _strike(self, channel: int, note: int, velocity: int, at: int) -> None:
        drum = DRUMS[note]
        if drum.group:
            self._choke([one for one in self._playing if DRUMS[one.note].group == drum.group], at)
        ringing = [one for one in self._playing if one.end is None]
        if len(ringing) >= VOICES:
            self._choke([min(ringing, key=lambda one: one.start)], at)
        angle = (drum.pan + 1.0) * math.pi / 4.0
        loudness = self.sound.level * (velocity / 127.0) ** 1.6 * math.sqrt(2.0)
        gains = math.cos(angle) * loudness, math.sin(angle) * loudness
        self._playing.append(_Playing(note, _laid(note, self.rate), channel, at, gains))

    def _choke(self, strokes: list[_Playing], at: int) -> None:
        for one in strokes:
            if one.end is None:
                one.end = max(at, one.start)

    def rest(self, frames: int) -> None:
        """Let ``frames`` samples pass in silence."""
        self.now += frames
        if self._gain is not self._aim:
            self._set_gain(self._aim)

    def render(self, frames: int, out: Placed, offset: int = 0) -> None:
        """Add the next ``frames`` samples to ``out``, from its sample ``offset`` on."""
        start = self.now
        self.now = start + frames
        before, later = self._pairs, None
        if self._gain is not self._aim:
            share = 1.0 - math.exp(-frames / (_SMOOTH_SECONDS * self.rate))
            gain = self._gain + (self._aim - self._gain) * share
            self._set_gain(self._aim if np.abs(gain - self._aim).max() < _SETTLED else gain)
            later = self._pairs
        self._playing = [one for one in self._playing if self._add(one, frames, start, before, later, out, offset)]

    def _set_gain(self, gain: Array) -> None:
        self._gain = gain
        self._pairs: _Pairs = gain.T.tolist()

    def _add(
        self, one: _Playing, frames: int, start: int, before: _Pairs, later: _Pairs | None, out: Placed, offset: int
    ) -> bool:
        """Add one stroke's share of the block, with gains of each channel ``before`` it and ``later``, at its end
        (``None``: the same); False when it is over."""
        first = max(0, one.start - start)
        if first >= frames:
            return True
        begun = start + first - one.start
        count = min(frames - first, len(one.stroke.values) - begun)
        (left, right), (by_left, by_right) = one.gains, before[one.channel]
        gains, rises = (left * by_left, right * by_right), (0.0, 0.0)
        if later is not None:
            to_left, to_right = later[one.channel]
            last = max(1, frames - 1)
            rises = left * (to_left - by_left) / last, right * (to_right - by_right) / last
            gains = gains[0] + rises[0] * first, gains[1] + rises[1] * first
        choke = _CHOKE_SECONDS * self.rate
        since = start + first - one.end if one.end is not None else -count
        kernel.add_stroke(one.stroke, begun, count, out, offset + first, gains, rises, since, choke)
        return since + count <= choke and begun + frames - first < len(one.stroke.values)

    def _reset(self, channel: int, levels: bool) -> None:
        self._controls[channel, _EXPRESSION] = 127
        if levels:
            self._controls[channel, _VOLUME] = 100
            self._controls[channel, _PAN] = 64

    def _target(self) -> Array:
        """Left and right gain of each channel; float32 of shape (2, 16)."""
        level = (self._controls[:, _VOLUME] / 100.0) * (self._controls[:, _EXPRESSION] / 127.0)
        angle = (np.clip((self._controls[:, _PAN] - 64) / 63.0, -1.0, 1.0) + 1.0) * math.pi / 4.0
        gains: Array = (np.stack((np.cos(angle), np.sin(angle))) * level**1.5 * math.sqrt(2.0)).astype(np.float32)
        return gains
