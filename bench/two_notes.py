"""Two notes at once: an experiment with a published method, measured in docs/benchmarks.md, not yet part of a listener.

Two periods cancel a mixture: what is left of x(t) - x(t - T1), once more against T2, is least where both are right (de
Cheveigné, "Separation of Concurrent Harmonic Sounds: Fundamental Frequency Estimation and a Time-Domain Cancellation
Model of Auditory Processing", 1993). In a steady window that remainder follows from the autocorrelation alone:
4 r(0) - 4 r(T1) - 4 r(T2) + 2 r(T1 + T2) + 2 r(T1 - T2).
"""

from __future__ import annotations

import numpy as np

from arpegon.core.theory.pitch import note_hz
from arpegon.listen.listener import Array

_STEPS = 8
"""Periods that are tried around each semitone."""


def two_notes(window: Array, rate: int, low: int, high: int) -> tuple[int, int, float]:
    """The two notes that cancel a window best.

    Args:
        window: of shape (frames,), at least six periods of the lowest note.
        rate: samples a second.
        low: the lowest note that is tried.
        high: the highest.

    Returns:
        The lower and the higher note, and what is left of the power, 0-1.
    """
    window = window - window.mean()
    size = 1 << (2 * len(window) - 1).bit_length()
    spectrum = np.fft.rfft(window, size)
    max_lag = min(len(window) - 1, int(2.1 * rate / note_hz(low)) + 2)
    likeness = np.fft.irfft(np.square(np.abs(spectrum)), size)[:max_lag]
    likeness *= len(window) / (len(window) - np.arange(max_lag))
    likeness /= likeness[0]
    notes = np.repeat(np.arange(low, high + 1), _STEPS) + np.tile(np.linspace(-0.4, 0.4, _STEPS), high - low + 1)
    periods = rate / (440.0 * 2.0 ** ((notes - 69.0) / 12.0))
    lags = np.arange(max_lag)

    def at(lag: Array) -> Array:
        return np.interp(np.abs(lag), lags, likeness)

    one = at(periods)
    left = 4.0 - 4.0 * one[:, None] - 4.0 * one[None, :]
    left += 2.0 * at(periods[:, None] + periods[None, :]) + 2.0 * at(periods[:, None] - periods[None, :])
    apart = np.abs(notes[:, None] - notes[None, :]) >= 1.5
    left = np.where(apart, left, np.inf)
    # A multiple of a period cancels as well: of nearly equal ones the shortest periods are meant.
    left = left + 0.02 * (periods[:, None] + periods[None, :]) / periods.max()
    first, second = np.unravel_index(int(np.argmin(left)), left.shape)
    found = sorted((round(float(notes[first])), round(float(notes[second]))))
    return found[0], found[1], float(left[first, second]) / 4.0
