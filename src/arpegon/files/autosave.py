"""What is kept for a crash: the unsaved work of each running window, and the memory of what was played.

Each window holds a lock as long as its process lives, ``windows/<pid>-<start>.lock``. For each document that it works
on it keeps ``autosave/<pid>-<start>-<number>.autosave``, with the project and the path it belongs to, while that is
not saved, and the memory in a folder ``memory/<pid>-<start>-<number>``. What nobody holds the lock of a crash left.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import time
from collections.abc import Iterable
from pathlib import Path
from typing import IO

import msgspec

from arpegon.core.document.model import Project
from arpegon.core.errors import ArpegonError
from arpegon.core.notes.memory import TAKE_PLACES, Remembered
from arpegon.files.atomic import write_atomic
from arpegon.files.json_text import read_own
from arpegon.files.path_text import path_text, text_path
from arpegon.files.places import state_dir
from arpegon.files.project import format_project, parse_project
from arpegon.files.spool import discard_spool, has_spool, piece_of, read_spool

SUFFIX = ".autosave"


class _Place(msgspec.Struct, frozen=True):
    """Where what belongs to one document of a window is kept: ``stem`` is the window's owner, and a number."""

    folder: Path
    stem: str

    @property
    def file(self) -> Path:
        return self.folder / "autosave" / f"{self.stem}{SUFFIX}"

    @property
    def memory(self) -> Path:
        return self.folder / "memory" / self.stem

    @property
    def owner(self) -> str:
        return self.stem.rpartition("-")[0]

    @property
    def lock(self) -> Path:
        return _lock_path(self.folder, self.owner)


def _lock_path(folder: Path, owner: str) -> Path:
    return folder / "windows" / f"{owner}.lock"


class Leftover(msgspec.Struct, frozen=True):
    """What a crash left: unsaved work, what was played last, or both."""

    place: _Place
    project: Project | None
    """The unsaved work; none where all was saved."""
    origin: Path | None
    """The file of the project."""
    saved_at: float
    title: str
    """What the project is called."""
    disk: str = ""
    """The digest of the file as the work knew it (see :mod:`arpegon.files.on_disk`)."""
    unread: str = ""
    """Why the unsaved work cannot be read, as a sentence; empty where it can be, or there is none."""

    @property
    def played(self) -> bool:
        """Whether anything was played."""
        return has_spool(self.place.memory)

    def history(self) -> tuple[Remembered, str]:
        """What takes are made of, of all that was played, and a sentence where some of it could not be read."""
        records, said = read_spool(self.place.memory)
        return Remembered(records, TAKE_PLACES), said


class _Envelope(msgspec.Struct):
    origin: str | None
    saved_at: float
    project: msgspec.Raw
    disk: str = ""


class WindowLock:
    """Shows that a window is there, until its process ends, however it does.

    Args:
        folder: the state folder.
    """

    def __init__(self, folder: Path) -> None:
        self.owner = f"{os.getpid()}-{time.time_ns()}"
        self._path = _lock_path(folder, self.owner)
        self._file: IO[str] | None = None
        with contextlib.suppress(OSError):
            self._path.parent.mkdir(parents=True, exist_ok=True)
            self._file = self._path.open("w")
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)

    def release(self) -> None:
        """The window is closed in order."""
        if self._file is not None:
            with contextlib.suppress(OSError):
                self._path.unlink()
            self._file.close()
            self._file = None


class Autosave:
    """What one window keeps of the document that it works on.

    Args:
        folder: the state folder (left out: that of this user).
        lock: shows that the window is there (left out: one of its own).
        number: counts the documents of the window.
    """

    def __init__(self, folder: Path | None = None, lock: WindowLock | None = None, number: int = 1) -> None:
        self.folder = folder or state_dir()
        self.lock = lock or WindowLock(self.folder)
        self._number = number
        place = _Place(self.folder, f"{self.lock.owner}-{number}")
        self.file, self.memory = place.file, place.memory

    def next(self) -> Autosave:
        """That of the next document of the window."""
        return Autosave(self.folder, self.lock, self._number + 1)

    def write(self, project: Project, origin: Path | None, disk: str = "") -> None:
        """Keep the work as it is now.

        Args:
            origin: the file that it belongs to.
            disk: the digest of that file as the work knows it.

        Raises:
            FileError: it cannot be written.
        """
        envelope = _Envelope(
            path_text(origin) if origin else None, time.time(), msgspec.Raw(format_project(project)), disk
        )
        write_atomic(self.file, msgspec.json.encode(envelope))

    @property
    def written(self) -> bool:
        """Whether unsaved work is kept."""
        return self.file.exists()

    def clear(self) -> None:
        """Nothing is unsaved (any more)."""
        with contextlib.suppress(OSError):
            self.file.unlink()

    def leftovers(self) -> list[Leftover]:
        """What crashed windows left, newest first."""
        autosaves, memories = self.folder / "autosave", self.folder / "memory"
        stems = {file.stem for file in autosaves.glob(f"*{SUFFIX}")} | {one.name for one in memories.glob("*-*-*")}
        places = [_Place(self.folder, stem) for stem in stems]
        found = [_leftover(place) for place in places if not self._held(place)]
        return sorted((one for one in found if one is not None), key=lambda leftover: -leftover.saved_at)

    def _held(self, place: _Place) -> bool:
        """Whether the window that this belongs to is there; that of an earlier version, which held no lock, is not."""
        if place.owner == self.lock.owner:
            return True
        try:
            with place.lock.open() as file:
                fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
        except BlockingIOError:
            return True
        except OSError:
            return False
        return False


def _leftover(place: _Place) -> Leftover | None:
    """What is kept at a place; ``None`` where that is nothing. What was played is there though the work be damaged."""
    unread = ""
    if place.file.exists():
        try:
            envelope = read_own(place.file, _Envelope)
            project = parse_project(bytes(envelope.project), place.file.name)
        except ArpegonError as error:
            unread = str(error)
        else:
            return Leftover(place, project, _path(envelope.origin), envelope.saved_at, project.title, envelope.disk)
    if has_spool(place.memory):
        piece = piece_of(place.memory)
        return Leftover(place, None, _path(piece.file), _newest(place.memory.glob("*")), piece.title, unread=unread)
    return Leftover(place, None, None, _newest([place.file]), "", unread=unread) if unread else None


def _newest(files: Iterable[Path]) -> float:
    """When the newest of some files was written; 0 where that is not known."""
    with contextlib.suppress(OSError):
        return max((one.stat().st_mtime for one in files), default=0.0)
    return 0.0


def _path(name: str | None) -> Path | None:
    return text_path(name) if name else None


def forget(leftover: Leftover, but_unread: bool = False) -> None:
    """Throw a leftover away; ``but_unread`` leaves work that cannot be read where it is."""
    place = leftover.place
    discard_spool(place.memory)
    kept = but_unread and bool(leftover.unread)
    for file in (place.lock,) if kept else (place.file, place.lock):
        with contextlib.suppress(OSError):
            file.unlink()
