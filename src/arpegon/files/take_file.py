"""MIDI files as takes."""

from __future__ import annotations

from pathlib import Path

from arpegon.core.notes.course import Course
from arpegon.core.notes.sheet import Sheet
from arpegon.core.notes.takes import Take, TakePart
from arpegon.core.time.clock import bar_beats
from arpegon.files.midi import Clip, read_midi

_NEAR = 1e-6


def read_take(path: Path, take_id: str, name: str, strand: tuple[str, str]) -> tuple[Take, str]:
    """A MIDI file as a take of one strand, both as played and as generated, with its tempi and meters.

    Args:
        strand: the id and name of the strand to which it belongs.

    Returns:
        The take, and a sentence on what of the file could not be read (empty: all could).

    Raises:
        FileError: it is no MIDI file.
    """
    clip = read_midi(path)
    events = Sheet.of(clip.events, clip.beats).events()
    part = TakePart(strand=strand[0], name=strand[1], played=events, generated=events)
    return Take(id=take_id, name=name, beats=clip.beats, course=course_of_clip(clip), parts=(part,)), clip.remark


def course_of_clip(clip: Clip) -> Course:
    """The course of time that a file says: its tempi and meters."""
    tempi = dict(clip.tempos)
    first = [bpm for beat, bpm in clip.tempos if beat <= _NEAR] or [120.0]
    rows: list[tuple[float, tuple[int, int], int]] = [(0.0, (4, 4), 1)]
    for beat, meter in clip.meters:
        start, before, number = rows[-1]
        bar = number + max(0, round((beat - start) / bar_beats(before)))
        if beat <= start + _NEAR:
            rows.pop()
            bar = number
        rows.append((beat if rows else 0.0, meter, bar))
    later = sorted((beat, min(1000.0, max(1.0, bpm))) for beat, bpm in tempi.items() if beat > _NEAR)
    return Course(tempi=((0.0, min(1000.0, max(1.0, first[-1]))), *later), meters=tuple(rows), tied=True)
