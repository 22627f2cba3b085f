"""Becoming a client of a JACK server, which may never answer."""

from __future__ import annotations

import glob
import os
import threading
import time
from collections.abc import Callable
from typing import Any

from arpegon.engine.devices.jack_choice import own_client
from arpegon.engine.devices.relay import Relay

try:
    import jack
except (ImportError, OSError):  # this machine has no JACK library
    jack = None

_NAME_SECONDS, _NAME_PAUSE = 0.5, 0.02
"""How long an engine that was killed may go on holding its name: JACK finds out some 40 ms later."""
_PERIOD_PAUSE = 0.001


def open_client(name: str) -> Any:
    """A client under our own name, as soon as whoever was killed under it is forgotten; else under a similar one.

    Raises:
        jack.JackOpenError: there is no server.
    """
    end = time.monotonic() + _NAME_SECONDS
    while True:
        exact = time.monotonic() < end
        try:
            with own_client():
                return jack.Client(name, use_exact_name=exact, no_start_server=True)
        except jack.JackOpenError as error:
            if not exact or error.status.server_failed:  # a name that is taken is called an error of the server
                raise
        time.sleep(_NAME_PAUSE)


def may_run() -> bool:
    """Whether there is any sign of a server; asking one that is not there costs time."""
    runtime = os.environ.get("XDG_RUNTIME_DIR", "")
    return bool(glob.glob("/dev/shm/jack*") or (runtime and glob.glob(f"{runtime}/pipewire-0")))


def is_called(relay: Relay, seconds: float) -> bool:
    """Whether JACK's thread comes to work on a first period within so many seconds.

    Told of its transport before, the library would start another thread beside it. It never comes where another program
    opened a client of our name at the same moment, be it of another server: the library keeps what is said to a client
    under its name alone.
    """
    end = time.monotonic() + seconds
    while not relay.cycles:
        if time.monotonic() > end:
            return False
        time.sleep(_PERIOD_PAUSE)
    return True


class Opening:
    """A client on its way, opened beside whoever waits for it: a server that stands still lets it wait for ever, and so
    does a lock that another program held as it was killed.

    Args:
        name: what the client is to be called.
        open_one: opens it.
    """

    def __init__(self, name: str, open_one: Callable[[str], Any]) -> None:
        self.name = name
        self._open = open_one
        self._client: Any = None
        self._error: Exception | None = None
        self._done = threading.Event()
        threading.Thread(target=self._work, name="jack-open", daemon=True).start()

    def _work(self) -> None:
        try:
            self._client = self._open(self.name)
        except Exception as error:
            self._error = error
        self._done.set()

    def client(self, seconds: float) -> Any:
        """The client; ``None`` where it is not there after so many seconds.

        Raises:
            jack.JackError: as the library says.
        """
        if not self._done.wait(seconds):
            return None
        if self._error is not None:
            raise self._error
        return self._client
