"""What of Python's JACK calls in each period, and how it calls that no more.

JACK cancels its thread as a client is let go, wherever it is. Amid a call it would keep the interpreter's lock, or that
by which it waits for it, for ever: all of our threads would stand still.
"""

from __future__ import annotations

import ctypes
import os
import threading
import time
from collections.abc import Callable
from typing import Any, Protocol

from arpegon.engine.devices.compiled_relay import GATE
from arpegon.engine.devices.jack_library import address, function

try:
    import jack
except (ImportError, OSError):  # this machine has no JACK library
    jack = None

Cycle = Callable[[int], None]
"""Is called with the frames of a period."""

_LAST_SECONDS = 0.5
"""How long the last call of a period is waited for: a server that stands still makes none."""
_THREAD_SECONDS = 10.0
"""How long the thread that made it may take: the library waits five seconds for an answer of the server."""
_LOOK_SECONDS = 0.002
_place = ctypes.c_void_p


class PeriodCalls(Protocol):
    """A function of Python's that is called in each period."""

    def end(self) -> None:
        """Have it called no more, and wait until no call is under way."""


class _Gate(ctypes.Structure):
    _fields_ = (("call", _place), ("open", ctypes.c_int32), ("inside", ctypes.c_int32))


class GatedCalls:
    """Calls through compiled code, which goes on without Python once they are ended.

    Args:
        client: is not active yet.
    """

    def __init__(self, client: Any, cycle: Cycle) -> None:
        def call(frames: int, _: object) -> int:
            cycle(frames)
            return 0

        self._call = ctypes.CFUNCTYPE(ctypes.c_int, ctypes.c_uint32, _place)(call)
        self._gate = _Gate(ctypes.cast(self._call, _place), 1, 0)
        set_process = function("jack_set_process_callback", _place, _place, _place)
        set_process(address(client), ctypes.cast(GATE, _place), ctypes.addressof(self._gate))

    def end(self) -> None:
        self._gate.open = 0
        while self._gate.inside:
            time.sleep(_LOOK_SECONDS)


class PlainCalls:
    """Calls of Python alone, the last of which ends JACK's thread, where no compiler was there.

    That takes the client out of its server's graph; the server may wait for it for some seconds then.

    Args:
        client: is not active yet.
    """

    def __init__(self, client: Any, cycle: Cycle) -> None:
        self._cycle = cycle
        self._ends = threading.Event()
        self._last = threading.Event()
        self._thread = 0
        client.set_process_callback(self._call)

    def _call(self, frames: int) -> None:
        if self._ends.is_set():
            self._thread = threading.get_native_id()
            self._last.set()
            raise jack.CallbackExit
        self._cycle(frames)

    def end(self) -> None:
        self._ends.set()
        end = time.monotonic() + _THREAD_SECONDS
        if self._last.wait(_LAST_SECONDS):
            while os.path.exists(f"/proc/self/task/{self._thread}") and time.monotonic() < end:
                time.sleep(_LOOK_SECONDS)


def call_in_periods(client: Any, cycle: Cycle) -> PeriodCalls:
    """Have JACK call a function in each period of a client that is not active yet."""
    return (GatedCalls if GATE is not None else PlainCalls)(client, cycle)
