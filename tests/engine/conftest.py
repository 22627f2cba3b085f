"""A real JACK server and a real engine process."""

from __future__ import annotations

import uuid
from pathlib import Path

import pytest
from tools.jack_server import jack_server as server

from arpegon.core.notes.taps import Batch
from arpegon.engine.live.client import EngineClient
from arpegon.engine.wire.protocol import Missing, Notice, Ports, Telemetry
from arpegon.files.logs import log_file
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
        self.missing: list[Missing] = []
        self.batches: list[Batch] = []

    def __call__(self, report):
        lists = {Telemetry: self.telemetry, Ports: self.ports, Notice: self.notices, Missing: self.missing}
        lists.get(type(report), self.batches).append(report)

    def printed(self, strand, place):
        return [
            event
            for batch in list(self.batches)
            for passage in batch.passages
            if passage.strand == strand and place in passage.places
            for event in passage.events
        ]

    def open_ports(self):
        return self.ports[-1].opened if self.ports else []


@pytest.fixture
def live(tmp_path, jack_server):
    """A running engine process with its ports open; ``reports`` of it."""
    reports = Reports()
    errors = Path(tmp_path) / "engine-errors.log"
    client = EngineClient(reports, errors)
    client.reports = reports
    client.start()
    wait_for(lambda: reports.telemetry and "" in reports.open_ports())
    yield client
    client.close()
    for log in (errors, log_file("engine.log")):
        written = log.read_text(errors="replace") if log.exists() else ""
        assert "Traceback" not in written, written


@pytest.fixture
def pair(jack_server):
    one = MidiPair(f"T{uuid.uuid4().hex[:4]}")
    yield one
    one.close()
