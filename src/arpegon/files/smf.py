"""Standard MIDI files as bytes: what stands in their tracks, read with patience, and written after the standard.

The format is that of the MIDI Association's *Standard MIDI Files 1.0* (RP-001). What others wrote is taken as far as it
can be told what was meant: what is not needed here (a key signature, a chunk of an unknown kind) may be as wrong as it
likes, and what is damaged costs only itself.
"""

from __future__ import annotations

import struct
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence

import msgspec

META, TEMPO, TRACK_NAME, METER, END_OF_TRACK = 0xFF, 0x51, 0x03, 0x58, 0x2F
INSTRUMENT, MARKER, DEVICE, KEY = 0x04, 0x06, 0x09, 0x59
_SYSEX, _ESCAPE, _SYSEX_END = 0xF0, 0xF7, 0xF7
_MARK, _TRACK = b"MThd", b"MTrk"
_PREFACE = 4096
"""Bytes within which a file's mark is looked for: some programs put a head of their own before it."""
_HEAD = struct.Struct(">HHH")
_CHUNK = struct.Struct(">4sI")
_LONGEST_WAIT = 2**28 - 1
"""Ticks that a number of variable length can hold, in the standard's four bytes."""
_NOTHING = bytes((META, 0x01, 0))
"""A text without words: a longer wait is made of shorter ones with it between them."""
_LONGEST_NUMBER = 5
"""Bytes of a number of variable length; the standard has four, and some files one too many."""
_DATA_BYTES = {0xC0: 1, 0xD0: 1, 0xF1: 1, 0xF2: 2, 0xF3: 1}
"""How many bytes follow a status; of channel messages that are not named, two, of all others none."""

TrackMessage = tuple[int, bytes]
"""A tick from the beginning, and what stands there: a channel message, a whole system exclusive message, or 0xFF, the
kind of a meta event, and its content."""


class Tracks(msgspec.Struct):
    """What stands in a file."""

    format: int
    """0 or 1: all tracks sound together; 2: one after another."""
    ticks: float
    """So many to the quarter, or to the second where ``in_seconds``."""
    in_seconds: bool
    tracks: list[list[TrackMessage]]
    lengths: list[int]
    """Ticks of each track, to its end."""
    faults: Counter[str]
    """What was passed over, in a few words each, and how often."""


class NotMidi(Exception):
    """It is no MIDI file, or one of which nothing can be told; the text says why."""


def parse(content: bytes) -> Tracks:
    """All that can be read of a file.

    Raises:
        NotMidi: it has no head, no track or no measure of time.
    """
    begin = content.find(_MARK, 0, _PREFACE)
    if begin < 0:
        raise NotMidi("it does not begin with its mark “MThd”")
    if len(content) < begin + 14:
        raise NotMidi("it ends within its head")
    kind, named, division = _HEAD.unpack_from(content, begin + 8)
    if division & 0x8000:
        frames, parts = 256 - (division >> 8), division & 0xFF
        ticks = (30_000 / 1001 if frames == 29 else frames) * parts
    else:
        ticks = division
    if not ticks:
        raise NotMidi("it does not say how long its ticks are")
    faults: Counter[str] = Counter()
    found = Tracks(kind, float(ticks), bool(division & 0x8000), [], [], faults)
    for start, end in _track_chunks(content, begin, faults):
        messages, length = _parse_track(content, start, end, faults)
        found.tracks.append(messages)
        found.lengths.append(length)
    if not found.tracks:
        raise NotMidi("it holds no track")
    if len(found.tracks) < named:
        faults["a track that is named but not there"] += named - len(found.tracks)
    return found


def _track_chunks(content: bytes, at: int, faults: Counter[str]) -> Iterator[tuple[int, int]]:
    """Where the content of each track begins and ends."""
    while at + _CHUNK.size <= len(content):
        name, length = _CHUNK.unpack_from(content, at)
        start, end = at + _CHUNK.size, at + _CHUNK.size + length
        if name == _TRACK:
            if end > len(content):
                faults["a track that is cut off"] += 1
            yield start, min(end, len(content))
        elif end > len(content) or not name.isascii() or not name.decode("ascii").isprintable():
            # A length was wrong: go on at the next track that can be seen, if there is one.
            end = content.find(_TRACK, at + 1)
            if end < 0:
                return
            faults["bytes between its tracks"] += 1
        at = end


def _number(content: bytes, at: int, end: int) -> tuple[int, int]:
    """A number of variable length, and where it ends.

    Raises:
        IndexError: it does not end.
    """
    value = 0
    for place in range(at, min(at + _LONGEST_NUMBER, end)):
        byte = content[place]
        value = value << 7 | byte & 0x7F
        if byte < 0x80:
            return value, place + 1
    raise IndexError


def _parse_track(content: bytes, at: int, end: int, faults: Counter[str]) -> tuple[list[TrackMessage], int]:
    found: list[TrackMessage] = []
    tick = running = 0
    packets: list[TrackMessage] = []
    """A system exclusive message whose packets are not all there yet."""

    def close_packets() -> None:
        if packets:
            whole = b"".join(content for _, content in packets)
            _keep_sysex(packets[0][0], whole if whole[-1] == _SYSEX_END else whole + b"\xf7", found, faults)
            packets.clear()

    while at < end:
        try:
            wait, at = _number(content, at, end)
            status = content[at]
            if status >= 0x80:
                at += 1
            elif running:
                status = running
            else:
                raise IndexError
            if status < 0xF0:
                running = status
                count = _DATA_BYTES.get(status & 0xF0, 2)
            elif status in (META, _SYSEX, _ESCAPE):
                kind, at = (content[at], at + 1) if status == META else (0, at)
                count, at = _number(content, at, end)
            else:
                count = _DATA_BYTES.get(status, 0)
            if at + count > end:
                raise IndexError
        except IndexError:
            faults["a track that is damaged, from there to its end"] += 1
            break
        tick += wait
        data = content[at : at + count]
        at += count
        if packets and status != _ESCAPE:
            close_packets()
        if status < 0xF0:
            if max(data) > 0x7F:
                faults["a value above 127, taken as 127"] += 1
                data = bytes(min(value, 0x7F) for value in data)
            found.append((tick, bytes((status,)) + data))
        elif status == META:
            if kind == END_OF_TRACK:
                break
            found.append((tick, bytes((META, kind)) + data))
        elif status == _SYSEX or packets:
            packets.append((tick, (b"\xf0" if status == _SYSEX else b"") + data))
            if data[-1:] == b"\xf7":
                close_packets()
        elif status == _ESCAPE and data:
            _keep_escaped(tick, data, found, faults)
    close_packets()
    return found, tick


def _keep_sysex(tick: int, message: bytes, found: list[TrackMessage], faults: Counter[str]) -> None:
    if message.count(_SYSEX_END) == 1 and max(message[1:-1], default=0) < 0x80:
        found.append((tick, message))
    else:
        faults["a system exclusive message that is none"] += 1


def _keep_escaped(tick: int, data: bytes, found: list[TrackMessage], faults: Counter[str]) -> None:
    """Escaped bytes are sent as they are: they may be a message of any kind."""
    if data[0] == _SYSEX and data[-1] == _SYSEX_END:
        _keep_sysex(tick, data, found, faults)
    elif 0x80 <= data[0] < 0xF0 and len(data) == 1 + _DATA_BYTES.get(data[0] & 0xF0, 2) and max(data[1:]) < 0x80:
        found.append((tick, data))


def format_smf(tracks: Sequence[Iterable[TrackMessage]], ticks: int, form: int = 1) -> bytes:
    """A file of these tracks, which sound together.

    Args:
        form: its type, 1; or 0 for one of a single track.
        tracks: messages in order of their ticks, as :data:`TrackMessage` says.
        ticks: to the quarter.
    """
    chunks = [_CHUNK.pack(_MARK, _HEAD.size) + _HEAD.pack(form, len(tracks), ticks)]
    for track in tracks:
        content = bytearray()
        last = 0
        for tick, message in track:
            while tick - last > _LONGEST_WAIT:
                content += _format_number(_LONGEST_WAIT) + _NOTHING
                last += _LONGEST_WAIT
            content += _format_number(tick - last)
            last = tick
            if message[0] == META:
                content += message[:2] + _format_number(len(message) - 2) + message[2:]
            elif message[0] == _SYSEX:
                content += message[:1] + _format_number(len(message) - 1) + message[1:]
            else:
                content += message
        content += bytes((0, META, END_OF_TRACK, 0))
        chunks.append(_CHUNK.pack(_TRACK, len(content)) + bytes(content))
    return b"".join(chunks)


def _format_number(value: int) -> bytes:
    """A number of variable length."""
    found = [value & 0x7F]
    while value := value >> 7:
        found.append(value & 0x7F | 0x80)
    return bytes(reversed(found))
