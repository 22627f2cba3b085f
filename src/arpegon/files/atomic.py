"""Files read with a bound, and replaced whole or not at all."""

from __future__ import annotations

import contextlib
import errno
import fcntl
import os
import secrets
import shutil
import stat
import time
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO

from arpegon.core.errors import FileError

_TEMPORARY = ".arpegon-"
_KEPT = ".arpegon_"
_FORSAKEN_SECONDS = 60.0
"""A temporary file that nobody writes to, and that is older than this, was left by a program that was killed."""
_swept: set[Path] = set()
"""Folders in which such files were looked for already."""


def write_atomic(path: Path, content: bytes) -> None:
    """Put ``content`` at ``path``, as :func:`replacing` does.

    Raises:
        FileError: the folder cannot be written to, the disk is full, it is a device ...; what stood at ``path`` still
            does.
    """
    with replacing(path) as file:
        file.write(content)


@contextlib.contextmanager
def replacing(path: Path) -> Iterator[BinaryIO]:
    """A file to write to, which is moved to ``path`` in one step once all is written.

    Where ``path`` is a link, what it leads to is replaced, and the link stays.

    Raises:
        FileError: the folder cannot be written to, the disk is full, it is a device ...; what stood at ``path`` still
            does, here as after any other error.
    """
    temporary: str | None = None
    try:
        check_writable(path)
        target = path.resolve()
        target.parent.mkdir(parents=True, exist_ok=True)
        _sweep(target.parent)
        # Its name is known before it is there, so that it goes whenever a program is told to end.
        temporary = str(target.parent / f"{_TEMPORARY}{secrets.token_hex(8)}")
        with open(temporary, "x+b", opener=lambda name, flags: os.open(name, flags, 0o600)) as file:
            _lock(file.fileno())
            yield file
            file.flush()
            os.fsync(file.fileno())
            temporary = _put(temporary, target)
        _sync_folder(target.parent)
    except OSError as error:
        raise FileError(f"“{path}” could not be written: {reason(error)}. The file is as it was.") from None
    finally:
        if temporary is not None:
            with contextlib.suppress(OSError):
                os.unlink(temporary)


def _put(temporary: str, target: Path) -> str | None:
    """Put what was written in its place, with the owner and the mode of what was there; what is left to be deleted."""
    try:
        there = target.stat()
    except FileNotFoundError:
        os.chmod(temporary, 0o644 & ~_umask())
        os.replace(temporary, target)
        return None
    if there.st_nlink > 1:
        # Other names lead to this file, and should go on to do so: it is written in place, while the whole of it
        # stands beside it under a name that nobody takes away.
        kept = f"{temporary}-whole".replace(_TEMPORARY, _KEPT)
        with open(temporary, "rb") as whole, open(target, "r+b") as file:
            _make_room(file, os.path.getsize(temporary))
            os.replace(temporary, kept)
            shutil.copyfileobj(whole, file)
            file.truncate()
            file.flush()
            os.fsync(file.fileno())
        return kept
    os.chmod(temporary, there.st_mode & 0o777)
    with contextlib.suppress(OSError):  # only the system's owner may give files to others
        os.chown(temporary, there.st_uid, there.st_gid)
    os.replace(temporary, target)
    return None


def _make_room(file: BinaryIO, size: int) -> None:
    """Ask the disk for all the room that a file will need; where it has none, the file is as it was."""
    before = os.fstat(file.fileno()).st_size
    try:
        os.posix_fallocate(file.fileno(), 0, max(1, size))
    except OSError:
        file.truncate(before)
        raise


def _lock(handle: int) -> bool:
    """Hold a file for as long as it is open here; whether nobody else does."""
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:  # somebody has it, or the file system knows no locks
        return False
    return True


def _sweep(folder: Path) -> None:
    """Take away what was left in a folder by programs that were killed while they wrote; once for each folder."""
    if folder in _swept:
        return
    _swept.add(folder)
    with contextlib.suppress(OSError):
        for left in folder.glob(f"{_TEMPORARY}*"):
            with contextlib.suppress(OSError), left.open("rb") as file:
                old = time.time() - os.fstat(file.fileno()).st_mtime > _FORSAKEN_SECONDS
                if old and not left.is_symlink() and _lock(file.fileno()):
                    left.unlink()


def check_writable(path: Path) -> None:
    """Ask that a file could be put at ``path``.

    Raises:
        FileError: a device, a pipe or a folder is there.
    """
    with contextlib.suppress(FileNotFoundError):
        _check_regular(path, "written")


def check_plain(path: Path) -> None:
    """Ask that a file is there, and is a plain one: what another reader opens may be a pipe that waits for ever.

    Raises:
        FileError: it is none.
    """
    try:
        _check_regular(path, "read")
    except FileNotFoundError as error:
        raise FileError(f"“{path}” could not be read: {reason(error)}.") from None


def _check_regular(path: Path, done: str) -> None:
    """Ask that what is at ``path`` is a plain file; ``FileNotFoundError`` goes on to whoever asks."""
    try:
        mode = path.stat().st_mode
    except FileNotFoundError:
        raise
    except OSError as error:
        raise FileError(f"“{path}” could not be {done}: {reason(error)}.") from None
    except ValueError:
        raise FileError(_no_name(path, done)) from None
    if not stat.S_ISREG(mode):
        raise FileError(f"“{path}” could not be {done}: {_odd(mode)}.")


def read_bytes(path: Path, limit: int = 256 * 2**20) -> bytes:
    """All of a plain file.

    Raises:
        FileError: it is not there, may not be read, is a device or a pipe, or is longer than ``limit`` bytes.
    """
    try:
        # Without O_NONBLOCK to open a pipe would wait for whoever writes into it.
        with open(os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC), "rb") as file:
            mode = os.fstat(file.fileno()).st_mode
            if not stat.S_ISREG(mode):
                raise FileError(f"“{path}” could not be read: {_odd(mode)}.")
            content = file.read(limit + 1)
    except OSError as error:
        raise FileError(f"“{path}” could not be read: {reason(error)}.") from None
    except ValueError:
        raise FileError(_no_name(path, "read")) from None
    if len(content) > limit:
        raise FileError(f"“{path}” is larger than {limit // 2**20} MB; that cannot be meant for Arpegon.")
    return content


def _no_name(path: Path, done: str) -> str:
    """What is said of a name with a NUL in it, of which Python complains before the system does."""
    shown = str(path).replace("\0", "␀")
    return f"“{shown}” could not be {done}: no file can have such a name."


def _odd(mode: int) -> str:
    return "it is a folder" if stat.S_ISDIR(mode) else "it is no plain file (a device or a pipe)"


def _sync_folder(folder: Path) -> None:
    """Have the move itself written, so that it stands after a power cut."""
    with contextlib.suppress(OSError):  # some file systems know no such thing
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def reason(error: OSError) -> str:
    """An operating system's error in a few plain words."""
    plain = {
        "ENOENT": "there is no such file or folder",
        "EACCES": "there is no permission",
        "EPERM": "there is no permission",
        "EROFS": "the disk can only be read",
        "ENOSPC": "the disk is full",
        "EISDIR": "it is a folder",
        "ENOTDIR": "a part of the path is not a folder",
        "EEXIST": "a part of the path is not a folder",
    }
    name = errno.errorcode.get(error.errno or 0, "")
    return plain.get(name, (error.strerror or str(error)).lower())


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
