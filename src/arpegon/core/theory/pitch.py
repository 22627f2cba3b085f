"""Note names: reading them, and spelling pitches as a key asks.

Pitch classes are 0-11 from C. Spelling works on the line of fifths (... B♭ F C G D A E B F♯ ...),
where a name is a position: C is 0, G is 1, F is -1, and seven steps up add a sharp.
Source: the line-of-fifths model of tonal pitch (D. Temperley, "The Cognition of Basic Musical
Structures", 2001, ch. 5).
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence

from arpegon.core.errors import ParameterError, shown

_LETTERS = "FCGDAEB"
_NATURAL = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
_SCALE_LETTERS = "CDEFGAB"
_NAME = re.compile(r"\s*([A-Ga-g])([#♯b♭]{0,2})\s*(-?\d{1,3})?\s*", re.ASCII)
_NUMBER = re.compile(r"\s*-?\d{1,4}\s*", re.ASCII)
_ACCIDENTALS = {"#": 1, "♯": 1, "b": -1, "♭": -1}


def _split(text: str) -> tuple[str, int, str | None]:
    found = _NAME.fullmatch(text)
    if not found:
        raise ParameterError(f"{shown(text)} is not a note name; write a letter A to G, ♯ or ♭, as in E♭ or F#3.")
    letter, accidentals, octave = found.groups()
    return letter.upper(), sum(_ACCIDENTALS[sign] for sign in accidentals), octave


def parse_pitch_class(text: str) -> int:
    """The pitch class (0-11) of a name without octave, e.g. ``"E♭"`` or ``"Eb"``.

    Raises:
        ParameterError: the text is no such name.
    """
    letter, shift, octave = _split(text)
    if octave is not None:
        raise ParameterError(f"“{text}” has an octave; a pitch class is written without one, as in E♭.")
    return (_NATURAL[letter] + shift) % 12


def parse_note(value: str | int, middle_c: int = 4) -> int:
    """A MIDI note number (0-127) from a number or a name such as ``"F#3"``.

    Args:
        middle_c: the octave in which note 60 is written.

    Raises:
        ParameterError: the text is no note, or the note lies outside 0-127.
    """
    if isinstance(value, bool) or not isinstance(value, (int, str)):
        raise ParameterError(f"{shown(value)} is not a note; write a name such as C4 or a number from 0 to 127.")
    if isinstance(value, int) or _NUMBER.fullmatch(value):
        note = int(value)
    else:
        letter, shift, octave = _split(value)
        if octave is None:
            raise ParameterError(f"“{value}” lacks its octave; write it as in {value.strip()}4.")
        note = _NATURAL[letter] + shift + 12 * (int(octave) + 5 - middle_c)
    if not 0 <= note <= 127:
        raise ParameterError(f"The note {value} lies outside the range of MIDI (0 to 127).")
    return note


def fifths_of(name: str) -> int:
    """The place of a pitch-class name on the line of fifths (C is 0, G is 1, F is -1)."""
    letter, shift, _ = _split(name)
    return _LETTERS.index(letter) - 1 + 7 * shift


def name_at(fifths: int) -> str:
    """The pitch-class name at a place on the line of fifths, with ♯ and ♭."""
    letter = _LETTERS[(fifths + 1) % 7]
    shift = (fifths + 1) // 7
    return letter + ("♯" * shift if shift > 0 else "♭" * -shift)


def spell_scale(root: str, intervals: Sequence[int]) -> tuple[str, ...]:
    """Spell all twelve pitch classes for a key.

    Scales of seven notes use each letter once, from the root's letter on. Other scales, and the notes
    outside any scale, take the name that lies nearest on the line of fifths; white keys outside the scale
    stay plain.

    Args:
        root: the tonic's name, e.g. ``"B♭"``; its letter decides the letters of the scale.
        intervals: semitones above the root, rising, within one octave.

    Returns:
        Twelve names, index 0 for pitch class C.
    """
    letter, shift, _ = _split(root)
    tonic = (_NATURAL[letter] + shift) % 12
    places: dict[int, int] = {}
    if len(intervals) == 7:
        start = _SCALE_LETTERS.index(letter)
        for degree, interval in enumerate(intervals):
            degree_letter = _SCALE_LETTERS[(start + degree) % 7]
            pitch_class = (tonic + interval) % 12
            sharps = (pitch_class - _NATURAL[degree_letter] + 6) % 12 - 6
            places[pitch_class] = _LETTERS.index(degree_letter) - 1 + 7 * sharps
    else:
        home = fifths_of(root) + (-3 if 4 not in intervals and 3 in intervals else 0)
        for interval in intervals:
            pitch_class = (tonic + interval) % 12
            places[pitch_class] = _nearest_place(pitch_class, home)
    centre = round(sum(places.values()) / len(places)) - 2
    names = []
    for pitch_class in range(12):
        if pitch_class in places:
            names.append(name_at(places[pitch_class]))
        elif pitch_class in _NATURAL.values():
            names.append(next(name for name, value in _NATURAL.items() if value == pitch_class))
        else:
            names.append(name_at(_nearest_place(pitch_class, centre)))
    return tuple(names)


def _nearest_place(pitch_class: int, home: int) -> int:
    """The one place for a pitch class among the twelve from three below to eight above ``home``."""
    place = pitch_class * 7 % 12
    while place < home - 3:
        place += 12
    while place > home + 8:
        place -= 12
    return place


SHARP_NAMES = spell_scale("C", (0, 2, 4, 5, 7, 9, 11))


def note_name(note: int, names: Sequence[str] = SHARP_NAMES, middle_c: int = 4) -> str:
    """The name of a MIDI note, e.g. ``"E♭4"``; the octave follows the letter (C♭4 is B3's neighbour)."""
    name = names[note % 12]
    letter_octave = (note - (_NATURAL[name[0]] + name.count("♯") - name.count("♭"))) // 12
    return f"{name}{letter_octave - 5 + middle_c}"


class _Writing:
    """How notes are written where people read them; in files middle C is always C4."""

    middle_c = 4


def write_middle_c_as(octave: int) -> None:
    """From now on write note 60 as the C of this octave (3 or 4) wherever people read notes."""
    _Writing.middle_c = octave


def written(note: int, names: Sequence[str] = SHARP_NAMES) -> str:
    """The name of a MIDI note as people want to read it (see :func:`write_middle_c_as`)."""
    return note_name(note, names, _Writing.middle_c)


def read_written(text: str) -> int:
    """The MIDI note of a name or number that somebody typed.

    Raises:
        ParameterError: the text is no note, or the note lies outside 0-127.
    """
    return parse_note(text.strip(), _Writing.middle_c)


def ascii_name(name: str) -> str:
    """A name as it stands in files: ``"E♭"`` becomes ``"Eb"``."""
    return name.replace("♯", "#").replace("♭", "b")


def pretty_name(name: str) -> str:
    """A name as it stands on screen: ``"Eb"`` becomes ``"E♭"``."""
    return name[:1].upper() + name[1:].replace("#", "♯").replace("b", "♭")


def note_hz(note: float) -> float:
    """The frequency of a note number in equal temperament, A4 (69) at 440 Hz."""
    return 440.0 * math.pow(2.0, (note - 69.0) / 12.0)


def hz_note(hz: float) -> float:
    """The note number of a frequency above 0; the fraction is in semitones."""
    return 69.0 + 12.0 * math.log2(hz / 440.0)
