"""Swing: of each pair of steps the first gets another share than half; one formula for all that has steps."""

from __future__ import annotations

import math

_NEAR = 1e-9


def step_beat(step: int, beats: float, swing: float) -> float:
    """The beat on which a step falls.

    Args:
        step: its number; step 0 falls on beat 0.
        beats: the length of a step that is not swung, in beats.
        swing: the share of a pair that its first step gets: 0.5 is straight, 2/3 a triplet feel.

    >>> [step_beat(step, 0.5, 0.5) for step in range(3)], step_beat(1, 0.5, 0.75)
    ([0.0, 0.5, 1.0], 0.75)
    """
    pair, second = divmod(step, 2)
    return 2.0 * beats * (pair + (swing if second else 0.0))


def step_length(step: int, beats: float, swing: float) -> float:
    """How long a step lasts, in beats."""
    return 2.0 * beats * (1.0 - swing if step % 2 else swing)


def next_step(beat: float, beats: float, swing: float, near: float = _NEAR) -> int:
    """The first step at or after a beat; one that fell up to ``near`` beats before it counts."""
    step = 2 * math.floor((beat - near) / (2.0 * beats))
    while step_beat(step, beats, swing) < beat - near:
        step += 1
    return step


def next_line(beat: float, beats: float, swing: float, near: float = _NEAR) -> float:
    """The beat of the first step at or after a beat: the next line of a swung grid."""
    return step_beat(next_step(beat, beats, swing, near), beats, swing)
