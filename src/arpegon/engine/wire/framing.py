"""How messages follow each other in a stream of bytes between two of our processes: each after its length."""

from __future__ import annotations

import struct
from typing import BinaryIO

_HEAD = struct.Struct("<I")
_MAX_BYTES = 2**30


class WireError(Exception):
    """What came over a stream cannot be read; ``lost`` where nothing after it can either."""

    def __init__(self, what: str, lost: bool = False) -> None:
        super().__init__(what)
        self.lost = lost


def framed(content: bytes) -> bytes:
    """A message as it is sent."""
    return _HEAD.pack(len(content)) + content


def read_frame(stream: BinaryIO) -> bytes | None:
    """Wait for the next message; ``None`` where the other end is gone.

    Raises:
        WireError: it is of an impossible length; nothing after it can be read.
    """
    head = stream.read(_HEAD.size)
    if len(head) < _HEAD.size:
        return None
    (length,) = _HEAD.unpack(head)
    if length > _MAX_BYTES:
        raise WireError(f"a message of {length} bytes", lost=True)
    content = stream.read(length)
    return content if len(content) == length else None
