"""All instruments, mixed to one stereo signal that never clips."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from arpegon.core.document.model import Instrument
from arpegon.core.events import CONTROL, SYSEX, Event
from arpegon.sound.kernel import render
from arpegon.sound.kit import Kit
from arpegon.sound.sounds import SOUNDS
from arpegon.sound.state import Placed, ramp
from arpegon.sound.voices import Voices

_CEILING = 0.94
_LIMIT_RELEASE_SECONDS = 0.25
_CONTROL_GRID = 32
"""Controllers are heard at their own sample, to within this many samples; notes exactly."""

Array = NDArray[Any]


class MixerStrip:
    """One instrument in the mix."""

    def __init__(self, instrument: Instrument, rate: int) -> None:
        self.instrument = instrument
        sound = SOUNDS[instrument.sound]
        self.voices: Voices | Kit = Kit(sound, rate) if sound.kit else Voices(sound, rate)
        self.target = ramp(_gains(instrument))
        """What it is turned up by, or will be at the end of the next block,"""
        self.gain = self.target
        """and what it is now."""
        self.swing = 0.0
        """How far it swings in the block that is rendered,"""
        self.peak = 0.0
        """and how far it swung since somebody asked."""


class Mixer:
    """Renders events to audio.

    Args:
        rate: samples a second.
    """

    def __init__(self, rate: int) -> None:
        self.rate = rate
        self._strips: dict[str, MixerStrip] = {}
        self._leaving: list[MixerStrip] = []
        self._limit = 1.0

    def set_instruments(self, instruments: Iterable[Instrument]) -> None:
        """Take new settings; an instrument that is gone, or has another sound, fades out."""
        strips: dict[str, MixerStrip] = {}
        for instrument in instruments:
            known = self._strips.pop(instrument.id, None)
            if known is not None and known.instrument.sound == instrument.sound:
                known.instrument = instrument
                known.target = ramp(_gains(instrument))
                strips[instrument.id] = known
            else:
                strips[instrument.id] = MixerStrip(instrument, self.rate)
                if known is not None:
                    self._leaving.append(known)
        self._leaving.extend(self._strips.values())
        for strip in self._leaving:
            strip.voices.release_all()
        self._strips = strips

    def render(
        self, frames: int, events: Sequence[tuple[int, str, Event]], apart: Mapping[str, Array] | None = None
    ) -> Array:
        """The next block.

        Args:
            frames: its length in samples.
            events: (sample within the block, instrument id, event), in order of time; those of instruments
                that do not exist are passed over.
            apart: blocks by instrument id: what sounds of these is added there, and not to the mix.

        Returns:
            float32 of shape (2, frames), within -1 ... 1.
        """
        mixed = Placed.of(np.zeros((2, frames), dtype=np.float32))
        by_strip: dict[str, list[tuple[int, Event]]] = {}
        for offset, instrument, event in events:
            by_strip.setdefault(instrument, []).append((min(frames - 1, max(0, offset)), event))
        sounding = []
        for name, strip in self._strips.items():
            own = apart.get(name) if apart else None
            if self._prepare(strip, frames, by_strip.get(name, ()), mixed if own is None else Placed.of(own)):
                sounding.append(strip)
        sounding += [strip for strip in self._leaving if self._prepare(strip, frames, (), mixed)]
        render([strip.voices.rendering for strip in sounding])
        swing = 0.0
        for strip in sounding:
            strip.swing = max(strip.swing, strip.voices.rendered())
            strip.peak = max(strip.peak, strip.swing)
            swing += strip.swing
        if self._leaving:
            self._leaving = [strip for strip in self._leaving if strip.voices.sounding]
        # Together they swing no farther than the sum of all: what swings less need not be looked at.
        return self._limited(mixed.values) if swing > _CEILING or self._limit < 1.0 else mixed.values

    def peaks(self) -> dict[str, float]:
        """The peak of each instrument since the last call, 1 being full scale."""
        found = {name: strip.peak for name, strip in self._strips.items()}
        for strip in self._strips.values():
            strip.peak = 0.0
        return found

    @property
    def silent(self) -> bool:
        """Whether nothing sounds until something is played."""
        return not self.sounding and not self._leaving and self._limit >= 1.0

    def rest(self, frames: int) -> None:
        """Let so many frames pass in silence."""
        for strip in self._strips.values():
            strip.gain = strip.target
            strip.voices.rest(frames)

    @property
    def sounding(self) -> int:
        """How many voices sound."""
        return sum(strip.voices.sounding for strip in self._strips.values())

    def _prepare(self, strip: MixerStrip, frames: int, events: Sequence[tuple[int, Event]], out: Placed) -> bool:
        """Let a strip's block be added to ``out``, cut where controllers came; whether it sounds."""
        voices, target = strip.voices, strip.target
        first, strip.gain = strip.gain, target
        if not voices.sounding and not events:
            voices.rest(frames)
            return False
        strip.swing, done, channel = 0.0, 0, strip.instrument.channel
        for offset, event in events:
            if channel is not None and event.status & 0x0F != channel and event.status < SYSEX:
                continue
            if event.status & 0xF0 >= CONTROL and offset - done >= _CONTROL_GRID:
                voices.prepare(offset - done, out, done, _part(first, target, done, frames))
                render([voices.rendering])
                strip.swing = max(strip.swing, voices.rendered())
                done = offset
            voices.handle(event, offset - done)
        voices.prepare(frames - done, out, done, _part(first, target, done, frames))
        return True

    def _limited(self, out: Array) -> Array:
        """Turn down what would clip: at once where it must be, back slowly, and round what is left."""
        peak = max(float(out.max()), -float(out.min())) if out.size else 0.0
        frames = out.shape[1]
        wanted = min(1.0, _CEILING / peak) if peak > 0 else 1.0
        before = self._limit
        if wanted < before:
            rise = min(frames, max(1, self.rate // 1000))
            gain = np.full(frames, wanted, dtype=np.float32)
            gain[:rise] = np.linspace(before, wanted, rise, dtype=np.float32)
            self._limit = wanted
        else:
            after = wanted + (before - wanted) * math.exp(-frames / (_LIMIT_RELEASE_SECONDS * self.rate))
            if before == 1.0 and after == 1.0:
                return out
            gain = np.linspace(before, after, frames, dtype=np.float32)
            self._limit = after if after < 0.9999 else 1.0
        out *= gain
        over = np.abs(out) > _CEILING
        if over.any():
            room = 1.0 - _CEILING
            out[over] = np.sign(out[over]) * (_CEILING + room * np.tanh((np.abs(out[over]) - _CEILING) / room) * 0.99)
        return out


def _part(first: Placed, last: Placed, done: int, frames: int) -> Placed:
    """The ramp from ``first`` to ``last`` over a block, from its sample ``done`` on."""
    if first is last:
        return last
    rises = (last.values - first.values)[:2] / max(1, frames - 1)
    return ramp(first.values[:2] + rises * done, rises)


def _gains(instrument: Instrument) -> Array:
    """Left and right gain of an instrument; float32 of shape (2,)."""
    if instrument.muted or instrument.level_db <= -90.0:
        return np.zeros(2, dtype=np.float32)
    angle = (instrument.pan + 1.0) * math.pi / 4.0
    sides = np.array((math.cos(angle), math.sin(angle))) * math.sqrt(2.0)
    gains: Array = (sides * 10.0 ** (instrument.level_db / 20.0)).astype(np.float32)
    return gains
