"""Where a stroke begins: a sudden rise in several bands at once, against what sounded just before.

A ringing drum or string has almost all of its energy in few low partials; a new stroke, however soft, puts energy into
all bands. So each band is compared with its own recent past, in dB: the rises of spectral-flux onset detection (Bello
et al., "A Tutorial on Onset Detection in Music Signals", 2005), with the maximum of the last moments as the reference
(after Böck & Widmer, "Maximum Filter Vibrato Suppression for Onset Detection", 2013, in time instead of frequency), so
that beating partials are no onsets. The window is short and leans towards its newest end, so a rise is seen within a
millisecond or two.
"""

from __future__ import annotations

from functools import lru_cache
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from arpegon.listen import kernel
from arpegon.listen.kernel import MOST_SIZE, BandsKernel

HOP_SECONDS = 0.001
EDGES = (100.0, 375.0, 1125.0, 3000.0, 7000.0, 16000.0)
"""Limits of the bands, Hz; those above what the rate carries are left out."""
_RISE_HOPS, _FALL_HOPS = 3, 1
"""The slopes of the window, older and newer."""
_SMOOTH_HOPS = 3
"""Over how many hops the lowest band is averaged, the next one over one less: a slow wave must not look like a rise."""
_PAST_HOPS = 24
_GAP_HOPS = 3
_FULL_RISE_DB = 24.0
_FLOOR_HOPS = 16
_FLOOR_SPANS = 96
"""The noise floor is the quietest of that many spans of that many hops: a second and a half (minimum statistics,
Martin, "Noise Power Spectral Density Estimation Based on Optimal Smoothing and Minimum Statistics", 2001)."""
_START_HOPS = 6
"""The first hops are compared with nothing: a stream that begins is no stroke."""
_YOUNG_DB = 5.0
"""How much more a rise must be while little is known of the past: noise is not yet known to vary."""
_OVER_FLOOR_DB = 9.0
_LOW_BANDS = 2
_LOW_SHARE = 0.25
"""Noise with more than that share of its power in the lowest bands is no hiss."""
_FAINTEST_DB = -96.0
_SMALLEST = 1e-12

Array = NDArray[Any]


class Bands:
    """Turns samples into rises in dB, one value for each hop of a millisecond.

    Args:
        rate: samples a second.
    """

    def __init__(self, rate: int) -> None:
        self.hop = max(1, round(rate * HOP_SECONDS))
        rising, falling = ((np.arange(count) + 0.5) / count for count in (_RISE_HOPS * self.hop, _FALL_HOPS * self.hop))
        window = np.concatenate([np.sin(0.5 * np.pi * rising) ** 2, np.cos(0.5 * np.pi * falling) ** 2])
        self._window = window / np.sqrt(np.sum(np.square(window)))
        self._size = len(window)
        edges = [edge for edge in EDGES if edge < 0.45 * rate]
        if len(edges) < len(EDGES):
            edges.append(0.5 * rate)
        hz = np.fft.rfftfreq(self._size, 1.0 / rate)
        self._sums = np.array([(hz >= low) & (hz < high) for low, high in pairwise(edges)]) * (2.0 / self._size)
        count = len(self._sums)
        self._kept = np.zeros(self._size - self.hop)
        self._rest = np.zeros(0)
        self._raw = np.full((count, _SMOOTH_HOPS - 1), _SMALLEST)
        self._past = np.full((count, _PAST_HOPS + _GAP_HOPS), -120.0)
        self._floor = np.full((count, 1), -120.0)
        self._hiss = 0.0
        self._span = np.zeros(count)
        self._span_hops = 0
        self._spans = np.full((count, _FLOOR_SPANS), np.inf)
        self._span_place = 0
        self._to_start = _START_HOPS
        self._to_know = _START_HOPS + _PAST_HOPS
        self.kernel: BandsKernel | None = None
        """The compiled way, where there is one."""
        if kernel.is_there() and self._size <= MOST_SIZE:
            remembered = {"raw": self._raw, "past": self._past, "floor": self._floor, "span": self._span}
            counts = {"to_start": self._to_start, "to_know": self._to_know}
            self.kernel = BandsKernel(self.hop, self._window, self._sums, {**remembered, "spans": self._spans}, counts)

    @property
    def hiss(self) -> float:
        """The mean square of the noise floor where it is hiss; 0 where much of it is low and swells by itself."""
        return self._hiss if self.kernel is None else float(self.kernel.state.hiss)

    def until_floor(self) -> int:
        """After how many hops the noise floor is known anew."""
        return _FLOOR_HOPS - self._span_hops

    def process(self, samples: Array) -> Array:
        """Take samples of shape (frames,).

        Returns:
            For each hop that is complete, the rise in dB of all bands together, of shape (hops,).
        """
        if self.kernel is not None:
            return self.kernel.process(samples)
        total = np.concatenate([self._rest, samples])
        hops = len(total) // self.hop
        used = hops * self.hop
        self._rest = total[used:]
        rises, done = [np.zeros(0)], 0
        while done < hops:  # each hop is compared with the floor as it is known then, wherever blocks are cut
            part = min(hops - done, self.until_floor())
            rises.append(self._rises(total[done * self.hop : (done + part) * self.hop], part))
            done += part
        return np.concatenate(rises)

    def _rises(self, samples: Array, hops: int) -> Array:
        """Those of some whole hops."""
        total = np.concatenate([self._kept, samples])
        self._kept = total[len(total) - len(self._kept) :]
        spectra = np.fft.rfft(windows(total, self._size, self.hop) * self._window)
        power = self._sums @ (np.square(spectra.real) + np.square(spectra.imag)).T
        level = 10.0 * np.log10(np.maximum(self._smooth(power), _SMALLEST))
        line = np.concatenate([self._past, level], axis=1)
        starting = min(hops, self._to_start)
        self._to_start -= starting
        if starting and not self._to_start:
            line[:, : line.shape[1] - hops + starting - 1] = level[:, starting - 1 : starting]
        self._past = line[:, hops:]
        recent = greatest(line, _PAST_HOPS)[:, :hops]
        young = min(hops, self._to_know)
        self._to_know -= young
        recent[:, :young] += _YOUNG_DB
        over = level - np.maximum(self._floor + _OVER_FLOOR_DB, _FAINTEST_DB)
        self._follow_floor(power)
        rise: Array = np.clip(np.minimum(level - recent, over), 0.0, _FULL_RISE_DB).sum(axis=0)
        rise[:starting] = 0.0
        return rise

    def _smooth(self, power: Array) -> Array:
        """Average the lowest bands over some hops."""
        raw = np.concatenate([self._raw, power], axis=1)
        hops = power.shape[1]
        self._raw = raw[:, hops:]
        smooth = power.copy()
        for band, width in enumerate(range(_SMOOTH_HOPS, 1, -1)):
            for back in range(1, width):
                smooth[band] += raw[band, _SMOOTH_HOPS - 1 - back : _SMOOTH_HOPS - 1 - back + hops]
            smooth[band] /= width
        return smooth

    def _follow_floor(self, power: Array) -> None:
        """Take in the power of some hops, of shape (bands, hops), which end no later than a span of the floor."""
        self._span += power.sum(axis=1)
        self._span_hops += power.shape[1]
        if self._span_hops == _FLOOR_HOPS:
            self._spans[:, self._span_place] = self._span / _FLOOR_HOPS
            self._span_place = (self._span_place + 1) % _FLOOR_SPANS
            self._span[:] = 0.0
            self._span_hops = 0
            quietest = self._spans.min(axis=1, keepdims=True)
            self._floor = 10.0 * np.log10(np.maximum(quietest, _SMALLEST))
            total = float(quietest.sum())
            self._hiss = total if quietest[:_LOW_BANDS].sum() < _LOW_SHARE * total else 0.0


@lru_cache(maxsize=64)
def _places(count: int, size: int, hop: int) -> Array:
    return np.arange(count)[:, None] * hop + np.arange(size)


def windows(samples: Array, size: int, hop: int) -> Array:
    """Parts of ``size`` samples, ``hop`` apart, of shape (count, size)."""
    return samples[_places((len(samples) - size) // hop + 1, size, hop)]


def greatest(line: Array, width: int) -> Array:
    """The running maximum over ``width`` (a multiple of 8) neighbours along the last axis."""
    for reach in (1, 2, 4):
        line = np.maximum(line[:, :-reach], line[:, reach:])
    out = line[:, : line.shape[1] - width + 8]
    for start in range(8, width, 8):
        out = np.maximum(out, line[:, start : start + out.shape[1]])
    return out
