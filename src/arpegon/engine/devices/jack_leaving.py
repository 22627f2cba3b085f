"""Being a client of a JACK server no more."""

from __future__ import annotations

import contextlib
import ctypes
import threading
import time
from typing import TYPE_CHECKING, Any

from arpegon.engine.devices.jack_library import address, function

if TYPE_CHECKING:
    from arpegon.engine.devices.jack_calls import PeriodCalls

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
LEAVING = "jack-leave"
"""What threads are called that leave a server."""
_AT_MOST_SECONDS = 20.0
"""After so long nobody waits for it any more."""


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


class Leaving:
    """A client that is left, beside whoever waits for that: a server that stands still never lets go.

    Another one is not to be had before: of two in one process that are of different servers, JACK's library takes the
    newer's server for that of both.
    """

    def __init__(self, *client: Any) -> None:
        self._until = time.monotonic() + _AT_MOST_SECONDS
        self._thread = threading.Thread(target=leave, args=client, name=LEAVING, daemon=True)
        self._thread.start()

    def wait(self, seconds: float) -> None:
        """Wait until it is left, but no longer than that."""
        self._thread.join(seconds)

    @property
    def under_way(self) -> bool:
        """Whether it is being left still, and may yet be."""
        return self._thread.is_alive() and time.monotonic() < self._until


def call_nobody(client: Any) -> bool:
    """Have a client that is not active call nobody any more; whether it took that.

    What it calls instead does nothing, whatever it is handed: JACK asks whether there is a callback, and then calls it.
    """
    place, nothing = address(client), ctypes.cast(ctypes.CDLL(None).sched_yield, ctypes.c_void_p)
    answers = [function(name, *[ctypes.c_void_p] * 3)(place, nothing, None) for name in _CALLBACKS]
    return not any(answers)
