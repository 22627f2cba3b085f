"""How high a sound is, frame by frame: its period.

For every lag, the normalized square difference of McLeod and Wyvill ("A Smarter Way to Find Pitch", 2005) says how like
itself a window is that far on, from -1 to 1; 1 is a perfect repetition. The period is the first peak that is nearly as
high as the highest one; its height is the clarity.

Right after a stroke the window holds only what came after it and grows until it is full, so that the note before does
not blur the new one; and what still rings of that note is taken off by spectral subtraction (Boll, "Suppression of
Acoustic Noise in Speech Using Spectral Subtraction", 1979).
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from arpegon.listen import kernel
from arpegon.listen.bands import windows
from arpegon.listen.filters import Filter, highpass, smoothing
from arpegon.listen.kernel import PeriodKernel
from arpegon.listen.melody_window import hop_seconds

LONGEST = 1.4
"""How far the window grows after a stroke, in windows."""
SHORTEST = 0.5
"""From which share of the window on a growing one is read."""
_MIN_RATE = 11_000.0
_TAPS = 12
"""Of the filter before samples are left out, for each sample that is kept."""
_STEADY = 0.85
_AFTER_STROKE = 0.65
"""What share of the highest peak the first one needs. In an attack noise and body make the true peak lower than those
at its multiples; taking those would be the error of an octave."""
_RINGING = 0.5
"""How much of the power of what sounded before a stroke is taken off after it."""
_HARMONICS = 10
_HOLLOW = 0.025
"""With less than this share of the power of its even harmonics in the odd ones, a tone is the one an octave above."""
_ROOTED = 0.1
"""With this share of the power in its root, a tone is its own."""
_ROOTLESS = 0.01
"""Less than this share of the power in harmonics that no two notes over a common root have is not enough for one."""
_PERHAPS = 0.08
"""… of its spectrum, where neighbours leak: then it is worth a closer look."""
_FEWEST = 6
_FEWEST_PERIODS = 1.7
"""How many harmonics and periods a closer look needs."""
_TOLD_ANEW = 5
_SAME = 0.015
"""What the harmonics of a steady pitch say is asked for at each so many readings; and what counts as steady."""
_PAIRS = tuple(
    (pair, np.array([all((place + 1) % number for number in pair) for place in range(_HARMONICS)]))
    for pair in ((4, 5), (3, 4), (3, 5), (2, 5), (2, 3))
)
"""Two notes as harmonics of a root that nobody played (a fifth, a fourth, a sixth, a third, a tenth), and which of
them neither has."""
_SMALLEST = 1e-12

Array = NDArray[Any]


class Reading(msgspec.Struct, frozen=True):
    """What a window holds: its level (RMS, dB of full scale), and the pitch in Hz (0: none) with its clarity, 0-1."""

    level: float
    hz: float = 0.0
    clarity: float = 0.0


class PeriodMeter:
    """Reads the period of the last moments of a stream.

    Args:
        rate: samples a second.
        lowest: of the pitches to be found, Hz.
        highest: of the pitches to be found, Hz.
        periods: how many periods of the lowest pitch the window holds, at least 2.1.
    """

    def __init__(self, rate: int, lowest: float, highest: float, periods: float) -> None:
        self._step = max(1, int(rate // max(_MIN_RATE, 8.0 * highest)))
        self.rate = rate / self._step
        """Of the samples that it keeps: no more than the highest pitch needs."""
        self._smooth = smoothing(_TAPS * self._step, 0.9 / self._step) if self._step > 1 else np.ones(1)
        self._waiting = np.zeros(len(self._smooth) - 1)
        self._below = Filter(highpass(0.6 * lowest, self.rate))
        self.size = math.ceil(periods * self.rate / lowest)
        """Of the window, in kept samples."""
        self.seconds = self.size / self.rate
        """Of the window."""
        longest = int(LONGEST * self.size)
        self._max_lag = min(self.size - 8, math.ceil(1.04 * self.rate / lowest) + 2)
        self._highest = highest
        self._min_lag = max(2, int(self.rate / highest / 1.06))
        self._length = 1 << math.ceil(math.log2(longest + self._max_lag))
        self.hop = max(1, round(hop_seconds(self.seconds) * self.rate))
        """Between two readings, in kept samples."""
        self.samples = np.zeros(longest)
        """What was heard last, newest at the end."""
        self._rest = np.zeros(0)
        self._taken = 0
        self._kernel = PeriodKernel(self._max_lag, self._min_lag) if kernel.is_there() else None
        self._told = (0.0, 1.0, 0)
        """The last pitch, what its harmonics made of it, and for how many readings that has held."""

    @property
    def now(self) -> float:
        """Seconds of the stream up to the end of the window."""
        return self._taken / self.rate

    def process(self, samples: Array) -> Iterator[float]:
        """Take samples of shape (frames,), and stop at each moment for which :meth:`read` can be asked."""
        waiting = np.concatenate([self._waiting, samples])
        size = len(self._smooth)
        count = (len(waiting) - size) // self._step + 1
        if count > 0:
            kept = windows(waiting, size, self._step) @ self._smooth
            waiting = waiting[count * self._step :]
            self._rest = np.concatenate([self._rest, self._below.process(kept)])
        self._waiting = waiting
        line, longest, hop = np.concatenate([self.samples, self._rest]), len(self.samples), self.hop
        hops = len(self._rest) // hop
        self._rest = self._rest[hops * hop :]
        for begun in range(hop, hops * hop + 1, hop):
            self.samples = line[begun : begun + longest]
            self._taken += hop
            yield self.now

    def before(self, time: float) -> Array:
        """What was heard up to a time, for :meth:`read`."""
        cut = max(0, round((self.now - time) * self.rate))
        return self.samples[: len(self.samples) - cut]

    def read(self, since: float = -math.inf, rings: Array | None = None, quiet: float = -90.0) -> Reading:
        """The window as it is now.

        Args:
            since: leave out what was heard before that time, as long as enough is left.
            rings: what was heard before ``since``, and may ring on.
            quiet: the level in dB below which no pitch is looked for.
        """
        heard = self._taken - since * self.rate
        grows = heard < LONGEST * self.size
        window = self.samples[-max(4, int(heard)) :] if grows else self.samples[-self.size :]
        power = float(np.dot(window, window))
        level = 10.0 * math.log10(power / len(window) + _SMALLEST)
        if level < quiet or len(window) < SHORTEST * self.size:
            return Reading(level)
        max_lag = min(self._max_lag, int(0.47 * len(window)))
        share = _AFTER_STROKE if grows else _STEADY
        if self._kernel is None:
            hz, clarity = self._peak(_alike(window, self._energies(window), max_lag, self._length), share)
        else:
            period, clarity = self._kernel.find(window, max_lag, share)
            hz = self.rate / period if period else 0.0
        if grows and clarity < 0.95 and rings is not None and len(rings) >= len(window):
            old = self._energies(rings[-len(window) :])
            left = np.maximum(self._energies(window) - _RINGING * old, 0.0)
            rest = np.fft.irfft(left, self._length)[:max_lag]
            if rest[0] > 0.15 * power:
                rest *= len(window) / (rest[0] * (len(window) - np.arange(max_lag)))
                other = self._peak(rest, share)
                if other[1] > clarity + 0.02:
                    hz, clarity = other
        if hz > 0.0:
            before, ratio, uses = self._told
            if grows or uses >= _TOLD_ANEW or abs(hz - before) > _SAME * before:
                ratio, uses = self._told_by_harmonics(window, self._energies(window), hz) / hz, 0
            self._told = (hz, ratio, uses + 1)
            hz *= ratio
        return Reading(level, hz, min(1.0, clarity))

    def _energies(self, window: Array) -> Array:
        """Those of the spectrum of a window."""
        spectrum = np.fft.rfft(window, self._length)
        energies: Array = np.square(spectrum.real) + np.square(spectrum.imag)
        return energies

    def _told_by_harmonics(self, window: Array, energies: Array, hz: float) -> float:
        """A pitch corrected by its harmonics: without odd ones it is the octave above; with those only that two of them
        share it is the root of two notes at once, which nobody played, and the stronger of the two is taken."""
        powers = self._powers(energies, hz)
        if len(powers) < 2:
            return hz
        if powers[0] <= _ROOTED * powers.sum():
            half = 0.5 * hz
            stronger = self._stronger_of_two(window, powers, hz) or self._stronger_of_two(
                window, self._powers(energies, half), half
            )
            if stronger:
                return stronger
        hollow = powers[::2].sum() < _HOLLOW * powers[1::2].sum()
        return 2.0 * hz if hollow and 2.0 * hz <= 1.03 * self._highest else hz

    def _powers(self, energies: Array, hz: float) -> Array:
        """Those of the harmonics in a spectrum, as far as they can be told apart."""
        count = min(_HARMONICS, int(0.45 * self.rate / hz))
        powers: Array = energies[np.round(np.arange(1, count + 1) * hz * self._length / self.rate).astype(int)]
        return powers

    def _stronger_of_two(self, window: Array, powers: Array, root: float) -> float:
        """The stronger one of two notes whose common root was taken for a tone; 0 where it is one."""
        if len(powers) < _FEWEST or root * len(window) < _FEWEST_PERIODS * self.rate:
            return 0.0
        shares = powers / max(float(powers.sum()), _SMALLEST)
        if all(shares[alone[: len(powers)]].sum() > _PERHAPS for _, alone in _PAIRS):
            return 0.0
        shares = _harmonics(window, root / self.rate, len(powers))
        for pair, alone in _PAIRS:
            if shares[alone[: len(powers)]].sum() < _ROOTLESS:
                first, second = (float(shares[number - 1 :: number].sum()) for number in pair)
                return root * (pair[0] if first >= second else pair[1])
        return 0.0

    def _peak(self, likeness: Array, share: float) -> tuple[float, float]:
        """Pitch in Hz and clarity of a likeness by lag; zeros where there is none."""
        below = np.flatnonzero(likeness < 0.0)
        start = max(int(below[0]), self._min_lag) if len(below) else len(likeness)
        line = likeness[start:]
        if len(line) < 4:
            return 0.0, 0.0
        middle = line[1:-1]
        peaks = np.flatnonzero((middle > line[:-2]) & (middle >= line[2:]) & (middle > 0.0)) + start + 1
        if not len(peaks):
            return 0.0, 0.0
        heights = likeness[peaks]
        lag = int(peaks[np.argmax(heights >= share * heights.max())])
        left, top, right = (float(value) for value in likeness[lag - 1 : lag + 2])
        bend = left - 2.0 * top + right
        shift = 0.5 * (left - right) / bend if bend else 0.0
        return self.rate / (lag + shift), top - 0.25 * (left - right) * shift


def _harmonics(window: Array, cycles: float, count: int) -> Array:
    """The shares of the power of a window that its harmonics have, by least squares: in so short a window neighbours
    would leak into one another's place in a spectrum.

    Args:
        window: of shape (frames,).
        cycles: of the root, for each frame.
        count: how many harmonics.
    """
    root = np.exp(2j * np.pi * cycles * np.arange(len(window)))
    turns = np.vander(root, count + 1, increasing=True)[:, 1:]
    waves = np.concatenate([turns.real, turns.imag], axis=1)
    even = 1e-6 * len(window) * np.eye(2 * count)
    sizes = np.square(np.linalg.solve(waves.T @ waves + even, waves.T @ window))
    powers: Array = sizes[:count] + sizes[count:]
    return powers / max(float(powers.sum()), _SMALLEST)


def _alike(window: Array, energies: Array, max_lag: int, length: int) -> Array:
    """The normalized square difference for lags up to ``most``; ``energies`` are those of the window's spectrum."""
    products = np.fft.irfft(energies, length)[:max_lag]
    sums = np.cumsum(np.square(window))
    total = sums[-1]
    pairs = np.empty(max_lag)
    pairs[0] = 2.0 * total
    pairs[1:] = sums[len(window) - 2 :: -1][: max_lag - 1] + (total - sums[: max_lag - 1])
    return 2.0 * products / np.maximum(pairs, _SMALLEST)
