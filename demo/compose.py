"""Writes the clips of the demo project, music for the radio play "The Lamplighter's Tide".

Eight bars in D dorian, one chord a bar: Dm Am G Dm F C G Am. Everything is struck with one velocity, as a
simple keyboard would, and the bells stray outside the key: the stages of the demo mend both.

    python demo/compose.py src/arpegon/data/demo
"""

from __future__ import annotations

import sys
from pathlib import Path

from arpegon.core.events import Event, control, note_off, note_on
from arpegon.core.theory.pitch import parse_note
from arpegon.files.midi import Track, write_midi

TEMPO = 96.0
SECONDS = 60.0 / TEMPO

# One line a bar; each word is note:beats, "-" rests. The lamplighter climbs, the tide comes in.
BELLS = """
A4:1 D5:1 E5:.5 F5:1.5
E5:1 C5:1 A4:2
G4:1 B4:.5 C#5:.5 D5:2
-:1 D5:.5 C5:.5 A4:2
F4:1 A4:1 C5:.5 D#5:.5 F5:1
E5:1.5 G4:.5 C5:2
D5:1 B4:.5 A#4:.5 B4:1 G4:1
A4:3 -:1
"""
CHORDS = [
    "D3 A3 D4 F4",
    "A2 E3 A3 C4",
    "G2 D3 G3 B3",
    "D3 A3 D4 F4",
    "F2 C3 F3 A3",
    "C3 G3 C4 E4",
    "G2 D3 G3 B3",
    "A2 E3 A3 C4",
]
ROOTS = ["D2", "A1", "G1", "D2", "F1", "C2", "G1", "A1"]


def melody(text: str, velocity: int) -> list[tuple[float, float, int, int]]:
    """(beat, length, note, velocity) of words like ``A4:1.5``."""
    notes, beat = [], 0.0
    for word in text.split():
        name, _, beats = word.partition(":")
        if name != "-":
            notes.append((beat, float(beats) * 0.9, parse_note(name), velocity))
        beat += float(beats)
    return notes


def broken_chords(velocity: int) -> list[tuple[float, float, int, int]]:
    """Eighths through each bar's chord and back."""
    notes = []
    for bar, names in enumerate(CHORDS):
        chord = [parse_note(name) for name in names.split()]
        for eighth, voice in enumerate((0, 1, 2, 3, 2, 1, 2, 3)):
            notes.append((bar * 4 + eighth / 2, 0.45, chord[voice], velocity))
    return notes


def steps(velocity: int) -> list[tuple[float, float, int, int]]:
    """Feet on a deck: root, root, fifth, octave, in an uneven gait."""
    notes = []
    for bar, name in enumerate(ROOTS):
        root = parse_note(name)
        for beat, length, offset in ((0, 0.9, 0), (1.5, 0.4, 0), (2, 0.9, 7), (3, 0.4, 12), (3.5, 0.4, 7)):
            notes.append((bar * 4 + beat, length, root + offset, velocity))
    return notes


def fog(velocity: int) -> list[tuple[float, float, int, int]]:
    """One finger: the root of each bar, held; the strand makes the chords of the key of it."""
    return [(bar * 4, 3.6, parse_note(name) + 24, velocity) for bar, name in enumerate(ROOTS)]


def swell(bars: int) -> list[tuple[float, Event]]:
    """Expression that comes and goes like water, once every four bars."""
    wave = []
    for step in range(bars * 8):
        place = step / 16 % 2
        height = place if place < 1 else 2 - place
        wave.append((step / 2, control(0.0, 0, 11, 70 + round(57 * height))))
    return wave


def events(notes: list[tuple[float, float, int, int]], more: list[tuple[float, Event]] = []) -> list[Event]:  # noqa: B006
    """All as events at seconds."""
    found = [event.at(beat * SECONDS) for beat, event in more]
    for beat, length, note, velocity in notes:
        found.append(note_on(beat * SECONDS, 0, note, velocity))
        found.append(note_off((beat + length) * SECONDS, 0, note))
    return sorted(found, key=lambda event: (event.time, event.kind != 0x80))


def main(folder: Path) -> None:
    """Write the four clips."""
    clips = {
        "harbour-bells": events(melody(BELLS, 100), swell(8)),
        "lamp-room": events(broken_chords(80)),
        "deck-steps": events(steps(96)),
        "fog-bank": events(fog(90)),
    }
    for name, line in clips.items():
        write_midi(folder / f"{name}.mid", [Track(name.replace("-", " "), line)], TEMPO)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
