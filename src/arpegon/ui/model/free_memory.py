"""Memory that is free again is given back to the system: what was needed for a moment would be kept for ever else."""

from __future__ import annotations

import contextlib
import ctypes
import gc

EVERY_MS = 10_000
_LARGE, _LARGE_BYTES = -3, 128 * 1024
"""glibc's ``M_MMAP_THRESHOLD``: what is larger is given back as soon as it is free. By itself it raises the threshold
up to 32 MB, and then what is large leaves holes between what is small."""
_HEAPS, _HEAPS_OF_THREADS = -8, 1
"""glibc's ``M_ARENA_MAX``: holes in one heap are filled by all threads."""


def keep_together() -> None:
    """Have little memory kept that is free, from now on (of glibc's; nothing where there is another library)."""
    with contextlib.suppress(AttributeError):
        mallopt = ctypes.CDLL(None).mallopt
        mallopt(_LARGE, _LARGE_BYTES)
        mallopt(_HEAPS, _HEAPS_OF_THREADS)


def give_back() -> None:
    """Give back what is free, where the C library can do that (glibc can).

    Python by itself looks for what refers to itself only once that is a quarter of all there is: what widgets that are
    gone leave behind would come to some megabytes, and whatever is made then would lie behind it, for good.
    """
    gc.collect()
    with contextlib.suppress(AttributeError):
        ctypes.CDLL(None).malloc_trim(0)
