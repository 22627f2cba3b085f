"""OSC in the window: switched on from the menu, remembered, folded into the document, off at the end."""

from __future__ import annotations

import socket

import pytest
from gestures import kept_settings
from pythonosc.osc_message_builder import OscMessageBuilder

from building import project, stage
from building import strand as made_strand


@pytest.fixture
def port(monkeypatch):
    """A port that is free."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as free:
        free.bind(("127.0.0.1", 0))
        found = free.getsockname()[1]
    monkeypatch.setattr("arpegon.ui.model.osc.DEFAULT_PORT", found)
    return found


def menu_of(window):
    groups = [one.menu() for one in window.project_menu().actions()]
    inside = [one for group in groups for one in group.actions()]
    (menu,) = [one.menu() for one in inside if one.text() == "Control over OSC"]
    return {action.text(): action for action in menu.actions()}


def send(port, address, *values):
    builder = OscMessageBuilder(address)
    for value in values:
        builder.add_arg(value)
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sender:
        sender.sendto(builder.build().dgram, ("127.0.0.1", port))


def test_what_is_turned_becomes_an_edit_and_actions_are_done(window, qtbot, port):
    session = window.session
    session.load(project(made_strand(stage("transpose", "t", semitones=2))), None)
    assert not menu_of(window)["Hear it"].isChecked() and not session.osc.on
    menu_of(window)["Hear it"].trigger()
    assert session.osc.on and f"port {port}, from this computer only" in session.notices["done"]
    assert kept_settings(session).osc_port == port
    send(port, "/arpegon/set/t/semitones", 7)
    qtbot.waitUntil(lambda: session.project.find_stage("t")[1].params["semitones"] == 7)
    assert session.history.undo_label == "Turn a hooked-up control"
    send(port, "/arpegon/do/play")
    qtbot.waitUntil(lambda: session.telemetry.playing)
    send(port, "/arpegon/play/note", 60, 90)
    qtbot.waitUntil(lambda: bool(session.recorder.history().generated("a")))
    send(port, "/arpegon/do/keep")
    qtbot.waitUntil(lambda: len(session.project.takes) == 1)
    menu_of(window)["From the local network, too"].trigger()
    assert "and its local network" in session.notices["done"] and kept_settings(session).osc_anywhere
    menu_of(window)["Hear it"].trigger()
    assert not session.osc.on and kept_settings(session).osc_port == 0


def test_a_port_that_is_taken_is_said(window, port):
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as other:
        other.bind(("127.0.0.1", port))
        window.session.osc.set_on(True)
    assert f"port {port}" in window.session.notices["osc"] and not window.session.osc.on


def test_the_engine_is_told_whether_anybody_looks(window, monkeypatch):
    told = []
    monkeypatch.setattr(window.session.link, "look", told.append)
    window.showMinimized()
    assert told == [False]
    window.session.osc.set_on(True)
    assert told[-1] is True and window.session.osc.on
    window.showNormal()
    window.hide()
    assert told[-1] is True
    window.session.osc.set_on(False)
    assert told[-1] is False
    window.show()
    assert told[-1] is True
