"""Exports from the window: in a process beside it, followed, ended, and nothing half-written left."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from types import SimpleNamespace

import mido
import pytest
import soundfile
from gestures import collect

from arpegon import render_process
from arpegon.core.document.model import Section
from arpegon.files.project import format_project
from arpegon.files.song import Wish
from arpegon.ui.frame.export_dialog import ExportDialog
from arpegon.ui.model import exporting
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


def render(tmp_path, bars, until):
    """A render of MIDI and then sound, ended as soon as ``until`` holds of a line; how it left, and its lines."""
    one = project(strand(sources=(WALK,)))
    wish = {"project": str(tmp_path / "tide.arpegon"), "midi_out": str(tmp_path / "tide.mid")}
    wish |= {"wav_out": str(tmp_path / "tide.wav"), "normalize": True, "bars": bars}
    command = [sys.executable, "-m", "arpegon.render_process"]
    process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    process.stdin.write(json.dumps({"wish": wish, "project": format_project(one).decode(), "folder": str(tmp_path)}))
    process.stdin.close()
    told = []
    for line in process.stdout:
        told.append(json.loads(line))
        if until(told[-1]):
            process.terminate()
    return process.wait(60), told


def test_one_that_is_ended_tells_which_files_are_whole(tmp_path):
    code, told = render(tmp_path, 128, lambda line: (tmp_path / "tide.mid").exists())
    assert code == 143 and told[-1] == {"written": ["tide.mid"]}
    assert [path.name for path in tmp_path.iterdir()] == ["tide.mid"] and mido.MidiFile(tmp_path / "tide.mid").length


def test_a_line_is_told_at_once_so_that_it_is_whole_or_not_there(monkeypatch):
    told = []
    monkeypatch.setattr(sys, "stdout", SimpleNamespace(write=told.append, flush=lambda: None))
    render_process._tell(share=0.5)
    assert told == ['{"share": 0.5}\n']


def test_one_that_is_done_is_not_ended(tmp_path):
    code, told = render(tmp_path, 1, lambda line: "text" in line)
    assert code == 0 and "events from 1 strand" in told[-1]["text"]
    assert {path.name for path in tmp_path.iterdir()} == {"tide.mid", "tide.wav"}


@pytest.mark.parametrize(
    ("last", "code", "words"),
    [
        ({"written": ["tide.mid"]}, 143, "The export was ended; of it “tide.mid” is written."),
        ({"written": []}, 143, "The export was ended; nothing of it was written."),
        ({"text": "All of it."}, 0, "All of it."),
    ],
)
def test_what_an_export_had_written_when_it_was_ended_is_said(window, tmp_path, qtbot, monkeypatch, last, code, words):
    program = tmp_path / "render"
    end = f"echo '{json.dumps(last, ensure_ascii=False)}'; exit {code}"
    program.write_text(f"""#!/bin/sh
trap "$(cat {tmp_path}/end)" TERM
echo '{{"share": 0.5}}'
while :; do sleep 0.05; done
""")
    (tmp_path / "end").write_text(end)
    program.chmod(0o755)
    monkeypatch.setattr(exporting.sys, "executable", str(program))
    export = exporting.Export(window.session)
    moved, ended = collect(export.moved), collect(export.ended)
    export.start(Wish(project=tmp_path / "tide.arpegon"))
    qtbot.waitUntil(lambda: bool(moved))
    export.stop()
    qtbot.waitUntil(lambda: not export.running)
    assert ended == [(words, not code)]


def test_an_export_that_is_ended_leaves_nothing(dialog, tmp_path, qtbot):
    dialog.bars.set_value(512)
    dialog.what.set_value("sound")
    dialog.begin(tmp_path / "long.wav")
    moved = []
    dialog.export.moved.connect(moved.append)
    qtbot.waitUntil(lambda: any(share >= 0.1 for share in moved))
    dialog.cancel.click()
    qtbot.waitUntil(lambda: not dialog.export.running)
    assert "ended" in dialog.said.text() and not [
        name for name in os.listdir(tmp_path) if "long" in name or name.startswith(".")
    ]
    dialog.cancel.click()
    assert not dialog.isVisible()
