"""Being a client of a JACK server no more."""

from __future__ import annotations

import contextlib
import ctypes
import time
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


def leave(client: Any, called: tuple[object, ...]) -> None:
    """Be no client any more.

    JACK cancels its threads as it closes a client, wherever they are: one that just waits for the interpreter would
    keep the lock on which all of our threads wait. So it calls nobody any more by then.

    Args:
        called: what JACK calls, which must be there until then.
    """
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
