"""Shared memory of a test worker's own.

JACK's library keeps the socket of a client under its name alone, whichever server the client is of: of two workers that
start an engine at once, one took the notifications of the other, whose server then called it never, or heard of it no
more. Servers share a register of eight names and a lock there, too.
"""

from __future__ import annotations

import ctypes

_NEW_MOUNTS = 0x00020000  # CLONE_NEWNS
_RECURSIVE, _PRIVATE = 0x4000, 1 << 18  # MS_REC, MS_PRIVATE
SHARED = b"/dev/shm"


def own_shared_memory() -> bool:
    """Have ``/dev/shm`` alone, with all threads and processes that begin from now on; whether the system allows that.

    It does for root. All others share it, and a test fails once in a while.
    """
    system = ctypes.CDLL(None)
    return not (
        system.unshare(_NEW_MOUNTS)
        or system.mount(b"none", b"/", None, ctypes.c_ulong(_RECURSIVE | _PRIVATE), None)
        or system.mount(b"tmpfs", SHARED, b"tmpfs", ctypes.c_ulong(0), None)
    )
