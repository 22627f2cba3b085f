"""Scales as semitones above their root, and the key of a project."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import Any

import msgspec

from arpegon.core.theory.pitch import parse_pitch_class, pretty_name, spell_scale


class Scale(msgspec.Struct, frozen=True):
    """A scale: its name in files, its label on screen, its intervals (rising, from 0, below 12)."""

    name: str
    label: str
    intervals: tuple[int, ...]


def _table(*rows: tuple[str, str, tuple[int, ...]]) -> dict[str, Scale]:
    return {name: Scale(name, label, intervals) for name, label, intervals in rows}


SCALES = _table(
    ("ionian", "major (ionian)", (0, 2, 4, 5, 7, 9, 11)),
    ("dorian", "dorian", (0, 2, 3, 5, 7, 9, 10)),
    ("phrygian", "phrygian", (0, 1, 3, 5, 7, 8, 10)),
    ("lydian", "lydian", (0, 2, 4, 6, 7, 9, 11)),
    ("mixolydian", "mixolydian", (0, 2, 4, 5, 7, 9, 10)),
    ("aeolian", "minor (aeolian)", (0, 2, 3, 5, 7, 8, 10)),
    ("locrian", "locrian", (0, 1, 3, 5, 6, 8, 10)),
    ("harmonic-minor", "harmonic minor", (0, 2, 3, 5, 7, 8, 11)),
    ("melodic-minor", "melodic minor", (0, 2, 3, 5, 7, 9, 11)),
    ("major-pentatonic", "major pentatonic", (0, 2, 4, 7, 9)),
    ("minor-pentatonic", "minor pentatonic", (0, 3, 5, 7, 10)),
    ("blues", "blues", (0, 3, 5, 6, 7, 10)),
    ("whole-tone", "whole tone", (0, 2, 4, 6, 8, 10)),
    ("diminished-whole-half", "diminished, whole first", (0, 2, 3, 5, 6, 8, 9, 11)),
    ("diminished-half-whole", "diminished, half first", (0, 1, 3, 4, 6, 7, 9, 10)),
    ("augmented", "augmented", (0, 3, 4, 7, 8, 11)),
    ("harmonic-major", "harmonic major", (0, 2, 4, 5, 7, 8, 11)),
    ("double-harmonic", "double harmonic", (0, 1, 4, 5, 7, 8, 11)),
    ("phrygian-dominant", "phrygian dominant", (0, 1, 4, 5, 7, 8, 10)),
    ("lydian-dominant", "lydian dominant", (0, 2, 4, 6, 7, 9, 10)),
    ("altered", "altered", (0, 1, 3, 4, 6, 8, 10)),
    ("hungarian-minor", "Hungarian minor", (0, 2, 3, 6, 7, 8, 11)),
    ("neapolitan-minor", "Neapolitan minor", (0, 1, 3, 5, 7, 8, 11)),
    ("neapolitan-major", "Neapolitan major", (0, 1, 3, 5, 7, 9, 11)),
    ("chromatic", "chromatic", tuple(range(12))),
)

ALIASES = {"major": "ionian", "minor": "aeolian", "natural-minor": "aeolian"}


_MAJOR = (0, 2, 4, 5, 7, 9, 11)


class Key(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A tonic and a scale, as in files: ``{"root": "D", "scale": "dorian"}``."""

    root: str = "C"
    scale: str = "ionian"

    @property
    def tonic(self) -> int:
        """The pitch class of the root."""
        return parse_pitch_class(self.root)

    @property
    def intervals(self) -> tuple[int, ...]:
        """Semitones above the root."""
        return SCALES[self.scale].intervals

    @property
    def pitch_classes(self) -> frozenset[int]:
        """The pitch classes of the scale."""
        return pitch_classes(self.root, self.scale)

    @property
    def names(self) -> tuple[str, ...]:
        """All twelve pitch classes, spelled for this key."""
        return spelled(self.root, self.scale)

    @property
    def signature(self) -> tuple[int, bool]:
        """Sharps (below 0: flats) of its signature, -7 ... 7, and whether it is minor.

        That of the mode that the scale is, or else of the nearest one of major and minor on its root.
        """
        minor = 3 in self.intervals and 4 not in self.intervals
        modes = (tonic for tonic in range(12) if self.pitch_classes <= {(tonic + step) % 12 for step in _MAJOR})
        near = (self.tonic + 3) % 12 if minor else self.tonic
        major = min(modes, key=lambda tonic: (tonic != near, tonic), default=near)
        sharps = (major * 7) % 12
        flat = "b" in self.root or "♭" in self.root or (sharps > 6 and "#" not in self.root and "♯" not in self.root)
        return (sharps - 12 if flat and sharps else sharps if sharps <= 7 else sharps - 12), minor

    @property
    def label(self) -> str:
        """The key as it is said: ``"E♭ dorian"``."""
        return f"{pretty_name(self.root)} {SCALES[self.scale].label.split(' (')[0]}"


def stage_key(values: Mapping[str, Any], project: Key) -> Key:
    """The key in which a stage works that has ``follow_key``, ``root`` and ``scale`` among its parameters."""
    return project if values["follow_key"] else Key(values["root"], values["scale"])


@lru_cache(maxsize=512)
def pitch_classes(root: str, scale: str) -> frozenset[int]:
    """The pitch classes (0-11) of a scale on a root."""
    tonic = parse_pitch_class(root)
    return frozenset((tonic + interval) % 12 for interval in SCALES[scale].intervals)


@lru_cache(maxsize=512)
def spelled(root: str, scale: str) -> tuple[str, ...]:
    """The twelve pitch-class names for a scale on a root (see :func:`~arpegon.core.theory.pitch.spell_scale`)."""
    return spell_scale(root, SCALES[scale].intervals)
