"""Autosave: the unsaved work of each running window, and what a crash left behind.

Each window writes ``<pid>-<start>.autosave`` with the project and the path it belongs to, and removes it
when it is closed in order. One whose process is gone is what a crash left.
"""

from __future__ import annotations

import contextlib
import os
import time
from pathlib import Path

import msgspec

from arpegon.core.document.model import Project
from arpegon.core.errors import ArpegonError
from arpegon.files.atomic import write_atomic
from arpegon.files.places import state_dir
from arpegon.files.project import format_project, parse_project

_STARTED = time.time_ns()


class Leftover(msgspec.Struct, frozen=True):
    """Unsaved work found at the start."""

    file: Path
    project: Project
    origin: Path | None
    saved_at: float


class _Envelope(msgspec.Struct):
    origin: str | None
    saved_at: float
    project: msgspec.Raw


class Autosave:
    """The autosave file of this window."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or state_dir() / "autosave"
        self.file = self.folder / f"{os.getpid()}-{time.time_ns()}.autosave"

    def write(self, project: Project, origin: Path | None) -> None:
        """Keep the work as it is now.

        Raises:
            FileError: it cannot be written.
        """
        envelope = _Envelope(str(origin) if origin else None, time.time(), msgspec.Raw(format_project(project)))
        write_atomic(self.file, msgspec.json.encode(envelope))

    def clear(self) -> None:
        """Nothing is unsaved (any more)."""
        with contextlib.suppress(OSError):
            self.file.unlink()

    def leftovers(self) -> list[Leftover]:
        """What crashed windows left, newest first; files that cannot be read stay where they are."""
        found = []
        for file in self.folder.glob("*.autosave") if self.folder.is_dir() else ():
            owner, _, stamp = file.stem.partition("-")
            if file == self.file or not (owner.isdigit() and stamp.isdigit()) or _alive(int(owner), int(stamp)):
                continue
            try:
                envelope = msgspec.json.decode(file.read_bytes(), type=_Envelope)
                project = parse_project(bytes(envelope.project), file.name)
            except (OSError, msgspec.DecodeError, ArpegonError):
                continue
            origin = Path(envelope.origin) if envelope.origin else None
            found.append(Leftover(file, project, origin, envelope.saved_at))
        return sorted(found, key=lambda leftover: -leftover.saved_at)


def forget(leftover: Leftover) -> None:
    """Throw a leftover away."""
    with contextlib.suppress(OSError):
        leftover.file.unlink()


def _alive(pid: int, stamp: int) -> bool:
    if pid == os.getpid():
        return stamp >= _STARTED  # older: an earlier process had our number
    try:
        command = Path(f"/proc/{pid}/cmdline").read_bytes()
    except OSError:
        return False
    return b"python" in command or b"arpegon" in command
