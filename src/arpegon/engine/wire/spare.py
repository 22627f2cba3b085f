"""A process that stands by: started ahead of need, because a Python that has imported all it needs starts at once."""

from __future__ import annotations

import contextlib
import socket
import subprocess
import threading
from collections.abc import Callable
from typing import IO

from arpegon.engine.wire.spawning import spawn

Started = tuple[subprocess.Popen[bytes], socket.socket]
"""A process, and our end of its socket."""


_early: dict[str, Started] = {}
"""Processes that were started before anybody knew what to tell them, by what they run."""


def begin_early(module: str, errors: IO[bytes] | None) -> None:
    """Start a process of a module that the first :class:`Spare` of it hands on: while whoever starts it imports what it
    needs, this one does so, too. Where there is no room for it, nothing is started."""
    with contextlib.suppress(OSError):
        _early[module] = start(module, lambda: errors)


class Spare:
    """One process of a module, which does nothing until it is told something for the first time.

    Args:
        module: what it runs; it waits for its first message by :func:`stand_by` before it opens or changes anything.
        errors: opens the file to which its errors are appended (``None``: nowhere).
    """

    def __init__(self, module: str, errors: Callable[[], IO[bytes] | None]) -> None:
        self._module = module
        self._errors = errors
        self._lock = threading.Lock()
        self._timer: threading.Timer | None = None
        self._ready: Started | None = None
        self._closed = False

    @property
    def pid(self) -> int | None:
        """The number of the process that stands by."""
        return self._ready[0].pid if self._ready is not None else None

    def prepare(self, seconds: float) -> None:
        """Have one stand by after some time, when what was started just now no longer needs the machine for itself."""
        with self._lock:
            if self._timer is not None:
                self._timer.cancel()
            self._timer = threading.Timer(seconds, self._start)
            self._timer.daemon = True
            self._timer.start()

    def take(self) -> Started | None:
        """The process that stood by, or ``None`` where none does."""
        with self._lock:
            ready, self._ready = self._ready, None
        if ready is None:
            ready = _early.pop(self._module, None)
        if ready is not None and ready[0].poll() is not None:
            ready[1].close()
            return None
        return ready

    def close(self) -> None:
        """Let it go, and start none any more."""
        with self._lock:
            self._closed = True
            if self._timer is not None:
                self._timer.cancel()
        ready = self.take()
        if ready is not None:
            ready[0].kill()
            ready[0].wait()
            ready[1].close()

    def _start(self) -> None:
        with self._lock:
            if self._closed or self._ready is not None:
                return
            with contextlib.suppress(OSError):  # without one, the next start takes a second longer
                self._ready = start(self._module, self._errors)


def start(module: str, errors: Callable[[], IO[bytes] | None]) -> Started:
    """Start a process of a module, with a socket to it.

    Raises:
        OSError: the system has no room for another.
    """
    file = errors()
    try:
        return spawn(module, file or subprocess.DEVNULL, apart=True)
    finally:
        if file is not None:
            file.close()


def stand_by(sock: socket.socket) -> bool:
    """Wait for the first message, which stays to be read; ``False`` where whoever would send it is gone."""
    return bool(sock.recv(1, socket.MSG_PEEK))
