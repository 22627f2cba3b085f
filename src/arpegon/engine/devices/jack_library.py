"""JACK's library itself, for what the binding that we use knows nothing of."""

from __future__ import annotations

import ctypes
from ctypes.util import find_library
from functools import lru_cache
from typing import Any


@lru_cache(maxsize=1)
def library() -> ctypes.CDLL | None:
    """The library; ``None`` where this machine has none."""
    name = find_library("jack")
    try:
        return ctypes.CDLL(name) if name is not None else None
    except OSError:
        return None


def function(name: str, *takes: Any) -> Any:
    """One of its functions that answer with a number.

    Raises:
        OSError: this machine has no library,
        AttributeError: or one without that function.
    """
    found = library()
    if found is None:
        raise OSError("this machine has no JACK library")
    return ctypes.CFUNCTYPE(ctypes.c_int, *takes)((name, found))


def address(owner: Any) -> int:
    """Where the library keeps a client or a port of the binding's."""
    import jack

    return int(jack._ffi.cast("uintptr_t", owner._ptr))
