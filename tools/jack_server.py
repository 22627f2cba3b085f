"""A JACK server of one's own with the dummy driver: for tests, measures and pictures."""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
import time
from collections.abc import Iterator

import rtmidi

_PATIENCE_SECONDS = 15.0


@contextlib.contextmanager
def jack_server(stem: str, period: int = 256, waits: bool = False) -> Iterator[str]:
    """Run a server, made the default one for this process and those that it starts.

    Args:
        stem: what its name begins with.
        period: frames in a period, at 48 kHz.
        waits: whether it waits for its clients (jackd -S). A server that does not wait drops what clients send on a
            machine that is short of time; one that waits dies with a client that is killed.

    Raises:
        RuntimeError: it does not answer.
    """
    _clear_locks()
    # JACK's registry keeps eight names, also those of servers that were killed, so they are used again.
    name = f"{stem}-{os.environ.get('PYTEST_XDIST_WORKER', '') or os.getpid() % 2}"
    command = ["jackd", "--no-realtime", *(["-S"] if waits else []), "-n", name]
    server = subprocess.Popen(
        [*command, "-d", "dummy", "-r", "48000", "-p", str(period)],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    before = {key: os.environ.get(key) for key in ("JACK_DEFAULT_SERVER", "JACK_NO_START_SERVER")}
    os.environ |= {"JACK_DEFAULT_SERVER": name, "JACK_NO_START_SERVER": "1"}
    try:
        end = time.monotonic() + _PATIENCE_SECONDS
        while not _answers():
            if time.monotonic() > end:
                raise RuntimeError(f"the JACK server {name} does not answer")
            time.sleep(0.05)
        yield name
    finally:
        server.kill()  # one whose client crashed does not always answer a request to leave
        server.wait()
        for key, value in before.items():
            if value is None:
                os.environ.pop(key, None)
            else:
                os.environ[key] = value


def _clear_locks() -> None:
    """A server that was killed leaves its metadata locked, and the next one would wait for that for ever."""
    if subprocess.run(["pgrep", "-x", "jackd"], stdout=subprocess.DEVNULL, check=False).returncode:
        shutil.rmtree(f"/dev/shm/jack_db-{os.getuid()}", ignore_errors=True)


def _answers() -> bool:
    try:
        device = rtmidi.MidiIn(rtmidi.API_UNIX_JACK, name="probe")
    except Exception:  # rtmidi raises several unrelated types
        return False
    device.delete()
    return True
