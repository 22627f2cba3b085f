"""MIDI files: clips that are read, and what is written."""

from __future__ import annotations

import io
from bisect import bisect_right
from collections import Counter
from collections.abc import Iterable, Sequence
from operator import itemgetter
from pathlib import Path

import mido
import msgspec

from arpegon.core.errors import FileError
from arpegon.core.events import NOTE_OFF, NOTE_ON, Event, from_bytes, note_off
from arpegon.core.notes.pairing import Pairing, note_key
from arpegon.core.time.clock import TICKS, bar_beats
from arpegon.core.time.tempo_map import TempoMap
from arpegon.files.atomic import read_bytes, write_atomic

_OVERHANG = 0.25
"""Beats past a bar line within which only ends of notes make no further bar."""


class Clip(msgspec.Struct, frozen=True):
    """Events at beats (quarter notes) in their ``time`` field, and a length in beats."""

    events: tuple[Event, ...]
    beats: float
    """A round of a loop; ends of notes may lie past it."""
    tempos: tuple[tuple[float, float], ...] = ()
    """Beat and tempo (quarter notes a minute) of every tempo event."""

    @property
    def tempo_map(self) -> TempoMap:
        """Its own tempi."""
        return TempoMap(self.tempos)

    def seconds(self, tempo: float | None = None) -> list[Event]:
        """The events at seconds: at ``tempo``, or with the tempo events of the file."""
        own = TempoMap(((0.0, tempo),)) if tempo else self.tempo_map
        return [event.at(own.second_at(event.time)) for event in self.events]


def read_midi(path: Path, meter: tuple[int, int] = (4, 4)) -> Clip:
    """All tracks of a MIDI file, merged; its length is rounded up to whole bars.

    Notes that only end past a bar line, by a sixteenth at most, make it no longer: so end many loops.

    Raises:
        FileError: it cannot be read or is no MIDI file.
    """
    content = read_bytes(path, limit=64 * 2**20)
    if content[:4] == b"RIFF" and content[8:12] == b"RMID":
        content = content[content.find(b"MThd") :]
    if content[:4] != b"MThd":
        raise FileError(f"“{path}” is not a MIDI file: it does not begin with its mark “MThd”.")
    try:
        midi = mido.MidiFile(file=io.BytesIO(content), clip=True)
        if midi.ticks_per_beat <= 0:
            raise ValueError("it counts its time in film frames")
        merged = midi.merged_track
    except Exception as error:  # mido raises whatever the damage leads to
        what = str(error) or "it ends too early"
        raise FileError(f"“{path}” is a damaged MIDI file: {what.rstrip('.')}.") from None
    events: list[Event] = []
    tempos: list[tuple[float, float]] = []
    ticks = 0
    for message in merged:
        ticks += message.time
        beat = ticks / midi.ticks_per_beat
        if message.type == "set_tempo" and message.tempo > 0:
            tempos.append((beat, mido.tempo2bpm(message.tempo)))
        if message.is_meta:
            continue
        event = from_bytes(message.bytes(), beat)
        if event is not None:
            events.append(event)
    events = in_turn(events)
    bar = bar_beats(meter)
    length = ticks / midi.ticks_per_beat
    bars = max(1, -(-round(length * TICKS) // round(bar * TICKS)))
    line = (bars - 1) * bar
    if (
        bars > 1
        and length - line <= _OVERHANG
        and not any(event.kind == NOTE_ON and event.time >= line for event in events)
    ):
        bars -= 1
    return Clip(tuple(events), bars * bar, tuple(tempos))


def in_turn(events: Sequence[Event]) -> list[Event]:
    """Events in which ons and offs of each channel's notes come in turn, as one key can play them.

    Files pair them otherwise: a note's end may stand behind the next one's beginning at the same moment, and two voices
    may hold one note. First on, first off tells which end belongs to what: a note that begins while it sounds is struck
    anew, and sounds until the last of its ends. Where a note has fewer ends than beginnings, the next beginning is one.
    """
    balance: Counter[int] = Counter()
    for event in events:
        if event.kind in (NOTE_ON, NOTE_OFF):
            balance[note_key(event)] += 1 if event.kind == NOTE_ON else -1
    waiting: Pairing[Event] = Pairing()
    found: list[Event] = []
    for event in events:
        key = note_key(event)
        if event.kind == NOTE_ON:
            if key in waiting:
                found.append(note_off(event.time, event.channel, event.data1))
                if balance[key] > 0:
                    waiting.end(key)
            waiting.begin(key, event)
        elif event.kind == NOTE_OFF:
            waiting.end(key)
            if key in waiting:
                continue
        found.append(event)
    return found


class Track(msgspec.Struct, frozen=True):
    """A track to be written: its name, and events at seconds."""

    name: str
    events: Sequence[Event]


def format_midi(
    tracks: Iterable[Track],
    tempo: float,
    meter: tuple[int, int] = (4, 4),
    title: str = "",
    tempi: Sequence[tuple[float, float]] = (),
) -> bytes:
    """A type 1 file at 960 ticks a quarter: a tempo track, then ``tracks``.

    Events at one tick keep their order. Times before zero are laid at zero. ``tempi`` are other tempi than the first
    one, and from when, in seconds, they are.
    """
    midi = mido.MidiFile(type=1, ticks_per_beat=TICKS, charset="utf-8")
    head = mido.MidiTrack()
    head.append(mido.MetaMessage("track_name", name=title or "Arpegon", time=0))
    changes = _tempo_map(tempo, tempi)
    last = 0
    for _, tick, bpm in changes:
        head.append(mido.MetaMessage("set_tempo", tempo=round(60_000_000 / bpm), time=round(tick) - last))
        last = round(tick)
    head.insert(2, mido.MetaMessage("time_signature", numerator=meter[0], denominator=meter[1], time=0))
    midi.tracks.append(head)
    for track in tracks:
        line = mido.MidiTrack()
        line.append(mido.MetaMessage("track_name", name=track.name, time=0))
        last = 0
        for event in sorted(track.events, key=lambda event: event.time):
            start, first, bpm = changes[bisect_right(changes, event.time, lo=1, key=itemgetter(0)) - 1]
            tick = max(last, round(first + (event.time - start) * bpm / 60.0 * TICKS))
            line.append(mido.Message.from_bytes(event.to_bytes(), time=tick - last))
            last = tick
        midi.tracks.append(line)
    buffer = io.BytesIO()
    midi.save(file=buffer)
    return buffer.getvalue()


def _tempo_map(tempo: float, tempi: Sequence[tuple[float, float]]) -> list[tuple[float, float, float]]:
    """Each tempo with its first second and tick, in order of time."""
    found = [(0.0, 0.0, tempo)]
    for time, bpm in tempi:
        start, tick, before = found[-1]
        if time <= 0.0:
            found[-1] = (0.0, 0.0, bpm)
        elif bpm != before:
            found.append((time, tick + (time - start) * before / 60.0 * TICKS, bpm))
    return found


def write_midi(
    path: Path,
    tracks: Iterable[Track],
    tempo: float,
    meter: tuple[int, int] = (4, 4),
    title: str = "",
    tempi: Sequence[tuple[float, float]] = (),
) -> None:
    """Write :func:`format_midi` to a file.

    Raises:
        FileError: it cannot be written; the file on disk is as it was.
    """
    write_atomic(path, format_midi(tracks, tempo, meter, title, tempi))
