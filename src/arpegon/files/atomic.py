"""Files replaced whole or not at all."""

from __future__ import annotations

import errno
import os
import tempfile
from pathlib import Path

from arpegon.core.errors import FileError


def write_atomic(path: Path, content: bytes) -> None:
    """Put ``content`` at ``path``: into a file beside it first, then in its place in one move.

    Raises:
        FileError: the folder cannot be written to, the disk is full ...; what stood at ``path`` still does.
    """
    temporary: str | None = None
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
        with os.fdopen(handle, "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, path.stat().st_mode & 0o777 if path.exists() else 0o644 & ~_umask())
        os.replace(temporary, path)
    except OSError as error:
        if temporary is not None and os.path.exists(temporary):
            os.unlink(temporary)
        raise FileError(f"“{path}” could not be written: {reason(error)}. The file is as it was.") from None


def read_bytes(path: Path, limit: int = 256 * 2**20) -> bytes:
    """All of a file.

    Raises:
        FileError: it is not there, may not be read, or is longer than ``limit`` bytes.
    """
    try:
        if path.stat().st_size > limit:
            raise FileError(f"“{path}” is larger than {limit // 2**20} MB; that cannot be meant for Arpegon.")
        return path.read_bytes()
    except OSError as error:
        raise FileError(f"“{path}” could not be read: {reason(error)}.") from None


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
