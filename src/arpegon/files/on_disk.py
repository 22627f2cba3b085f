"""What others did to a project's file since it was read or written here: asked before it is written over."""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import os
import stat
from pathlib import Path
from typing import IO, Literal

from arpegon.core.errors import FileError
from arpegon.files.atomic import read_bytes
from arpegon.files.places import state_dir

Obstacle = Literal["", "changed", "read-only"]
"""Why a file should not be written without asking."""


def digest(content: bytes) -> str:
    """A short name of what stands in a file."""
    return hashlib.blake2b(content, digest_size=16).hexdigest()


def obstacle(path: Path, known: str) -> Obstacle:
    """What stands in the way of writing a file.

    Args:
        known: the :func:`digest` of what it held when it was read or written here last; empty where it never was.
    """
    try:
        mode = path.stat().st_mode
        content = read_bytes(path)
    except (OSError, ValueError, FileError):
        return ""  # it is gone, or writing it will say what is wrong
    if not mode & (stat.S_IWUSR | stat.S_IWGRP | stat.S_IWOTH) or not os.access(path, os.W_OK):
        return "read-only"
    return "changed" if digest(content) != known else ""


def free_name(path: Path) -> Path:
    """A name beside a file's that is free: ``tide 2.arpegon``."""
    number = 2
    while (free := path.with_name(f"{path.stem} {number}{path.suffix}")).exists():
        number += 1
    return free


class OpenMark:
    """Shows other windows that a project's file is open here, until it is released or the process ends.

    Args:
        folder: the state folder (left out: that of this user).
    """

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = (folder or state_dir()) / "open"
        self._file: IO[bytes] | None = None
        self._path: Path | None = None

    def hold(self, path: Path | None) -> bool:
        """Mark a file, and no other any more; ``False`` where another window has it open."""
        self.release()
        if path is None:
            return True
        self._path = self._folder / f"{digest(os.fsencode(path.resolve()))}.lock"
        with contextlib.suppress(OSError):  # a state folder that cannot be written to: nobody is told
            self._folder.mkdir(parents=True, exist_ok=True)
            file = self._path.open("ab")
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                file.close()
                return False
            self._file = file
        return True

    def release(self) -> None:
        """The file is no longer open here."""
        if self._file is not None and self._path is not None:
            with contextlib.suppress(OSError):
                self._path.unlink()
            self._file.close()
            self._file = None
