"""Being a client of a JACK server no more."""

from __future__ import annotations

import contextlib
import ctypes
import threading
import time
from collections.abc import Callable
from typing import Any

from arpegon.engine.devices.jack_library import address, function

try:
    import jack
except (ImportError, OSError):  # this machine has no JACK library
    jack = None

_CALLBACKS = (
    "jack_set_buffer_size_callback",
    "jack_set_freewheel_callback",
    "jack_set_latency_callback",
    "jack_set_port_registration_callback",
    "jack_set_xrun_callback",
)
"""The functions by which JACK was told whom to call."""
_QUIET_SECONDS = 0.1
"""How long a call that is under way may take: some twenty turns of the interpreter."""
_LAST_SECONDS = 0.5
"""How long the last call of a period is waited for: a server that stands still makes none."""


class PeriodCalls:
    """A function of Python's that JACK calls in each period, until it is to call no more.

    Args:
        client: is not active yet.
    """

    def __init__(self, client: Any, cycle: Callable[[int], None]) -> None:
        self._cycle = cycle
        self._ends = threading.Event()
        self._last = threading.Event()
        client.set_process_callback(self._call)

    def _call(self, frames: int) -> None:
        if self._ends.is_set():
            self._last.set()
            raise jack.CallbackExit  # which ends JACK's thread by itself
        self._cycle(frames)

    def end(self) -> None:
        """Have JACK's thread end by itself, with its next call."""
        self._ends.set()
        self._last.wait(_LAST_SECONDS)
        time.sleep(_QUIET_SECONDS)


def leave(client: Any, calls: PeriodCalls | None = None, tied: bool = False, called: tuple[object, ...] = ()) -> None:
    """Be no client any more.

    JACK cancels its threads as it lets a client go, wherever they are: one that just waits for the interpreter would
    keep the lock on which all of our threads wait. So it calls nobody any more by then.

    Args:
        calls: what is called in each period, if that is Python's,
        tied: and whether JACK's transport calls us there.
        called: what JACK calls, which must be there until then.
    """
    if tied:
        with contextlib.suppress(jack.JackError):
            client.set_sync_callback(None)
        with contextlib.suppress(jack.JackError):
            client.release_timebase()
        time.sleep(_QUIET_SECONDS)
    if calls is not None:
        calls.end()
    with contextlib.suppress(jack.JackError):
        client.deactivate()
    call_nobody(client)
    time.sleep(_QUIET_SECONDS)
    with contextlib.suppress(jack.JackError):
        client.close()
    del called


def call_nobody(client: Any) -> bool:
    """Have a client that is not active call nobody any more; whether it took that."""
    place = address(client)
    answers = [function(name, *[ctypes.c_void_p] * 3)(place, None, None) for name in _CALLBACKS]
    return not any(answers)
