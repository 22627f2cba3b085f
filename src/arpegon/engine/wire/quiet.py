"""Libraries that talk to standard error are hushed, so that what stands there is what brought a process down."""

from __future__ import annotations

import contextlib
import ctypes
from pathlib import Path
from typing import Any

_kept: list[Any] = []
"""Callbacks that libraries hold must not be collected."""


def hush_jack() -> None:
    """Let libjack say nothing of servers that are not there; what fails is known by its return values.

    To be called once the libraries that use it are imported: wheels bring one of their own along.
    """
    say = ctypes.CFUNCTYPE(None, ctypes.c_char_p)(lambda _: None)
    _kept.append(say)
    for path in _loaded("libjack"):
        with contextlib.suppress(OSError, AttributeError):
            library = ctypes.CDLL(path)
            library.jack_set_error_function(say)
            library.jack_set_info_function(say)


def _loaded(name: str) -> set[str]:
    """The files of the libraries of a name that this process has loaded."""
    with contextlib.suppress(OSError):
        lines = Path("/proc/self/maps").read_text().splitlines()
        return {line.split(maxsplit=5)[5] for line in lines if f"/{name}" in line}
    return set()
