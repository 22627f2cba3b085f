"""Which JACK server is meant: JACK's library reads that from the environment, as a client is opened."""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Iterator, Mapping

try:
    import jack
except (ImportError, OSError):  # this machine has no JACK library
    jack = None

_NONE = {"JACK_DEFAULT_SERVER": "none", "PIPEWIRE_NOJACK": "1"}
"""By these JACK2's library, and PipeWire's in its place, find no server."""
_lock = threading.Lock()
_AT_MOST_SECONDS = 1.0
"""A client that has been on its way for so long has read what is meant, and waits for the server's answer."""


@contextlib.contextmanager
def own_client() -> Iterator[None]:
    """A client of ours is opened meanwhile."""
    held = _lock.acquire(timeout=_AT_MOST_SECONDS)
    try:
        yield
    finally:
        if held:
            _lock.release()


@contextlib.contextmanager
def no_other_client() -> Iterator[None]:
    """A library that would open a client of its own finds no server meanwhile, where ours can.

    Of a server that stands still it would wait for an answer for ever, and JACK's library may end the process where two
    of its clients leave at once.
    """
    if jack is None:
        yield
        return
    with own_client(), environment(_NONE):
        yield


@contextlib.contextmanager
def environment(values: Mapping[str, str]) -> Iterator[None]:
    """The environment of this process, and of those that it starts, has other values meanwhile."""
    before = {key: os.environ.get(key) for key in values}
    os.environ.update(values)
    try:
        yield
    finally:
        for key, value in before.items():
            if value is None:
                del os.environ[key]
            else:
                os.environ[key] = value
