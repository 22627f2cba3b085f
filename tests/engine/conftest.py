"""A real JACK server and a real engine process."""

from __future__ import annotations

import os
import subprocess
import uuid
from pathlib import Path

import pytest
import rtmidi

from arpegon.engine.client import EngineClient
from arpegon.engine.protocol import Notice, Ports, Telemetry
from jacking import MidiPair, wait_for


@pytest.fixture(scope="session")
def jack_server():
    """A JACK server of the tests' own, with the dummy driver."""
    name = f"arpegon-test-{uuid.uuid4().hex[:6]}"
    server = subprocess.Popen(
        ["jackd", "--no-realtime", "-n", name, "-d", "dummy", "-r", "48000", "-p", "128"],
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
        server.terminate()
        server.wait(10)
        if before is None:
            del os.environ["JACK_DEFAULT_SERVER"]
        else:
            os.environ["JACK_DEFAULT_SERVER"] = before


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
def live(tmp_path):
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
