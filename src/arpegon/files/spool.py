"""The memory on disk: records appended as they come, in pieces of half a minute, so that no crash takes them along.

A file begins with a line that names it and its version; each record is its length and check sum (CRC-32), both of four
bytes, little-endian, and the record as MessagePack (:mod:`arpegon.core.notes.memory`). It may be cut anywhere: what
stands before the cut is read. Every file begins with the newest
:class:`~arpegon.core.notes.memory.PieceFacts`, so that the oldest ones can be deleted.
"""

from __future__ import annotations

import contextlib
import errno
import math
import os
import shutil
import struct
import zlib
from collections import deque
from collections.abc import Callable
from pathlib import Path
from time import monotonic

import msgspec

from arpegon.core.notes.memory import MEMORY_SECONDS, PieceFacts, Record, decode, encode
from arpegon.files.atomic import reason

MARK = b"arpegon-memory "
VERSION = b"1"
SUFFIX = ".memory"
SEGMENT_SECONDS = 30.0
SEGMENT_BYTES = 8 * 2**20
MAX_BYTES = 2**30
"""More than ten minutes of the densest playing that sixty MIDI cables carry; past this the oldest files go first."""
RETRY_SECONDS = 5.0
"""How long a disk that takes nothing is left alone: short beside the ten minutes that are at stake, and light."""
_HEAD = struct.Struct("<II")
_MAX_BYTES = 64 * 2**20
"""No record is longer; a length that says so is damage."""

Say = Callable[[str], None]


class Spool:
    """Writes records to the files of a folder, and deletes what is older than the memory.

    Nothing is made before the first record that is worth it. Where the disk is full or may not be written to, that is
    said once, and tried again every now and then; what was written by then stays whole.

    Args:
        folder: its own, made when it is needed.
        say: called with a sentence when nothing can be written, and with an empty one when it can again.
    """

    def __init__(self, folder: Path, say: Say, seconds: float = MEMORY_SECONDS) -> None:
        self.folder = folder
        self._say = say
        self._seconds = seconds
        self.held_since = math.inf
        """All that came since then stays, too, however long ago that was."""
        self._file: int | None = None
        self._bytes = 0
        self._number = 0
        self._began = 0.0
        self._said = False
        self._again_at = 0.0
        """When it is tried again, on the machine's clock."""
        self._older: deque[tuple[float, Path, int]] = deque()
        """Files that were begun, with the time of their last record, and how many bytes they hold."""

    def write(self, record: bytes, time: float, piece: PieceFacts | None) -> bool:
        """Append an encoded record.

        Args:
            time: of its newest event, in seconds; it only grows.
            piece: what a file begins with, where one must be begun.

        Returns:
            Whether it is on disk; where it is not, it is to be written again later.
        """
        if self._said and monotonic() < self._again_at:
            return False
        try:
            if self._file is None or self._bytes > SEGMENT_BYTES or time - self._began > SEGMENT_SECONDS:
                self._begin(time, piece)
            self._append(_framed(record))
        except OSError as error:
            self._fail(error, time)
            return False
        return True

    def _append(self, content: bytes) -> None:
        """Append to the file: all of it, or nothing.

        Raises:
            OSError: it is not possible.
        """
        file = self._file
        assert file is not None
        if os.write(file, content) != len(content):
            os.ftruncate(file, self._bytes)
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        self._bytes += len(content)

    def _begin(self, time: float, piece: PieceFacts | None) -> None:
        self._end_file(time)
        self.folder.mkdir(parents=True, exist_ok=True)
        path = self.folder / f"{self._number + 1:06}{SUFFIX}"
        self._file = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_CLOEXEC, 0o600)
        self._bytes = 0
        try:
            self._append(MARK + VERSION + b"\n" + (_framed(encode(piece)) if piece is not None else b""))
        except OSError:
            os.close(self._file)
            self._file = None
            path.unlink(missing_ok=True)
            raise
        self._number += 1
        self._began = time
        self._older.append((time, path, 0))
        self._take_back()
        oldest, held = min(time - self._seconds, self.held_since), sum(size for _, _, size in self._older)
        while len(self._older) > 1 and (self._older[0][0] < oldest or held > MAX_BYTES):
            _, path, size = self._older.popleft()
            path.unlink(missing_ok=True)
            held -= size

    def _end_file(self, time: float) -> None:
        if self._file is not None:
            file, self._file = self._file, None
            self._older[-1] = (time, self._older[-1][1], self._bytes)
            os.close(file)

    def _fail(self, error: OSError, time: float) -> None:
        with contextlib.suppress(OSError):
            self._end_file(time)
        self._again_at = monotonic() + RETRY_SECONDS
        if not self._said:
            self._said = True
            self._say(
                f"The memory of what was played cannot be written to disk ({reason(error)}). It goes on in the "
                "program, but a crash would take it along."
            )

    def _take_back(self) -> None:
        """What was said of the disk is true no more."""
        if self._said:
            self._said = False
            self._say("")

    def close(self) -> None:
        """Write no more; what was written stays."""
        with contextlib.suppress(OSError):
            self._end_file(self._began)
        self._take_back()

    def discard(self) -> None:
        """Delete all of it."""
        self.close()
        discard_spool(self.folder)


def _framed(record: bytes) -> bytes:
    return _HEAD.pack(len(record), zlib.crc32(record)) + record


def discard_spool(folder: Path) -> None:
    """Delete a memory on disk."""
    shutil.rmtree(folder, ignore_errors=True)


def has_spool(folder: Path) -> bool:
    """Whether a folder holds a memory."""
    return any(folder.glob(f"*{SUFFIX}"))


def read_spool(folder: Path) -> tuple[list[Record], str]:
    """What the files of a folder hold, oldest first.

    Returns:
        The records, and a sentence where some of them could not be read (empty: all could).
    """
    records: list[Record] = []
    said = ""
    for path in sorted(folder.glob(f"*{SUFFIX}")):
        said = _read_file(path, records) or said
    return records, said


def piece_of(folder: Path) -> PieceFacts:
    """What the files of a folder said last of the piece; only as many are read as that needs."""
    for path in sorted(folder.glob(f"*{SUFFIX}"), reverse=True):
        records: list[Record] = []
        _read_file(path, records)
        for record in reversed(records):
            if isinstance(record, PieceFacts):
                return record
    return PieceFacts(0)


def _read_file(path: Path, records: list[Record]) -> str:
    """Append the records of a file; a sentence where some of them could not be read."""
    try:
        content = path.read_bytes()
    except OSError as error:
        return f"A part of the memory could not be read: {reason(error)}."
    mark, _, rest = content.partition(b"\n")
    if mark[: len(MARK)] != MARK:
        return "A part of the memory could not be read: it is damaged at its beginning."
    if mark[len(MARK) :] != VERSION:
        version = mark[len(MARK) :].decode("ascii", "replace")
        return f"A part of the memory is of version {version}; this Arpegon reads version {VERSION.decode()}."
    if not _read_records(rest, records):
        return "The memory was cut in the middle; what came before the cut was read."
    return ""


def _read_records(content: bytes, records: list[Record]) -> bool:
    """Append the records of a file; whether it was whole."""
    place = 0
    while place < len(content):
        if place + _HEAD.size > len(content):
            return False
        length, check = _HEAD.unpack_from(content, place)
        record = content[place + _HEAD.size : place + _HEAD.size + length]
        if length > _MAX_BYTES or len(record) < length or zlib.crc32(record) != check:
            return False
        try:
            records.append(decode(record))
        except msgspec.DecodeError:
            return False
        place += _HEAD.size + length
    return True
