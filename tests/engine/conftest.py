"""A real JACK server and a real engine process."""

from __future__ import annotations

import uuid
from pathlib import Path

import pytest
from tools.jack_server import jack_server as server

from arpegon.engine.live.client import EngineClient
from arpegon.engine.wire.protocol import Notice, Ports, Telemetry
from jacking import MidiPair, wait_for


@pytest.fixture
def jack_server(request):
    """A JACK server of the test's own: one that lost a client by a crash serves no other test.

    It waits for its clients, but where a client is to crash (the parameter ``"async"``).
    """
    with server("arpegon-test", 512, waits=getattr(request, "param", "sync") != "async") as name:
        yield name


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
