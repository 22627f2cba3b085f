"""Scores: a version of a take as MusicXML, for programs that set music on paper."""

from __future__ import annotations

import tempfile
import warnings
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

import msgspec

from arpegon.core.notes.course import Course
from arpegon.core.notes.sheet import Note, Sheet
from arpegon.core.theory.scales import Key
from arpegon.core.time.clock import bar_beats
from arpegon.core.time.rhythm import beats_of
from arpegon.files.atomic import read_bytes, write_atomic

SCORES = (".musicxml", ".xml")
"""The suffixes of scores."""
_DIVISIONS = 96
"""Of a quarter note: 64ths and their triplets are whole."""
_MOST_VOICES = 4
_MIDDLE = 60
_ALTERS = {"♭": -1, "b": -1, "♯": 1, "#": 1}


class ScorePart(msgspec.Struct, frozen=True):
    """One part of a score: its name, and its notes."""

    name: str
    sheet: Sheet


class _Laid(msgspec.Struct):
    """A note in divisions, on a staff and in a voice."""

    start: int
    end: int
    note: int
    staff: int = 1
    voice: int = 1


def write_score(path: Path, lines: Iterable[ScorePart], course: Course, grid: str, title: str) -> None:
    """Write a score. Beginnings and ends lie on the lines of a grid; notes are spelled for the key that holds.

    Args:
        lines: what is written, each on one staff, or on two where it goes above and below the middle.
        grid: a note value.

    Raises:
        FileError: it cannot be written; the file on disk is as it was.
    """
    import partitura as pt  # which takes its time to be imported

    parts = [_part(line, course, grid, number) for number, line in enumerate(lines, start=1)]
    score = pt.score.Score(parts, title=title)
    with tempfile.TemporaryDirectory() as folder:
        made = Path(folder) / "score.musicxml"
        pt.save_musicxml(score, str(made))
        write_atomic(path, read_bytes(made))


def _part(line: ScorePart, course: Course, grid: str, number: int) -> Any:
    import partitura as pt

    part = pt.score.Part(f"P{number}", line.name, quarter_duration=_DIVISIONS)
    for beat, meter, _ in course.meters:
        part.add(pt.score.TimeSignature(*meter), _division(beat))
    for beat, key in course.keys or ((0.0, Key()),):
        sharps, minor = key.signature
        part.add(pt.score.KeySignature(sharps, "minor" if minor else "major"), _division(beat))
    for beat, tempo in course.tempi if number == 1 else ():
        part.add(pt.score.Tempo(round(tempo, 2), "q"), _division(beat))
    laid = laid_out(line.sheet.notes, course, grid)
    two = any(one.staff == 2 for one in laid)
    part.add(pt.score.Clef(1, "G", 2, 0), 0)
    if two:
        part.add(pt.score.Clef(2, "F", 4, 0), 0)
    for place, one in enumerate(laid):
        step, octave, alter = spelled(one.note, course.key_at(one.start / _DIVISIONS))
        note = pt.score.Note(step, octave, alter, id=f"n{number}-{place}", voice=one.voice, staff=one.staff)
        part.add(note, one.start, one.end)
    if not laid:
        part.add(pt.score.Rest(id=f"r{number}", voice=1, staff=1), 0, _division(bar_beats(course.meters[0][1])))
    _, begun, length = course.bar_at((max((one.end for one in laid), default=1) - 1) / _DIVISIONS)
    part.get_or_add_point(_division(begun + length))  # the last bar is whole, too
    pt.score.add_measures(part)
    pt.score.tie_notes(part)
    for note in list(part.iter_all(pt.score.Note)):
        _tie(part, note, _written(note.start.t, note.end.t))
    for staff in (1, 2) if two else (1,):
        _fill_with_rests(part, staff, 1 if staff == 1 else 1 + _MOST_VOICES)
    return part


def _fill_with_rests(part: Any, staff: int, voice: int) -> None:
    """Let the first voice of a staff fill every bar: what is silent in it are rests."""
    import partitura as pt

    sounding = sorted(
        {
            (one.start.t, one.end.t)
            for one in part.iter_all(pt.score.GenericNote, include_subclasses=True)
            if one.voice == voice
        }
    )
    for measure in list(part.iter_all(pt.score.Measure)):
        at = measure.start.t
        inside = [(start, end) for start, end in sounding if measure.start.t <= start < measure.end.t]
        for start, end in [*inside, (measure.end.t, measure.end.t)]:
            for begin, until, value in _written(at, start) if start > at else ():
                rest = pt.score.Rest(id=f"r{staff}-{begin}", voice=voice, staff=staff, symbolic_duration=value)
                part.add(rest, begin, until)
            at = max(at, end)


def _tie(part: Any, note: Any, lengths: Sequence[tuple[int, int, dict[str, Any]]]) -> None:
    """Write a note as several that are tied: the library leaves one that has no note value as it is."""
    import partitura as pt

    last, after = note, note.tie_next
    for place, (begin, until, value) in enumerate(lengths):
        if not place:
            part.remove(note, "end")
            part.add(note, None, until)
            note.symbolic_duration = value
            continue
        one = pt.score.Note(note.step, note.octave, note.alter, id=f"{note.id}t{place}", voice=note.voice)
        one.staff, one.symbolic_duration = note.staff, value
        part.add(one, begin, until)
        last.tie_next, one.tie_prev = one, last
        last = one
    if after is not None:
        last.tie_next, after.tie_prev = after, last


def _written(start: int, end: int) -> list[tuple[int, int, dict[str, Any]]]:
    """Split a length into parts that have a note value, each with its divisions and that value.

    Five sixteenths are a quarter tied to a sixteenth.
    """
    import partitura as pt

    with warnings.catch_warnings(action="ignore"):  # of lengths that have no value of their own
        value = pt.utils.estimate_symbolic_duration(end - start, _DIVISIONS)
        if value:
            return [(start, end, value)]
        return pt.utils.music.find_tie_split(start, end, _DIVISIONS) or [(start, end, {})]


def laid_out(notes: Sequence[Note], course: Course, grid: str) -> list[_Laid]:
    """Notes on the lines of a grid, in divisions, with their staves and voices: what overlaps stands in voices of its
    own, what begins and ends together in one."""
    found: dict[tuple[int, int], _Laid] = {}
    for note in notes:
        origin, meter, _ = course.meter_at(note.start)
        step = beats_of(grid, meter)
        start = origin + round((note.start - origin) / step) * step
        end = max(start + step, origin + round((note.end - origin) / step) * step)
        one = _Laid(_division(start), _division(end), note.note)
        known = found.get((one.start, one.note))
        if known is None or known.end < one.end:
            found[one.start, one.note] = one
    laid = sorted(found.values(), key=lambda one: (one.start, one.note))
    if any(one.note < _MIDDLE - 5 for one in laid) and any(one.note >= _MIDDLE for one in laid):
        for one in laid:
            one.staff = 2 if one.note < _MIDDLE else 1
    for staff in (1, 2):
        _give_voices([one for one in laid if one.staff == staff], first=1 if staff == 1 else 1 + _MOST_VOICES)
    return laid


def _give_voices(laid: Sequence[_Laid], first: int) -> None:
    """Give notes voices; one that finds none free ends what is in its way."""
    last: list[list[_Laid]] = []
    for one in laid:
        for voice, chord in enumerate(last):
            together = chord[0].start == one.start and chord[0].end == one.end
            if together or chord[0].end <= one.start:
                last[voice] = [*chord, one] if together else [one]
                one.voice = first + voice
                break
        else:
            if len(last) < _MOST_VOICES:
                last.append([one])
                one.voice = first + len(last) - 1
                continue
            voice = min(range(_MOST_VOICES), key=lambda place: last[place][0].end)
            if last[voice][0].start == one.start:
                one.end = last[voice][0].end
                last[voice].append(one)
            else:
                for other in last[voice]:
                    other.end = one.start
                last[voice] = [one]
            one.voice = first + voice


def spelled(note: int, key: Key) -> tuple[str, int, int]:
    """The step, octave and alteration of a note in a key.

    >>> spelled(63, Key("Eb", "ionian")), spelled(63, Key("E", "ionian")), spelled(59, Key("Cb", "ionian"))
    (('E', 4, -1), ('D', 4, 1), ('C', 4, -1))
    """
    name = key.names[note % 12]
    alter = sum(_ALTERS.get(sign, 2 if sign == "𝄪" else -2 if sign == "𝄫" else 0) for sign in name[1:])
    return name[0], (note - alter) // 12 - 1, alter


def _division(beat: float) -> int:
    return max(0, round(beat * _DIVISIONS))
