"""Names of chords, and of intervals."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from arpegon.core.theory.pitch import SHARP_NAMES

# Intervals above the root -> suffix. Richer chords first: the first full match with the best score wins.
QUALITIES: dict[frozenset[int], str] = {
    frozenset(intervals): suffix
    for suffix, intervals in (
        ("", (0, 4, 7)),
        ("m", (0, 3, 7)),
        ("dim", (0, 3, 6)),
        ("aug", (0, 4, 8)),
        ("sus2", (0, 2, 7)),
        ("sus4", (0, 5, 7)),
        ("5", (0, 7)),
        ("6", (0, 4, 7, 9)),
        ("m6", (0, 3, 7, 9)),
        ("7", (0, 4, 7, 10)),
        ("maj7", (0, 4, 7, 11)),
        ("m7", (0, 3, 7, 10)),
        ("m(maj7)", (0, 3, 7, 11)),
        ("m7♭5", (0, 3, 6, 10)),
        ("dim7", (0, 3, 6, 9)),
        ("aug7", (0, 4, 8, 10)),
        ("maj7♯5", (0, 4, 8, 11)),
        ("7♭5", (0, 4, 6, 10)),
        ("7sus4", (0, 5, 7, 10)),
        ("add9", (0, 2, 4, 7)),
        ("m(add9)", (0, 2, 3, 7)),
        ("6/9", (0, 2, 4, 7, 9)),
        ("m6/9", (0, 2, 3, 7, 9)),
        ("9", (0, 2, 4, 7, 10)),
        ("maj9", (0, 2, 4, 7, 11)),
        ("m9", (0, 2, 3, 7, 10)),
        ("9sus4", (0, 2, 5, 7, 10)),
        ("7♭9", (0, 1, 4, 7, 10)),
        ("7♯9", (0, 3, 4, 7, 10)),
        ("11", (0, 2, 4, 5, 7, 10)),
        ("m11", (0, 2, 3, 5, 7, 10)),
        ("maj7♯11", (0, 4, 6, 7, 11)),
        ("13", (0, 2, 4, 7, 9, 10)),
        ("m13", (0, 2, 3, 7, 9, 10)),
        # Without their fifth, as they are often played.
        ("7", (0, 4, 10)),
        ("maj7", (0, 4, 11)),
        ("m7", (0, 3, 10)),
        ("9", (0, 2, 4, 10)),
        ("m9", (0, 2, 3, 10)),
    )
}

_INTERVALS = (
    "unison",
    "minor second",
    "second",
    "minor third",
    "third",
    "fourth",
    "tritone",
    "fifth",
    "minor sixth",
    "sixth",
    "minor seventh",
    "seventh",
)
_COMPOUND = {12: "octave", 13: "minor ninth", 14: "ninth", 24: "two octaves", 36: "three octaves"}


def _file_name(suffix: str) -> str:
    return suffix.replace("♭", "b").replace("♯", "#") or "major"


CHORD_TYPES: dict[str, tuple[int, ...]] = {}
"""Chords by their name in files (``"major"``, ``"m7b5"``): semitones above the root, rising."""
for _intervals, _suffix in QUALITIES.items():
    CHORD_TYPES.setdefault(_file_name(_suffix), tuple(sorted(_intervals)))

TYPE_LABELS = {name: "major" if name == "major" else name.replace("b", "♭").replace("#", "♯") for name in CHORD_TYPES}
"""Their names on screen; “major” stands for the bare root."""

STACKS: dict[str, tuple[int, ...]] = {
    "fifth": (0, 4),
    "triad": (0, 2, 4),
    "sus2": (0, 1, 4),
    "sus4": (0, 3, 4),
    "sixth": (0, 2, 4, 5),
    "seventh": (0, 2, 4, 6),
    "ninth": (0, 2, 4, 6, 8),
}
"""Chords within a key, as steps of its scale above the degree on which they stand."""


def stacked(intervals: Sequence[int], degree: int, stack: str) -> list[int]:
    """A chord on a degree of a scale: semitones above the tonic.

    Args:
        intervals: the scale, as semitones above its tonic.
        degree: the step on which the chord stands, 0 for the tonic; it may leave the octave.
        stack: a name in :data:`STACKS`.
    """
    count = len(intervals)
    steps = (degree + step for step in STACKS[stack])
    return [12 * (step // count) + intervals[step % count] for step in steps]


def chord_name(notes: Iterable[int], names: Sequence[str] = SHARP_NAMES) -> str | None:
    """The name of a chord, e.g. ``"Dm7/F"``.

    The bass is tried as the root first; where another root fits, the bass follows the slash.

    Args:
        notes: MIDI notes, any order.
        names: the twelve pitch-class names of the key (see :attr:`arpegon.core.theory.scales.Key.names`).

    Returns:
        The name; for one pitch class its note name; ``None`` where no known quality fits.
    """
    ordered = sorted(set(notes))
    if not ordered:
        return None
    bass = ordered[0] % 12
    classes = {note % 12 for note in ordered}
    if len(classes) == 1:
        return names[bass]
    found: list[str] = []
    roots = [bass, *sorted(classes - {bass}, key=lambda pitch_class: (pitch_class - bass) % 12)]
    for root in roots:
        suffix = QUALITIES.get(frozenset((pitch_class - root) % 12 for pitch_class in classes))
        if suffix is not None:
            slash = "" if root == bass else f"/{names[bass]}"
            found.append(f"{names[root]}{suffix}{slash}")
            # F A C D is a sixth chord with its sixth on top; with the D further down it is heard as Dm7/F.
            if suffix not in ("6", "m6") or ordered[-1] % 12 == (root + 9) % 12:
                return found[-1]
    return found[0] if found else None


def interval_name(semitones: int) -> str:
    """An offset in words: ``3`` is "minor third", ``-12`` "low octave", ``16`` "third + octave"."""
    size = abs(semitones)
    if size in _COMPOUND:
        name = _COMPOUND[size]
    else:
        octaves, rest = divmod(size, 12)
        name = _INTERVALS[rest]
        if octaves:
            name += " + octave" if octaves == 1 else f" + {octaves} octaves"
    return f"low {name}" if semitones < 0 else name
