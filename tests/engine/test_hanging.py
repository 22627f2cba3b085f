"""Processes that hang: it is said, they are started anew, and none is left behind."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.events import NOTE_OFF, NOTE_ON, note_on
from arpegon.core.time import studio
from arpegon.engine.live import client as client_module
from arpegon.engine.live.client import EngineClient
from arpegon.engine.live.keeper import MemoryKeeper
from arpegon.engine.wire import heartbeat, protocol, supervisor
from arpegon.engine.wire.heartbeat import FIRST_SECONDS, LATE_SECONDS, LOOK_SECONDS, STOPPED_SECONDS, HeartbeatWatch
from arpegon.engine.wire.spawning import spawn
from arpegon.engine.wire.supervisor import Ended
from arpegon.engine.wire.wire import Wire
from building import project, strand
from engine_reports import Reports, running_engine
from jacking import wait_for


@given(st.lists(st.sampled_from(["look", "beat", "begin to take", "taken"]), max_size=100))
def test_only_looks_in_vain_count_and_any_heartbeat_begins_the_count_anew(steps):
    one, looks, taking, known = HeartbeatWatch(), 0, False, False
    for step in steps:
        if step == "look":
            one.look()
            looks = 0 if taking else looks + 1
        elif step == "beat":
            one.beat()
            looks, known = 0, True
        else:
            taking = step == "begin to take"
            one.set_taking(taking)
        seconds = looks * LOOK_SECONDS
        assert one.seconds == seconds and one.late == (known and seconds >= LATE_SECONDS)
        assert one.stopped == (seconds >= (STOPPED_SECONDS if known else FIRST_SECONDS))


@pytest.fixture
def hanging(monkeypatch):
    """The module of an engine that hangs when all is to be silenced."""
    monkeypatch.setenv("PYTHONPATH", f"{os.path.dirname(__file__)}:{os.environ.get('PYTHONPATH', '')}")
    return "hanging"


@pytest.mark.parametrize("jack_server", ["async"], indirect=True)
def test_an_engine_that_hangs_is_said_and_started_anew_and_its_notes_end(hanging, monkeypatch, jack_server, tmp_path):
    monkeypatch.setattr(client_module, "ENGINE", hanging)
    monkeypatch.setattr(supervisor, "LOOK_SECONDS", 0.1)  # five times as fast as it is counted
    monkeypatch.setattr(heartbeat, "STOPPED_SECONDS", 15.0)
    keeper = MemoryKeeper(lambda words: None)
    keeper.begin(None)
    with running_engine(tmp_path / "errors.log", keeper) as client:
        reports = client.reports
        client.set_project(project(strand()), Path("."))
        client.send(protocol.Feed("surface", [note_on(studio.now(), 0, 60, 90)]))
        wait_for(lambda: kinds(keeper) == [NOTE_ON])
        pid = client.pid
        client.send(protocol.AllOff())
        wait_for(lambda: client.pid != pid, 30.0)
        wait_for(lambda: kinds(keeper) == [NOTE_ON, NOTE_OFF])
        wait_for(lambda: texts(reports, "restart"))
        assert texts(reports, "engine-hangs")[0].startswith("The engine does not answer")
        wait_for(lambda: texts(reports, "engine-hangs")[-1] == "")


def kinds(keeper):
    return [event.status & 0xF0 for event in keeper.history().generated("a")]


def texts(reports, topic):
    return [notice.text for notice in reports.notices if notice.topic == topic]


def test_an_engine_that_hangs_does_not_outlive_the_window(hanging):
    process, ours = spawn(hanging)
    wire = Wire(ours, protocol.EngineReport)
    wire.send(protocol.SetTime(0.0))
    while not isinstance(wire.receive(), protocol.Telemetry):
        pass
    wire.send(protocol.AllOff())
    wire.close()
    wait_for(lambda: process.poll() is not None)
    assert process.returncode == 1


def test_what_an_engine_said_is_taken_back_when_it_is_gone_as_the_next_one_says_what_is_so_then():
    heard = Reports()
    client = EngineClient(heard)
    for report in (
        protocol.Missing("port", {"Bells": "It is not there."}),
        protocol.Missing("clip", {"tide.mid": "It is not there."}),
        protocol.Missing("clip", {}),
        protocol.Notice("clock", "It no longer comes."),
        protocol.Notice("jack", "It does not answer."),
        protocol.Notice("jack", ""),
    ):
        client._take(report)
    heard.missing.clear()
    heard.notices.clear()
    client._ended(Ended(True))
    assert heard.missing == [protocol.Missing("port", {}, known=False)]
    assert heard.notices[0] == protocol.Notice("clock", "") and [one.topic for one in heard.notices[1:]] == ["restart"]
