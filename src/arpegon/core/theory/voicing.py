"""Voicings: the notes of a chord turned over, spread, moved as little as may be."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import lru_cache

Voice = tuple[int, float]
"""A note (it may lie outside 0-127 until the end) and its level, a factor on the velocity."""


def inverted(voices: Sequence[Voice], times: int) -> list[Voice]:
    """The lowest voice an octave up, ``times`` over; below 0 the highest an octave down. Rising."""
    turned = sorted(voices)
    for _ in range(abs(times) if turned else 0):
        if times > 0:
            note, level = turned.pop(0)
            turned.append((note + 12, level))
        else:
            note, level = turned.pop()
            turned.insert(0, (note - 12, level))
        turned.sort()
    return turned


def opened(voices: Sequence[Voice]) -> list[Voice]:
    """Open position: every second voice from below an octave up (C E G becomes C G E)."""
    return sorted((note + 12 * (place % 2), level) for place, (note, level) in enumerate(sorted(voices)))


def movement(before: Sequence[int], after: Sequence[int]) -> int:
    """How far the voices of one chord move to those of another, in semitones.

    Every note of either chord goes to (or comes from) the nearest of the other, so that chords of different
    size can be compared (a voice-leading distance after Tymoczko, "The Geometry of Musical Chords", 2006).
    """
    if not before or not after:
        return 0
    there = sum(min(abs(note - other) for other in after) for note in before)
    return there + sum(min(abs(note - other) for other in before) for note in after)


def led(voices: Sequence[Voice], before: Sequence[int]) -> list[Voice]:
    """The inversion, in any octave, whose notes move least from the chord before; the first chord stays.

    Where several move as little, the one that is turned over least is taken.
    """
    if not before or not voices:
        return sorted(voices)
    return list(_led(tuple(voices), tuple(before)))


@lru_cache(maxsize=2048)
def _led(voices: tuple[Voice, ...], before: tuple[int, ...]) -> tuple[Voice, ...]:
    """Music comes back to its chords, and there are many turnings to compare."""
    candidates = sorted(turnings(voices), key=lambda candidate: candidate[0])
    return tuple(min(candidates, key=lambda candidate: movement(before, [note for note, _ in candidate[1]]))[1])


def turnings(voices: Sequence[Voice]) -> list[tuple[int, list[Voice]]]:
    """Every inversion within an octave and a half up and down, with how far it is turned."""
    count = len(voices)
    return [(abs(times), inverted(voices, times)) for times in range(-count - count // 2, count + count // 2 + 1)]


def within(voices: Iterable[Voice]) -> list[Voice]:
    """The voices that lie in 0-127; each note once, as loud as its loudest."""
    found: dict[int, float] = {}
    for note, level in voices:
        if 0 <= note <= 127 and level > 0:
            found[note] = max(level, found.get(note, 0.0))
    return list(found.items())
