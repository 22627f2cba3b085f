"""What a take holds on the clipboard, as a MIDI file: other programs and other takes can paste it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path

import msgspec
from PyQt6.QtCore import QMimeData
from PyQt6.QtWidgets import QApplication

from arpegon.core.errors import ArpegonError
from arpegon.core.events import Event
from arpegon.core.notes.course import Course
from arpegon.core.notes.sheet import Note, Sheet
from arpegon.files.midi import Track, format_song, parse_midi

MIDI = "audio/midi"
KINDS = (MIDI, "audio/x-midi", "audio/mid")
"""How programs call a MIDI file that is copied or dragged."""


def mime_of(events: Sequence[Event], course: Course, name: str) -> QMimeData:
    """Events at beats as a MIDI file with their course."""
    data = QMimeData()
    data.setData(MIDI, format_song([Track(name, events)], course, name))
    return data


def mime_of_notes(notes: Iterable[Note], course: Course, name: str) -> QMimeData:
    """Notes as a MIDI file that begins with the first of them."""
    some = list(notes)
    begin = min((note.start for note in some), default=0.0)
    laid = [msgspec.structs.replace(note, start=note.start - begin, end=note.end - begin) for note in some]
    meter = course.meter_at(begin)[1]
    there = Course(
        tempi=((0.0, course.tempo_at(begin)),), meters=((0.0, meter, 1),), keys=((0.0, course.key_at(begin)),)
    )
    return mime_of(Sheet(tuple(laid)).events(), there, name)


def copy(data: QMimeData) -> None:
    """Put something on the clipboard."""
    clipboard = QApplication.clipboard()
    if clipboard is not None:
        clipboard.setMimeData(data)


def pasted() -> Sheet | None:
    """What lies on the clipboard as MIDI, from beat 0 on; ``None`` where there is none.

    Raises:
        ArpegonError: what lies there as MIDI cannot be read.
    """
    clipboard = QApplication.clipboard()
    data = clipboard.mimeData() if clipboard is not None else None
    return sheet_in(data) if data is not None else None


def bytes_in(data: QMimeData) -> bytes:
    """The MIDI file that data holds; empty: none."""
    kind = next((kind for kind in KINDS if data.hasFormat(kind)), None)
    return data.data(kind).data() if kind is not None else b""


def sheet_in(data: QMimeData) -> Sheet | None:
    """What MIDI data holds."""
    content = bytes_in(data)
    if not content:
        return None
    try:
        clip = parse_midi(content, Path("the clipboard"))
    except ArpegonError as error:
        raise ArpegonError(f"What was copied cannot be pasted: {error}") from None
    return Sheet.of(clip.events, clip.beats)
