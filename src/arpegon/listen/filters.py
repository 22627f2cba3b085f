"""The filters that listening needs.

They are designed here, by the textbook, because to load ``scipy.signal`` takes a second of a processor and the memory
of all the rest of the listening process; a test compares them with SciPy's. Filtering itself is compiled; where no
compiler was there, SciPy does it.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from arpegon.listen import kernel

Array = NDArray[Any]


def highpass(hertz: float, rate: float) -> tuple[Array, Array]:
    """A Butterworth filter of second order, by the bilinear transform (Oppenheim & Schafer, "Discrete-Time Signal
    Processing", 7.1): what is beneath ``hertz`` falls by 12 dB an octave.

    Returns:
        Its coefficients b and a, of shape (3,).
    """
    k = math.tan(math.pi * hertz / rate)
    share = 1.0 / (1.0 + math.sqrt(2.0) * k + k * k)
    return np.array((share, -2.0 * share, share)), np.array(
        (1.0, 2.0 * (k * k - 1.0) * share, (1.0 - math.sqrt(2.0) * k + k * k) * share)
    )


def smoothing(taps: int, share: float) -> Array:
    """A low-pass filter by a sinc under a Hamming window (the same, 7.5): what is above ``share`` of half the rate
    goes.

    Returns:
        Its impulse response, of shape (taps,), with a sum of one.
    """
    response = np.sinc(share * (np.arange(taps) - 0.5 * (taps - 1))) * np.hamming(taps)
    made: Array = response / response.sum()
    return made


class Filter:
    """A filter of second order, at work on a stream.

    Args:
        coefficients: as :func:`highpass` gives them.
        channels: of the stream; 0: it is of shape (frames,).
    """

    def __init__(self, coefficients: tuple[Array, Array], channels: int = 0) -> None:
        self._b, self._a = coefficients
        self._state = np.zeros((2, channels) if channels else 2)
        self._kernel = kernel.FilterKernel(*coefficients) if kernel.is_there() and not channels else None

    def process(self, samples: Array) -> Array:
        """The next samples, of shape (frames,) or (frames, channels), as they leave it."""
        if self._kernel is not None:
            return self._kernel.process(samples)
        from scipy.signal import lfilter

        filtered: Array
        filtered, self._state = lfilter(self._b, self._a, samples, axis=0, zi=self._state)
        return filtered


def load() -> None:
    """Have all there that filtering needs; whoever must be on time calls this beforehand."""
    if not kernel.is_there():
        import scipy.signal  # noqa: F401
