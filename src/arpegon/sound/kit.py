"""The drum kit: strokes made once from decaying tones and noise, then played back."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from arpegon.core.events import ALL_NOTES_OFF, ALL_SOUND_OFF, BEND, CONTROL, NOTE_ON, Event
from arpegon.sound import kernel
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


class Drum(msgspec.Struct, frozen=True):
    """How one drum is made: a tone that falls in pitch, a bell of several tones, noise in a band."""

    name: str
    tone: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """Frequency, share by which it falls at once, decay in seconds."""
    bell: tuple[float, ...] = ()
    bell_decay: float = 0.0
    noise: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """Lowest and highest frequency, decay in seconds."""
    mix: tuple[float, float, float] = (1.0, 0.0, 0.0)
    """Levels of tone, bell and noise."""
    strokes: tuple[float, ...] = (0.0,)
    """When its noise begins: several for a clap."""
    pan: float = 0.0
    group: int = 0
    """Drums of one group (but 0) choke each other, as the two halves of a hi-hat do."""


_TIN = (540.0, 803.0, 1187.0, 1641.0, 2210.0, 3023.0)


def _tom(name: str, frequency: float, pan: float) -> Drum:
    return Drum(name, (frequency, 0.6, 0.32), noise=(400.0, 3000.0, 0.04), mix=(1.0, 0.0, 0.2), pan=pan)


def _metal(name: str, decay: float, low: float, bell: float, pan: float, group: int = 0) -> Drum:
    return Drum(
        name, bell=_TIN, bell_decay=decay * 0.8, noise=(low, 16000.0, decay), mix=(0.0, bell, 0.6), pan=pan, group=group
    )


def _skin(name: str, frequency: float, decay: float, pan: float) -> Drum:
    return Drum(name, (frequency, 0.25, decay), noise=(1000.0, 5000.0, 0.012), mix=(1.0, 0.0, 0.3), pan=pan)


def _wood(name: str, frequency: float, decay: float = 0.05) -> Drum:
    return Drum(name, (frequency, 0.05, decay), bell=(frequency * 2.7,), bell_decay=decay / 2, mix=(0.9, 0.3, 0.0))


DRUMS: dict[int, Drum] = {
    35: Drum("Bass drum, low", (48.0, 1.6, 0.28), noise=(200.0, 2500.0, 0.01), mix=(1.3, 0.0, 0.3)),
    36: Drum("Bass drum", (56.0, 2.2, 0.22), noise=(300.0, 5000.0, 0.008), mix=(1.3, 0.0, 0.4)),
    37: _wood("Side stick", 1700.0, 0.025),
    38: Drum("Snare", (188.0, 0.5, 0.11), noise=(900.0, 9000.0, 0.15), mix=(0.6, 0.0, 0.9)),
    39: Drum("Hand clap", noise=(900.0, 5000.0, 0.09), mix=(0.0, 0.0, 1.0), strokes=(0.0, 0.011, 0.022)),
    40: Drum("Snare, tight", (240.0, 0.4, 0.08), noise=(1500.0, 12000.0, 0.1), mix=(0.6, 0.0, 1.0)),
    41: _tom("Floor tom, low", 78.0, 0.5),
    42: _metal("Hi-hat, closed", 0.035, 7000.0, 0.12, -0.25, group=1),
    43: _tom("Floor tom, high", 98.0, 0.35),
    44: _metal("Hi-hat, pedal", 0.05, 6000.0, 0.1, -0.25, group=1),
    45: _tom("Tom, low", 122.0, 0.2),
    46: _metal("Hi-hat, open", 0.32, 6500.0, 0.16, -0.25, group=1),
    47: _tom("Tom, low middle", 148.0, 0.05),
    48: _tom("Tom, high middle", 178.0, -0.15),
    49: _metal("Crash", 0.9, 3500.0, 0.18, -0.4),
    50: _tom("Tom, high", 210.0, -0.3),
    51: _metal("Ride", 0.7, 5000.0, 0.35, 0.4),
    52: _metal("China", 0.7, 2500.0, 0.4, 0.3),
    53: Drum("Ride bell", bell=(1180.0, 1770.0, 2950.0), bell_decay=0.5, mix=(0.0, 0.6, 0.0), pan=0.4),
    54: _metal("Tambourine", 0.12, 8000.0, 0.1, 0.2),
    55: _metal("Splash", 0.4, 4500.0, 0.15, -0.1),
    56: Drum("Cowbell", bell=(562.0, 845.0), bell_decay=0.16, mix=(0.0, 0.7, 0.0), pan=0.15),
    57: _metal("Crash, second", 1.1, 3000.0, 0.2, 0.5),
    59: _metal("Ride, second", 0.6, 4500.0, 0.4, 0.5),
    60: _skin("Bongo, high", 420.0, 0.08, 0.3),
    61: _skin("Bongo, low", 310.0, 0.1, 0.3),
    62: _skin("Conga, muted", 330.0, 0.05, -0.3),
    63: _skin("Conga, high", 290.0, 0.16, -0.3),
    64: _skin("Conga, low", 210.0, 0.2, -0.3),
    65: _skin("Timbale, high", 480.0, 0.22, 0.2),
    66: _skin("Timbale, low", 360.0, 0.26, 0.2),
    67: Drum("Agogo, high", bell=(1020.0, 2560.0), bell_decay=0.25, mix=(0.0, 0.6, 0.0), pan=-0.2),
    68: Drum("Agogo, low", bell=(760.0, 1910.0), bell_decay=0.28, mix=(0.0, 0.6, 0.0), pan=-0.2),
    69: Drum("Cabasa", noise=(5000.0, 14000.0, 0.05), mix=(0.0, 0.0, 0.6), pan=-0.35),
    70: Drum("Maracas", noise=(6000.0, 16000.0, 0.03), mix=(0.0, 0.0, 0.6), pan=0.35),
    75: _wood("Claves", 2500.0, 0.06),
    76: _wood("Wood block, high", 1250.0),
    77: _wood("Wood block, low", 920.0),
    80: Drum("Triangle, muted", bell=(4100.0, 6730.0), bell_decay=0.06, mix=(0.0, 0.5, 0.0), pan=0.3),
    81: Drum("Triangle", bell=(4100.0, 6730.0, 9400.0), bell_decay=0.9, mix=(0.0, 0.5, 0.0), pan=0.3),
}


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
