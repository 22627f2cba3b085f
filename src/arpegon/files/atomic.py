"""Files read with a bound, and replaced whole or not at all."""

from __future__ import annotations

import contextlib
import errno
import os
import stat
import tempfile
from pathlib import Path

from arpegon.core.errors import FileError


def write_atomic(path: Path, content: bytes) -> None:
    """Put ``content`` at ``path``: into a file beside it first, then in its place in one move.

    Where ``path`` is a link, what it leads to is replaced, and the link stays.

    Raises:
        FileError: the folder cannot be written to, the disk is full, it is a device ...; what stood at ``path`` still
            does.
    """
    temporary: str | None = None
    try:
        check_writable(path)
        target = path.resolve()
        target.parent.mkdir(parents=True, exist_ok=True)
        handle, temporary = tempfile.mkstemp(prefix=".arpegon-", dir=target.parent)
        with os.fdopen(handle, "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, target.stat().st_mode & 0o777 if target.exists() else 0o644 & ~_umask())
        os.replace(temporary, target)
        _sync_folder(target.parent)
    except OSError as error:
        if temporary is not None and os.path.exists(temporary):
            os.unlink(temporary)
        raise FileError(f"“{path}” could not be written: {reason(error)}. The file is as it was.") from None


def check_writable(path: Path) -> None:
    """Ask that a file could be put at ``path``.

    Raises:
        FileError: a device, a pipe or a folder is there.
    """
    try:
        mode = path.stat().st_mode
    except FileNotFoundError:
        return
    except OSError as error:
        raise FileError(f"“{path}” could not be written: {reason(error)}.") from None
    except ValueError:
        raise FileError(_no_name(path, "written")) from None
    if not stat.S_ISREG(mode):
        raise FileError(f"“{path}” could not be written: {_odd(mode)}.")


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
