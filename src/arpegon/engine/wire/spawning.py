"""Processes of our own, each with a socket to whoever started it."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
import threading
from typing import IO

ENGINE = "arpegon.engine.live.loop"
"""What the engine's process runs."""
LEAVE_SECONDS = 8.0
"""How long a process may take to leave."""


def spawn(
    module: str, errors: IO[bytes] | int | None = None, apart: bool = False
) -> tuple[subprocess.Popen[bytes], socket.socket]:
    """Run a module, with the file descriptor of a socket as its argument.

    Args:
        module: its full name.
        errors: where its errors go (left out: where ours go).
        apart: in a session of its own, so that a Ctrl+C in the terminal does not reach it.

    Returns:
        The process, and our end of the socket.
    """
    ours, theirs = socket.socketpair()
    process = subprocess.Popen(
        [sys.executable, "-m", module, str(theirs.fileno())],
        pass_fds=[theirs.fileno()],
        stdin=subprocess.DEVNULL,
        stdout=subprocess.DEVNULL,
        stderr=errors,
        start_new_session=apart,
        # One thread keeps BLAS from taking all cores for matrices of a few rows.
        env={**os.environ, "OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"},
    )
    theirs.close()
    return process, ours


def leave_in_time() -> None:
    """End this process after :data:`LEAVE_SECONDS`, unless it ended by itself: nobody would end one that hangs."""
    timer = threading.Timer(LEAVE_SECONDS, os._exit, [1])
    timer.daemon = True
    timer.start()
