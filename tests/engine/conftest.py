"""A real JACK server and a real engine process."""

from __future__ import annotations

import uuid
from pathlib import Path

import pytest
from tools.jack_server import jack_server as server

from arpegon.files.logs import log_file
from engine_reports import running_engine
from jacking import MidiPair


@pytest.fixture
def jack_server(request, tmp_path):
    """A JACK server of the test's own: one that lost a client by a crash serves no other test.

    It waits for its clients, but where a client is to crash (the parameter ``"async"``).
    """
    waits = getattr(request, "param", "sync") != "async"
    with server("arpegon-test", 512, waits=waits, log=tmp_path / "jackd.log") as name:
        yield name


@pytest.fixture
def live(tmp_path, jack_server):
    """A running engine process with its ports open; ``reports`` of it."""
    errors = Path(tmp_path) / "engine-errors.log"
    with running_engine(errors) as client:
        yield client
    for log in (errors, log_file("engine.log")):
        written = log.read_text(errors="replace") if log.exists() else ""
        assert "Traceback" not in written, written


@pytest.fixture
def pair(jack_server):
    one = MidiPair(f"T{uuid.uuid4().hex[:4]}")
    yield one
    one.close()
