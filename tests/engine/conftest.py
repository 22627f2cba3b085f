"""A real JACK server and a real engine process."""

from __future__ import annotations

import os
import shutil
import subprocess
import uuid
from pathlib import Path

import pytest
import rtmidi

from arpegon.engine.client import EngineClient
from arpegon.engine.protocol import Notice, Ports, Telemetry
from jacking import MidiPair, wait_for


@pytest.fixture
def jack_server(request):
    """A JACK server of the test's own, with the dummy driver: one that lost a client by a crash serves no other test.

    It waits for its clients (-S): otherwise a machine that is short of time makes it drop what they sent. Where a
    client is to crash, a test asks for one that does not wait (the parameter ``"async"``).
    """
    waiting = [] if getattr(request, "param", "sync") == "async" else ["-S"]
    _clear_locks()
    name = f"arpegon-test-{os.getpid()}"  # always the same: the registry has room for eight names, killed ones stay
    server = subprocess.Popen(
        ["jackd", "--no-realtime", *waiting, "-n", name, "-d", "dummy", "-r", "48000", "-p", "512"],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    before = os.environ.get("JACK_DEFAULT_SERVER")
    os.environ["JACK_DEFAULT_SERVER"] = name
    os.environ["JACK_NO_START_SERVER"] = "1"
    try:
        wait_for(_answers)
        yield name
    finally:
        server.kill()  # a server whose client crashed does not always answer a request to leave
        server.wait()
        if before is None:
            del os.environ["JACK_DEFAULT_SERVER"]
        else:
            os.environ["JACK_DEFAULT_SERVER"] = before


def _clear_locks():
    """A server that was killed leaves its metadata locked, and the next one would wait for that for ever."""
    if subprocess.run(["pgrep", "-x", "jackd"], stdout=subprocess.DEVNULL, check=False).returncode:
        shutil.rmtree(f"/dev/shm/jack_db-{os.getuid()}", ignore_errors=True)


def _answers():
    try:
        device = rtmidi.MidiIn(rtmidi.API_UNIX_JACK, name="probe")
    except Exception:
        return False
    device.delete()
    return True


class Reports:
    """Everything an engine reported."""

    def __init__(self):
        self.telemetry: list[Telemetry] = []
        self.ports: list[Ports] = []
        self.notices: list[Notice] = []

    def __call__(self, report):
        {Telemetry: self.telemetry, Ports: self.ports, Notice: self.notices}[type(report)].append(report)

    def printed(self, strand, roll):
        return [
            event
            for telemetry in list(self.telemetry)
            for printed in telemetry.printed
            if (printed.strand, printed.roll) == (strand, roll)
            for event in printed.events
        ]


@pytest.fixture
def live(tmp_path, jack_server):
    """A running engine process: (client, reports)."""
    reports = Reports()
    client = EngineClient(reports, Path(tmp_path) / "engine.log")
    client.reports = reports
    client.start()
    wait_for(lambda: reports.telemetry)
    yield client
    client.close()
    log = (Path(tmp_path) / "engine.log").read_text(errors="replace")
    assert "Traceback" not in log, log


@pytest.fixture
def pair(jack_server):
    one = MidiPair(f"T{uuid.uuid4().hex[:4]}")
    yield one
    one.close()
