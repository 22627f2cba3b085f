"""The compiled way of looking at hops, where there is one: ``kernel.c``, built when Arpegon is installed.

Where no compiler was there NumPy does the same (``Bands`` in ``bands.py``, ``HitListener``, ``PeriodMeter``), a dozen
times slower.
"""

from __future__ import annotations

import ctypes
from typing import Any

import numpy as np
from numpy.typing import NDArray

from arpegon.core.compiled import function

MOST_SIZE = 4096
"""Samples in the window of bands; as in ``kernel.c``."""
_LIBRARY = "arpegon.listen._kernel"
_MEAN_HOPS, _PAST_HOPS = 4, 24
"""Over how many hops loudness is averaged, and against how many before it is held; as in ``kernel.c``."""

Array = NDArray[Any]

_number, _place, _double = ctypes.c_int64, ctypes.c_void_p, ctypes.c_double


class BandsState(ctypes.Structure):
    """What is remembered of the bands of one channel; as in ``kernel.c``."""

    _fields_ = (
        *((name, _number) for name in ("size", "hop", "bins", "bands")),
        *((name, _place) for name in ("window", "cosine", "sine", "bin", "band")),
        ("share", _double),
        *((name, _place) for name in ("line", "raw", "past", "floor", "span", "spans")),
        ("hiss", _double),
        *((name, _number) for name in ("fill", "span_hops", "span_place", "to_start", "to_know")),
    )


class _HitsState(ctypes.Structure):
    _fields_ = (
        ("zones", _number),
        ("bands", ctypes.POINTER(BandsState) * 2),
        ("filter", _double * 5),
        *((name, _place) for name in ("state", "edge", "loud", "means")),
        *((name, _double) for name in ("slope", "low", "high", "counts")),
        ("rest", _place),
        ("fill", _number),
    )


_bands = function(_LIBRARY, "arpegon_bands", (ctypes.POINTER(BandsState), _place, _number, _number, _place), _number)
_hits = function(
    _LIBRARY, "arpegon_hits", (ctypes.POINTER(_HitsState), _place, _number, _place, _place, _place), _number
)


_filter = function(_LIBRARY, "arpegon_filter", (_place, _place, _place, _number))
_period = function(_LIBRARY, "arpegon_period", (_place, _number, _number, _number, _double, _place, _place), _double)


def is_there() -> bool:
    """Whether hops can be looked at so."""
    return None not in (_bands, _hits, _period, _filter)


class BandsKernel:
    """The bands of one channel.

    Args:
        hop: samples of a hop.
        window: of shape (size,), a multiple of four.
        sums: what each bin of the window's spectrum gives to the power of each band, of shape (bands, bins).
        arrays: what is remembered at the start, by its name in :class:`BandsState`.
        counts: the numbers that are, in the same way.
    """

    def __init__(self, hop: int, window: Array, sums: Array, arrays: dict[str, Array], counts: dict[str, int]) -> None:
        size = len(window)
        band, bins = np.nonzero(sums)
        angles = 2.0 * np.pi * bins[:, None] * np.arange(size // 4 + 1) / size
        made = {
            "window": window,
            "cosine": np.cos(angles),
            "sine": np.sin(angles),
            "line": np.zeros(size),
            **arrays,
        }
        self._kept = {name: np.ascontiguousarray(array, dtype=np.float64) for name, array in made.items()}
        self._bins = np.ascontiguousarray([bins, band], dtype=np.int64)
        self.hop = hop
        self.state = BandsState(size=size, hop=hop, bins=len(bins), bands=len(sums), share=float(sums.max()), **counts)
        self.state.fill = size - hop
        self.state.bin, self.state.band = (one.ctypes.data for one in self._bins)
        for name, array in self._kept.items():
            setattr(self.state, name, array.ctypes.data)

    def process(self, samples: Array) -> Array:
        """The rise in dB of each hop that is complete."""
        samples = np.ascontiguousarray(samples, dtype=np.float64)
        rise = np.empty(len(samples) // self.hop + 1)
        hops = _bands(self.state, samples.ctypes.data, len(samples), 1, rise.ctypes.data)
        return rise[:hops]


class PeriodKernel:
    """Finds the period of windows.

    Args:
        max_lag: how many lags are looked at, at most.
        min_lag: the shortest period, in samples.
    """

    def __init__(self, max_lag: int, min_lag: int) -> None:
        self._min_lag = min_lag
        self._likeness = np.zeros(max_lag)
        self._clarity = np.zeros(1)
        self._places = self._likeness.ctypes.data, self._clarity.ctypes.data

    def find(self, window: Array, max_lag: int, share: float) -> tuple[float, float]:
        """The period of a window in samples, and its clarity; zeros where there is none.

        Args:
            window: of shape (frames,), float64, without gaps.
            max_lag: how many lags are looked at: some less than half of it.
            share: how high the first peak must be, of the highest.
        """
        likeness, clarity = self._places
        period = _period(window.ctypes.data, len(window), max_lag, self._min_lag, share, likeness, clarity)
        return period, float(self._clarity[0])


class FilterKernel:
    """A filter of second order.

    Args:
        b, a: its coefficients, of shape (3,).
    """

    def __init__(self, b: Array, a: Array) -> None:
        self._filter = np.array((*b, *a[1:])) / a[0]
        self._state = np.zeros(2)
        self._places = self._filter.ctypes.data, self._state.ctypes.data

    def process(self, samples: Array) -> Array:
        """The next samples of a stream, of shape (frames,), as they leave it."""
        made = np.array(samples, dtype=np.float64)
        _filter(*self._places, made.ctypes.data, len(made))
        return made


class HitsKernel:
    """What strokes are found by, of one or two channels.

    Args:
        bands: of each channel.
        filter_: the coefficients of a filter of second order, b0 b1 b2 a1 a2.
        slope: the factor that makes a slope of the difference of two samples.
        noise: between which powers of the noise floor loudness tells more than bands.
        counts: as how much of a rise a dB of it counts.
    """

    def __init__(
        self,
        bands: list[BandsKernel],
        filter_: list[float],
        slope: float,
        noise: tuple[float, float],
        counts: float,
    ) -> None:
        zones = len(bands)
        self._bands, self._zones, self._hop = bands, zones, bands[0].hop
        self._kept = {
            "state": np.zeros((zones, 2)),
            "edge": np.zeros(zones),
            "loud": np.ones((zones, _MEAN_HOPS - 1)),
            "means": np.ones((zones, _PAST_HOPS + _MEAN_HOPS)),
            "rest": np.zeros((self._hop, zones)),
        }
        low, high = noise
        self._state = _HitsState(zones=zones, slope=slope, low=low, high=high, counts=counts)
        self._state.filter = (_double * 5)(*filter_)
        for place, one in enumerate(bands):
            self._state.bands[place] = ctypes.pointer(one.state)
        for name, array in self._kept.items():
            setattr(self._state, name, array.ctypes.data)

    def process(self, samples: Array) -> tuple[Array, Array, Array]:
        """Of each hop that is complete: its rise, its peak, and its energies; see ``HitListener.hops``."""
        samples = np.ascontiguousarray(samples, dtype=np.float64)
        max_hops = len(samples) // self._hop + 1
        rise, peaks, energies = np.empty(max_hops), np.empty(max_hops), np.empty((max_hops, 2 * self._zones))
        hops = _hits(
            self._state, samples.ctypes.data, len(samples), rise.ctypes.data, peaks.ctypes.data, energies.ctypes.data
        )
        return rise[:hops], peaks[:hops], energies[:hops]
