"""Strokes: a drum pad, a contact microphone, a tapped crate."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

import msgspec
import numpy as np

from arpegon.core.events import NOTE_OFF, NOTE_ON, Event
from arpegon.listen import kernel
from arpegon.listen.bands import HOP_SECONDS, Bands, greatest
from arpegon.listen.filters import Filter, highpass
from arpegon.listen.heard import HeardNote
from arpegon.listen.kernel import HitsKernel
from arpegon.listen.listener import Array, Listener
from arpegon.processors.sources.listening import Hits

_BEFORE_HOPS = 7
"""Over how long what rings is measured before a stroke."""
_MEAN_HOPS = 4
_PAST_HOPS = 24
_LOUDER_COUNTS = 6.0
"""In noise a stroke on what still rings is seen in no band by itself, but all of it together is louder: over so many
hops, against the loudest of so many before. Each dB of that counts as so many of the bands' rise."""
_IN_NOISE = (8.0, 400.0)
"""That holds between so many and so many times the power of the noise floor. Above, the bands see more, and what
crashes or beats grows louder by itself; below, noise does."""
_RUMBLE_HZ = 100.0
_KNOWN_HOPS = _PAST_HOPS + 2 * _MEAN_HOPS - 1
_STRENGTH_HZ = 1000.0
"""Strength is measured on the slope of the samples, so that the crack of a stroke counts for more than what rings low;
a sine of this pitch has the same level either way."""
_SMALLEST = 1e-12
_PLAIN_RISE = 22.0
_MORE = 1.4
"""A stroke that rises by less than the former, in dB, must have so many times the energy of what was before."""
_TOGETHER_SECONDS = 0.03
"""How long a stroke shakes the pads beside it."""


def rise_needed(sensitivity: float) -> float:
    """How many dB, all bands together, a stroke must rise: 11 at the middle of the range, 35 and 3.5 at its ends."""
    return 11.0 * math.pow(10.0, (50.0 - sensitivity) / 100.0)


class Stroke(msgspec.Struct):
    """One stroke, as it was found."""

    began: float
    time: float
    """When enough was heard of it to tell how hard it was."""
    level: float
    """Its strength in dB."""
    peak: float
    """Its highest sample in dB of full scale."""
    rise: float
    rim: bool = False


class _Open(msgspec.Struct):
    """A stroke whose strength is still being looked for."""

    hop: int
    rings: Array
    energy: Array
    peak: float
    rise: float


class HitListener(Listener):
    """Finds strokes where several bands rise at once (see :mod:`arpegon.listen.bands`)."""

    kind = "hits"
    processor = Hits

    def __init__(self, values: Mapping[str, Any], rate: int) -> None:
        self._zones = 0
        self._hops = 0
        super().__init__(values, rate)

    def on_configure(self) -> None:
        values = self.values
        zones = 2 if values["zones"] == "two" else 1
        if zones != self._zones:
            self._zones = zones
            self._start()
        self._need = rise_needed(values["sensitivity"])
        self._threshold = 10.0 ** (values["threshold"] / 20.0)
        self._retrigger = max(1, round(values["retrigger_ms"] / 1000.0 / HOP_SECONDS))
        self._scan = max(1, round(values["scan_ms"] / 1000.0 / HOP_SECONDS))

    def _start(self) -> None:
        self._bands = [Bands(self.rate) for _ in range(self._zones)]
        self._hop = self._bands[0].hop
        self._slope = self.rate / (2.0 * math.pi * _STRENGTH_HZ)
        self._edge = np.zeros((1, self._zones))
        self._rest = np.zeros((0, self._zones))
        self._last = -(10**9)
        self._open: _Open | None = None
        self._energies = np.zeros((_BEFORE_HOPS, 2 * self._zones))
        """Of the last hops: mean squares of the slopes, then of the samples themselves, by zone."""
        b, a = highpass(min(_RUMBLE_HZ, 0.2 * self.rate), self.rate)
        self._rumble = Filter((b, a), self._zones)
        self._loud = np.ones((_KNOWN_HOPS, self._zones))
        """Of the last hops: mean squares of what is above rumble."""
        kernels = [bands.kernel for bands in self._bands if bands.kernel is not None]
        self._kernel: HitsKernel | None = None
        if kernel.is_there() and len(kernels) == self._zones:
            coefficients = [*map(float, b), *map(float, a[1:])]
            self._kernel = HitsKernel(kernels, coefficients, self._slope, _IN_NOISE, _LOUDER_COUNTS)

    @property
    def latency(self) -> float:
        return float(self._scan + 1) * HOP_SECONDS

    @property
    def now(self) -> float:
        return self._hops * self._hop / self.rate

    def hear(self, samples: Array) -> list[Event]:
        return self.answer(self.find(samples))

    @property
    def step(self) -> float:
        return self._hop / self.rate

    def look(self, block: Array) -> list[Stroke]:
        """Like :meth:`process`, but tells of the strokes only; :meth:`answer` makes their notes."""
        return self.find(self._clean(block))

    def find(self, samples: Array) -> list[Stroke]:
        """The strokes in a block of clean samples, of shape (frames, channels)."""
        channels = samples[:, : self._zones]
        if channels.shape[1] < self._zones:
            channels = np.repeat(channels, 2, axis=1)
        rise, peaks, energy = self.hops(channels) if self._kernel is None else self._kernel.process(channels)
        if not len(rise):
            return []
        self.draw(peaks.tolist())
        first = self._hops
        self._hops += len(rise)
        known = np.concatenate([self._energies, energy])
        self._energies = known[-_BEFORE_HOPS:]
        if self._open is None and rise.max() < self._need:
            return []
        return self._look(first, rise, peaks, known)

    def hops(self, channels: Array) -> tuple[Array, Array, Array]:
        """What is known of each hop that is complete, in NumPy.

        Returns:
            Its rise in dB, all bands together, of shape (hops,); half of how far it swings, in the same shape; and its
            mean squares, of shape (hops, 2 x zones): of the slopes, then of the samples.
        """
        total = np.concatenate([self._rest, channels])
        hops = len(total) // self._hop
        self._rest = total[hops * self._hop :]
        found, done = [self._some_hops(total[:0], 0)], 0
        while done < hops:
            part = min(hops - done, self._bands[0].until_floor())
            found.append(self._some_hops(total[done * self._hop : (done + part) * self._hop], part))
            done += part
        rise, peaks, energy = (np.concatenate(one) for one in zip(*found, strict=True))
        return rise, peaks, energy

    def _some_hops(self, whole: Array, hops: int) -> tuple[Array, Array, Array]:
        """Those of some whole hops, which end no later than a span of the noise floor."""
        if not hops:
            return np.zeros(0), np.zeros(0), np.zeros((0, 2 * self._zones))
        hiss = np.array([bands.hiss for bands in self._bands])
        rise = np.zeros(hops)
        for zone, bands in enumerate(self._bands):
            rise = np.maximum(rise, bands.process(whole[:, zone]))
        slope = np.diff(whole, axis=0, prepend=self._edge) * self._slope
        self._edge = whole[-1:]
        both = np.concatenate([slope, whole], axis=1)
        energy = np.square(both).reshape(hops, self._hop, 2 * self._zones).mean(axis=1)
        swings = whole.reshape(hops, self._hop, self._zones)
        peaks = 0.5 * (swings.max(axis=1) - swings.min(axis=1)).max(axis=1)
        return np.maximum(rise, _LOUDER_COUNTS * self._louder(whole, hops, hiss)), peaks, energy

    def _louder(self, samples: Array, hops: int, hiss: Array) -> Array:
        """By how many dB all that is above rumble is louder than it was, hop by hop, where ``hiss`` (the power of that
        of each zone) hides the bands."""
        high = self._rumble.process(samples)
        energies = np.square(high).reshape(hops, self._hop, self._zones).mean(axis=1)
        known = np.concatenate([self._loud, energies])
        self._loud = known[-_KNOWN_HOPS:]
        quiet, loud = _IN_NOISE
        if not (energies.max(axis=0) > quiet * hiss).any() or not hiss.any():
            return np.zeros(hops)
        sums = np.concatenate([np.zeros((1, self._zones)), np.cumsum(known, axis=0)])
        means = (sums[_MEAN_HOPS:] - sums[:-_MEAN_HOPS]) / _MEAN_HOPS + _SMALLEST
        now, before = means[-hops:], greatest(means.T, _PAST_HOPS).T[:hops]
        louder: Array = np.where((now > quiet * hiss) & (now < loud * hiss), 10.0 * np.log10(now / before), 0.0)
        risen: Array = louder.max(axis=1)
        return risen

    def _look(self, first: int, rise: Array, peaks: Array, known: Array) -> list[Stroke]:
        found: list[Stroke] = []
        for place in range(len(rise)):
            hop = first + place
            energy = known[place + _BEFORE_HOPS]
            if self._open is None:
                if rise[place] < self._need or hop - self._last < self._retrigger:
                    continue
                rings = known[place : place + _BEFORE_HOPS - 1].mean(axis=0)
                self._open = _Open(hop, rings, np.zeros(2 * self._zones), 0.0, 0.0)
            stroke = self._open
            stroke.energy = stroke.energy + energy
            stroke.peak = max(stroke.peak, float(peaks[place]))
            stroke.rise = max(stroke.rise, float(rise[place]))
            if hop - stroke.hop + 1 < self._scan:
                continue
            self._open = None
            if stroke.peak < self._threshold or not self._stands_out(stroke):
                continue
            self._last = stroke.hop
            found.append(self._measured(stroke, hop))
        return found

    def _stands_out(self, stroke: _Open) -> bool:
        """Whether there was more energy after it than before: in noise, bands may rise together by chance."""
        more = stroke.energy / self._scan >= _MORE * stroke.rings
        return stroke.rise >= _PLAIN_RISE or bool(more.any())

    def _measured(self, stroke: _Open, hop: int) -> Stroke:
        count = hop - stroke.hop + 1
        energy, rings = stroke.energy[: self._zones] / count, stroke.rings[: self._zones]
        gain = np.maximum(energy - rings, 0.05 * energy) + _SMALLEST
        seconds = self._hop / self.rate
        rim = False
        if self._zones == 2:
            rim = 10.0 * math.log10(gain[1] / gain[0]) > self.values["rim_db"]
        level = 10.0 * math.log10(float(gain.max()))
        peak = 20.0 * math.log10(stroke.peak + _SMALLEST)
        return Stroke(max(0, stroke.hop - 1) * seconds, (hop + 1) * seconds, level, peak, stroke.rise, rim)

    def answer(self, strokes: Sequence[Stroke]) -> list[Event]:
        """The notes that strokes play."""
        events: list[Event] = []
        length = self.values["length_ms"] / 1000.0
        for stroke in strokes:
            note = self.values["rim_note" if stroke.rim else "note"]
            velocity = max(1, self.velocity(stroke.level))
            events.append(Event(stroke.time, NOTE_ON | self.channel, note, velocity))
            events.append(Event(stroke.time + length, NOTE_OFF | self.channel, note, 64))
            end = stroke.time + length
            clarity = min(1.0, stroke.rise / 40.0)
            self.marks.append(
                HeardNote(
                    stroke.time,
                    note,
                    velocity,
                    stroke.level,
                    stroke.peak,
                    stroke.began,
                    end,
                    clarity,
                    channel=self.channel,
                )
            )
        events.sort(key=lambda event: event.time)
        return events

    def silence(self) -> list[Event]:
        self._start()
        return []


class Rack:
    """Keeps a stroke on one pad from being heard by the pads beside it."""

    def __init__(self) -> None:
        self._strokes: list[tuple[float, int, str, float]] = []

    def clear(self, found: dict[str, tuple[HitListener, list[Stroke], float]]) -> dict[str, list[Stroke]]:
        """Leave out what another pad of the same group caused.

        Args:
            found: for each pad its listener, the strokes that it found, and what its time must be moved by to be
                on a clock that all pads share.
        """
        now = [
            (stroke.began + shift, listener.values["group"], pad, stroke.level)
            for pad, (listener, strokes, shift) in found.items()
            for stroke in strokes
            if listener.values["group"]
        ]
        if now:
            newest = max(entry[0] for entry in now)
            self._strokes = [entry for entry in self._strokes if entry[0] > newest - 1.0] + now
        return {
            pad: [stroke for stroke in strokes if not self._caused(pad, listener, stroke, shift)]
            for pad, (listener, strokes, shift) in found.items()
        }

    def _caused(self, pad: str, listener: HitListener, stroke: Stroke, shift: float) -> bool:
        group = listener.values["group"]
        limit = stroke.level + listener.values["crosstalk_db"]
        time = stroke.began + shift
        return bool(group) and any(
            other == group and whose != pad and level >= limit and abs(when - time) <= _TOGETHER_SECONDS
            for when, other, whose, level in self._strokes
        )
