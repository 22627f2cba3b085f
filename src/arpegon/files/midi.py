"""MIDI files: clips that are read, and what is written."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from itertools import accumulate
from operator import attrgetter, itemgetter
from pathlib import Path

import msgspec

from arpegon.core.errors import FileError
from arpegon.core.events import NOTE_OFF, NOTE_ON, Event, from_bytes, note_off
from arpegon.core.notes.course import Course
from arpegon.core.notes.pairing import Pairing, note_key
from arpegon.core.notes.pressed import Pressed
from arpegon.core.theory.scales import Key
from arpegon.core.time.clock import TICKS, bar_beats
from arpegon.core.time.tempo_map import DEFAULT_TEMPO, TempoMap
from arpegon.files import smf
from arpegon.files.atomic import read_bytes, write_atomic

_FINEST_METER = 5
"""Of 32nds: as a meter event counts it, in halvings."""
_OVERHANG = 0.25
"""Beats past a bar line within which only ends of notes make no further bar."""


class Clip(msgspec.Struct, frozen=True):
    """Events at beats (quarter notes) in their ``time`` field, and a length in beats."""

    events: tuple[Event, ...]
    beats: float
    """A round of a loop; ends of notes may lie past it."""
    tempos: tuple[tuple[float, float], ...] = ()
    """Beat and tempo (quarter notes a minute) of every tempo event."""
    meters: tuple[tuple[float, tuple[int, int]], ...] = ()
    """Beat and meter of every meter event."""
    remark: str = ""
    """A sentence on what of the file could not be read, if anything could not."""

    @property
    def tempo_map(self) -> TempoMap:
        """Its own tempi."""
        return TempoMap(self.tempos)

    def seconds(self, tempo: float | None = None) -> list[Event]:
        """The events at seconds: at ``tempo``, or with the tempo events of the file."""
        own = TempoMap(((0.0, tempo),)) if tempo else self.tempo_map
        return [event.at(own.second_at(event.time)) for event in self.events]


MIDI_SUFFIXES = (".mid", ".midi", ".smf", ".kar")
"""The suffixes of MIDI files."""


def read_midi(path: Path, meter: tuple[int, int] = (4, 4)) -> Clip:
    """All tracks of a MIDI file, merged; its length is rounded up to whole bars.

    Notes that only end past a bar line, by a sixteenth at most, make it no longer: so end many loops. What never ends
    in the file, a pedal too, ends with it.

    Raises:
        FileError: it cannot be read or is no MIDI file.
    """
    return parse_midi(read_bytes(path, limit=64 * 2**20), path, meter)


def parse_midi(content: bytes, path: Path, meter: tuple[int, int] = (4, 4)) -> Clip:
    """What the bytes of a MIDI file hold (see :func:`read_midi`); ``path`` names it where something is wrong.

    Raises:
        FileError: it is no MIDI file.
    """
    try:
        found = smf.parse(content)
    except smf.NotMidi as why:
        raise FileError(f"“{path}” is not a MIDI file: {why}.") from None
    merged = _merged(found)
    if found.faults and not merged:
        raise FileError(f"“{path}” is a damaged MIDI file: nothing of it can be read.")
    # What counts its time in seconds is laid on beats at the tempo that holds where none is named.
    ticks_per_beat = found.ticks * 60.0 / DEFAULT_TEMPO if found.in_seconds else found.ticks
    events: list[Event] = []
    tempos: list[tuple[float, float]] = []
    meters: list[tuple[float, tuple[int, int]]] = []
    for tick, message in merged:
        beat = tick / ticks_per_beat
        if message[0] != smf.META:
            event = from_bytes(message, beat)
            if event is not None:
                events.append(event)
        elif message[1] == smf.METER and len(message) >= 4 and message[2] and message[3] <= _FINEST_METER:
            meters.append((beat, (message[2], 1 << message[3])))
        elif message[1] == smf.TEMPO and not found.in_seconds:
            microseconds = int.from_bytes(message[2:5]) if len(message) >= 5 else 0
            if microseconds:
                tempos.append((beat, 60_000_000 / microseconds))
            else:
                found.faults["a tempo that is none"] += 1
    events = in_turn(events)
    length = _length(found) / ticks_per_beat
    # Bars are those of the file, if it names a meter: a clip of three beats comes round after three, in any piece.
    start, meter = max((row for row in sorted(meters) if row[0] < length), key=itemgetter(0), default=(0.0, meter))
    bar = bar_beats(meter)
    bars = max(1, -(-round((length - start) * TICKS) // round(bar * TICKS)))
    line = start + (bars - 1) * bar
    if (
        bars > 1
        and length - line <= _OVERHANG
        and not any(event.kind == NOTE_ON and event.time >= line for event in events)
    ):
        bars -= 1
    down = Pressed()
    down.follow(events)
    events += down.release(max(length, start + bars * bar))
    return Clip(tuple(events), start + bars * bar, tuple(tempos), tuple(meters), _remark(path, found.faults))


def _merged(found: smf.Tracks) -> list[smf.TrackMessage]:
    """What stands in all tracks, in order of time."""
    if found.format != 2:
        return sorted((message for track in found.tracks for message in track), key=itemgetter(0))
    starts = accumulate(found.lengths, initial=0)
    return [
        (start + tick, message) for start, track in zip(starts, found.tracks, strict=False) for tick, message in track
    ]


def _length(found: smf.Tracks) -> int:
    return sum(found.lengths) if found.format == 2 else max(found.lengths)


def _remark(path: Path, faults: Counter[str]) -> str:
    if not faults:
        return ""
    said = ", ".join(what if count == 1 else f"{what} ({count} times)" for what, count in faults.items())
    return f"Not all of “{path.name}” could be read, as it is damaged: {said}."


def in_turn(events: Sequence[Event]) -> list[Event]:
    """Events in which ons and offs of each channel's notes come in turn, as one key can play them.

    Files pair them otherwise: a note's end may stand behind the next one's beginning at the same moment, and two voices
    may hold one note. First on, first off tells which end belongs to what: a note that begins while it sounds is struck
    anew, and sounds until the last of its ends; where several begin at one moment, the loudest is struck. Where a note
    has fewer ends than beginnings, the next beginning is one.
    """
    balance: Counter[int] = Counter()
    for event in events:
        if event.kind in (NOTE_ON, NOTE_OFF):
            balance[note_key(event)] += 1 if event.kind == NOTE_ON else -1
    waiting: Pairing[int] = Pairing()
    """Where the note ons that wait for their ends stand in what is found."""
    found: list[Event] = []
    for event in events:
        key = note_key(event)
        if event.kind == NOTE_ON:
            latest = waiting.latest(key)
            if latest is not None and found[latest].time == event.time:
                waiting.begin(key, latest)
                found[latest] = max(found[latest], event, key=_velocity)
                continue
            if latest is not None:
                found.append(note_off(event.time, event.channel, event.data1))
                if balance[key] > 0:
                    waiting.end(key)
            waiting.begin(key, len(found))
        elif event.kind == NOTE_OFF:
            waiting.end(key)
            if key in waiting:
                continue
        found.append(event)
    return found


_velocity = attrgetter("data2")


class Track(msgspec.Struct, frozen=True):
    """A track to be written: its name, its events, and the names of the port and instrument that it is for."""

    name: str
    events: Sequence[Event]
    port: str = ""
    instrument: str = ""


def format_song(tracks: Iterable[Track], course: Course, title: str = "", single: bool = False) -> bytes:
    """A MIDI file at 960 ticks a quarter: a track of tempi, meters, keys and markers, then ``tracks``.

    Events at one tick keep their order. Beats before zero are laid at zero.

    Args:
        tracks: with events at beats.
        course: the tempi and the like, over the same beats.
        single: all in one track (type 0), else each in its own (type 1).
    """
    head: list[smf.TrackMessage] = [(0, _text(smf.TRACK_NAME, title or "Arpegon"))]
    head += [(_tick(beat), _tempo_message(tempo)) for beat, tempo in course.tempi]
    head += [(_tick(beat), _meter_message(meter)) for beat, meter, _ in course.meters]
    head += [(_tick(beat), _key_message(key)) for beat, key in course.keys]
    head += [(_tick(beat), _text(smf.MARKER, name)) for beat, name in course.sections]
    head.sort(key=itemgetter(0))
    written = [head]
    for track in tracks:
        line: list[smf.TrackMessage] = [(0, _text(smf.TRACK_NAME, track.name))]
        line += [(0, _text(smf.INSTRUMENT, track.instrument))] if track.instrument else []
        line += [(0, _text(smf.DEVICE, track.port))] if track.port else []
        last = 0
        for event in sorted(track.events, key=attrgetter("time")):
            last = max(last, _tick(event.time))
            line.append((last, event.to_bytes()))
        written.append(line)
    if single:
        bare = [[message for message in line if message[1][0] != smf.META] for line in written[1:]]
        written = [sorted([*head, *(message for line in bare for message in line)], key=itemgetter(0))]
    return smf.format_smf(written, TICKS, 0 if single else 1)


def format_midi(tracks: Iterable[Track], tempo: float, meter: tuple[int, int] = (4, 4), title: str = "") -> bytes:
    """:func:`format_song` of ``tracks`` with events at seconds, at one tempo."""
    course = Course(tempi=((0.0, tempo),), meters=((0.0, meter, 1),))
    laid = [
        msgspec.structs.replace(track, events=[event.at(event.time * tempo / 60.0) for event in track.events])
        for track in tracks
    ]
    return format_song(laid, course, title)


def _tick(beat: float) -> int:
    return max(0, round(beat * TICKS))


def _meter_message(meter: tuple[int, int]) -> bytes:
    return bytes((smf.META, smf.METER, meter[0], meter[1].bit_length() - 1, 24, 8))


def _key_message(key: Key) -> bytes:
    sharps, minor = key.signature
    return bytes((smf.META, smf.KEY, sharps & 0xFF, minor))


def _tempo_message(bpm: float) -> bytes:
    microseconds = min(max(1, round(60_000_000 / bpm)), 0xFFFFFF)
    return bytes((smf.META, smf.TEMPO)) + microseconds.to_bytes(3)


def _text(kind: int, name: str) -> bytes:
    return bytes((smf.META, kind)) + name.encode("utf-8", "replace")


def write_song(path: Path, tracks: Iterable[Track], course: Course, title: str = "", single: bool = False) -> None:
    """Write :func:`format_song` to a file.

    Raises:
        FileError: it cannot be written; the file on disk is as it was.
    """
    write_atomic(path, format_song(tracks, course, title, single))


def write_midi(
    path: Path, tracks: Iterable[Track], tempo: float, meter: tuple[int, int] = (4, 4), title: str = ""
) -> None:
    """Write :func:`format_midi` to a file.

    Raises:
        FileError: it cannot be written; the file on disk is as it was.
    """
    write_atomic(path, format_midi(tracks, tempo, meter, title))
