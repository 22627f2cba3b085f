"""Exports from the window: in a process beside it, followed, ended, and nothing half-written left."""

from __future__ import annotations

import os

import mido
import pytest
import soundfile

from arpegon.core.document.model import Section
from arpegon.ui.frame.export_dialog import ExportDialog
from building import generator, project, strand

WALK = generator("steps", "s", rate="1/8", patterns=[[{"note": 60}]], in_scale=False)


@pytest.fixture
def dialog(window):
    one = project(strand(sources=(WALK,)), sections=(Section(id="a", name="A", bars=2),))
    window.session.load(one, None)
    window._actions["export"].trigger()
    found = window.findChild(ExportDialog)
    assert found.isVisible()
    return found


def test_midi_and_sound_are_written_and_followed(dialog, tmp_path, qtbot):
    moved = []
    dialog.export.moved.connect(moved.append)
    dialog.what.chosen.emit("both")
    dialog.what.set_value("both")
    dialog.begin(tmp_path / "tide.mid")
    assert dialog.export.running and dialog.cancel.text() == "Stop" and not dialog.go.isEnabled()
    qtbot.waitUntil(lambda: not dialog.export.running)
    assert "events from 1 strand" in dialog.said.text(), dialog.said.text()
    assert moved == sorted(moved) and len(moved) > 10 and moved[-1] < 1.0
    notes = [m for track in mido.MidiFile(tmp_path / "tide.mid").tracks for m in track if m.type == "note_on"]
    assert len(notes) == 16 and soundfile.info(tmp_path / "tide.wav").duration > 4.0


def test_what_goes_wrong_is_said(dialog, tmp_path, qtbot):
    (tmp_path / "folder.mid").mkdir()
    dialog.begin(tmp_path / "folder.mid")
    qtbot.waitUntil(lambda: not dialog.export.running)
    assert "folder.mid" in dialog.said.text()


def test_an_export_that_is_ended_leaves_nothing(dialog, tmp_path, qtbot):
    dialog.bars.set_value(512)
    dialog.what.set_value("sound")
    dialog.begin(tmp_path / "long.wav")
    moved = []
    dialog.export.moved.connect(moved.append)
    qtbot.waitUntil(lambda: any(share >= 0.5 for share in moved))
    dialog.cancel.click()
    qtbot.waitUntil(lambda: not dialog.export.running)
    assert "ended" in dialog.said.text() and not [
        name for name in os.listdir(tmp_path) if "long" in name or name.startswith(".")
    ]
    dialog.cancel.click()
    assert not dialog.isVisible()
