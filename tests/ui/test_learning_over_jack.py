"""Learning with real events over a real JACK server, in the real window."""

from __future__ import annotations

import time
import uuid

import pytest
from gestures import settled
from PyQt6.QtCore import QCoreApplication, QEvent, Qt
from PyQt6.QtTest import QTest
from tools.jack_server import jack_server

from arpegon.core.document import edits
from arpegon.files.settings import Settings
from arpegon.ui.model.session import Session
from arpegon.ui.parts.hook_handle import handle_of
from arpegon.ui.window import Window
from jacking import MidiPair


@pytest.fixture
def devices():
    with jack_server("arpegon-test", 512):
        pair = MidiPair(f"T{uuid.uuid4().hex[:4]}")
        yield pair
        pair.close()


@pytest.fixture
def window_on_jack(devices, qapp, qtbot):
    session = Session(Settings(block=512))
    window = Window(session)
    window.show()
    session.start()
    qtbot.waitUntil(lambda: any(devices.name in port for port in session.reports.ports.inputs), timeout=30_000)
    yield window
    window.close()
    window.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


def test_a_knob_of_a_device_is_learnt_while_another_trembles(window_on_jack, devices, qtbot):
    window, keys = window_on_jack, devices.keys
    QTest.mouseClick(window.board.empty.buttons["felt-piano"], Qt.MouseButton.LeftButton)
    strand = window.session.project.strands[0].id
    window.session.edit("add", edits.add_stage(window.session.project, strand, "transpose")[0])
    window.session.select_stage("transpose")
    qtbot.waitUntil(lambda: any(devices.name in port for port in window.session.reports.ports.opened))
    handle_of(window.bench.editor.controls["semitones"]).learn()
    settled(window, qtbot)
    for place in range(40):
        keys.send([0xB0, 7, 64 + place % 3])
        if place > 10:
            keys.send([0xB2, 74, 2 * place])
        qtbot.wait(8)
    qtbot.waitUntil(lambda: len(window.session.project.hookups) == 1)
    made = window.session.project.hookups[0]
    assert (made.control, made.number, made.channel) == ("cc", 74, 2) and devices.name in made.feed
    settled(window, qtbot)
    stage = window.session.project.find_stage("transpose")[1]

    def turned():
        keys.send([0xB2, 74, 127])  # again and again: a server that is late loses what came in one period
        return window.session.values(stage)["semitones"] == 24

    qtbot.waitUntil(turned)
    began = time.monotonic()
    qtbot.waitUntil(lambda: window.session.project.find_stage("transpose")[1].params.get("semitones") == 24)
    assert time.monotonic() - began < 10.0
