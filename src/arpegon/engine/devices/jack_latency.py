"""How late what leaves us is, as JACK asks: hosts make up for it, and patchbays show it.

The binding that we use knows nothing of latencies, so the four functions are called in the library itself
(jack/jack.h, "Managing and determining latency").
"""

from __future__ import annotations

import ctypes
import logging
import time
from collections.abc import Callable, Iterable
from typing import Any

from arpegon.engine.devices.jack_library import address, library

log = logging.getLogger(__name__)

_PAUSE_SECONDS = 0.2
CAPTURE, PLAYBACK = 0, 1
"""Since when what leaves is under way; until when what comes in will be heard."""


class _Range(ctypes.Structure):
    _fields_ = (("min", ctypes.c_uint32), ("max", ctypes.c_uint32))


_Ask = ctypes.CFUNCTYPE(None, ctypes.c_int, ctypes.c_void_p)


def _library() -> Any:
    found = library()
    if found is None:
        return None
    try:
        found.jack_set_latency_callback.argtypes = (ctypes.c_void_p, _Ask, ctypes.c_void_p)
        found.jack_recompute_total_latencies.argtypes = (ctypes.c_void_p,)
        for kind in ("get", "set"):
            function = getattr(found, f"jack_port_{kind}_latency_range")
            function.argtypes, function.restype = (ctypes.c_void_p, ctypes.c_int, ctypes.POINTER(_Range)), None
    except AttributeError:
        return None
    return found


_LIBRARY = _library()


def latency_range(port: Any, mode: int) -> tuple[int, int]:
    """The least and the greatest latency of a port, in frames."""
    found = _Range()
    _LIBRARY.jack_port_get_latency_range(address(port), mode, ctypes.byref(found))
    return found.min, found.max


class LatencyReport:
    """Answers JACK for one client: what comes in leaves ``frames`` later.

    Args:
        ports: the client's inputs and outputs, of MIDI and audio.
        frames: how much later something leaves that is answered at once.
        asked: called, from a thread of JACK's, when it asks: connections are others.
    """

    def __init__(
        self,
        client: Any,
        ports: Callable[[], tuple[Iterable[Any], Iterable[Any]]],
        frames: Callable[[], int],
        asked: Callable[[], None] = lambda: None,
    ) -> None:
        self._pointer = address(client)
        self._ports = ports
        self._frames = frames
        self._asked = asked
        self._told: int | None = None
        self._ask_at = 0.0
        self._callback = _Ask(self._answer)  # JACK keeps no reference
        if _LIBRARY is not None:
            _LIBRARY.jack_set_latency_callback(self._pointer, self._callback, None)

    def look(self) -> None:
        """Have all latencies worked out again where ours is another than what was told; a server that is busy may have
        to be asked twice."""
        now = time.monotonic()
        if _LIBRARY is not None and self._told not in (None, self._frames()) and now > self._ask_at:
            self._ask_at = now + _PAUSE_SECONDS
            _LIBRARY.jack_recompute_total_latencies(self._pointer)

    def _answer(self, mode: int, _: object) -> None:
        try:
            self._asked()
            inputs, outputs = self._ports()
            given, wanted = (inputs, outputs) if mode == CAPTURE else (outputs, inputs)
            known = [latency_range(port, mode) for port in given]
            own = self._told = self._frames()
            # What a generator makes came from nowhere, so the least is ours alone.
            answer = _Range(own, own + max((longest for _, longest in known), default=0))
            for port in wanted:
                _LIBRARY.jack_port_set_latency_range(address(port), mode, ctypes.byref(answer))
        except Exception:  # in a thread of JACK's
            log.exception("a fault while JACK asked for latencies")
