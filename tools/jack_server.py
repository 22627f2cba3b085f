"""A JACK server of one's own with the dummy driver: for tests, measures and pictures."""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import jack

from arpegon.engine.devices.jack_choice import environment
from arpegon.engine.devices.jack_leaving import LEAVING

for _choose in (jack.set_error_function, jack.set_info_function):
    _choose(lambda _: None)  # servers are looked for that are not there yet

_PATIENCE_SECONDS = 10.0
_ATTEMPTS = 3


@contextlib.contextmanager
def jack_server(
    stem: str,
    period: int = 256,
    waits: bool = False,
    realtime: bool = False,
    rate: int = 48_000,
    log: Path = Path(os.devnull),
) -> Iterator[str]:
    """Run a server, made the default one for this process and those that it starts.

    Args:
        stem: what its name begins with.
        period: frames in a period.
        waits: whether it waits for its clients (jackd -S). A server that does not wait drops what clients send on a
            machine that is short of time; one that waits stands still for seconds when a client is killed.
        realtime: whether it runs with real-time priority, as musicians have it, where the system allows that.
        rate: frames in a second.
        log: where what it says is written to.

    Raises:
        RuntimeError: it does not answer.
    """
    # JACK's registry keeps eight names, also those of servers that were killed, so they are used again.
    name = f"{stem}-{os.environ.get('PYTEST_XDIST_WORKER', '') or os.getpid() % 2}"
    priority = ["-R", "-P", "60"] if realtime and _may_be_realtime() else ["--no-realtime"]
    command = ["jackd", *priority, *(["-S"] if waits else []), "-n", name]
    command += ["-d", "dummy", "-r", str(rate), "-p", str(period)]
    with environment({"JACK_DEFAULT_SERVER": name, "JACK_NO_START_SERVER": "1"}):
        server = _started(command, log)
        try:
            yield name
        finally:
            for leaving in [one for one in threading.enumerate() if one.name == LEAVING]:
                leaving.join(_PATIENCE_SECONDS)
            _kill(server)


def _started(command: list[str], log: Path) -> subprocess.Popen[bytes]:
    """A server that answers.

    One that was killed may leave the metadata that all servers share locked, and the next would wait for that for ever,
    also while a third goes on with what it holds of it. So one that does not answer starts again, on new metadata.
    """
    if not _any_runs():
        _clear_metadata()
    for _ in range(_ATTEMPTS):
        with log.open("ab") as said:
            server = subprocess.Popen(command, stdout=said, stderr=said)
        end = time.monotonic() + _PATIENCE_SECONDS
        while time.monotonic() < end:
            if _answers():
                return server
            time.sleep(0.05)
        _kill(server)
        _clear_metadata()
        _clear_names()
    raise RuntimeError(f"the JACK server does not answer: {' '.join(command)}")


def _may_be_realtime() -> bool:
    try:
        os.sched_setscheduler(0, os.SCHED_FIFO, os.sched_param(1))
        os.sched_setscheduler(0, os.SCHED_OTHER, os.sched_param(0))
    except OSError:
        return False
    return True


def _clear_metadata() -> None:
    shutil.rmtree(f"/dev/shm/jack_db-{os.getuid()}", ignore_errors=True)


def _clear_names() -> None:
    """Forget the names of servers: the eight that are kept may all be of such as were killed."""
    if not _any_runs():
        Path("/dev/shm/jack-shm-registry").unlink(missing_ok=True)


def _any_runs() -> bool:
    return not subprocess.run(["pgrep", "-x", "jackd"], stdout=subprocess.DEVNULL, check=False).returncode


def _kill(server: subprocess.Popen[bytes]) -> None:
    server.kill()  # one whose client crashed does not always answer a request to leave
    server.wait()


def _answers() -> bool:
    try:
        jack.Client("probe", no_start_server=True).close()
    except jack.JackOpenError:
        return False
    return True
