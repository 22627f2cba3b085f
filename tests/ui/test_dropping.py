"""What is dropped onto the window: said before it is done, and done where it is shown."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDragLeaveEvent, QDropEvent
from PyQt6.QtWidgets import QApplication

from arpegon.core.document.model import AudioSource, ClipSource
from arpegon.core.notes.course import Course
from arpegon.core.notes.sheet import Note
from arpegon.files.midi import Track, write_midi
from arpegon.files.presets import format_preset, of_stage
from arpegon.files.project import save_project
from arpegon.ui.parts.midi_clipboard import mime_of_notes
from building import notes, project, stage, strand


@pytest.fixture
def board(window):
    window.session.load(project(strand()), None)
    window.show_view("Board")
    QApplication.processEvents()
    return window


def file_data(path):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    return data


def over(window, on_strand=True):
    """A spot of the window over the strand, or beside it."""
    column = window.board.columns["a"]
    return QPointF(column.mapTo(window, QPoint(60, 120)) if on_strand else window.header.mapTo(window, QPoint(5, 5)))


def drop(window, data, on_strand=True):
    """Hold data over the window, drop it; the words that were shown before."""
    spot = over(window, on_strand)
    held = (Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(window, QDragEnterEvent(spot.toPoint(), *held))
    words = window.drops.layer.words if window.drops.layer.isVisible() else ""
    assert not words or window.drops.layer.grab().toImage().width() > 0
    QApplication.sendEvent(window, QDropEvent(spot, *held))
    assert not window.drops.layer.isVisible()
    return words


def sources(window):
    return window.session.project.strands[0].sources


def test_a_midi_file_over_a_strand_becomes_a_clip_of_it(board, tmp_path):
    write_midi(tmp_path / "fog.mid", [Track("x", notes(60))], 120.0)
    assert "clip of A" in drop(board, file_data(tmp_path / "fog.mid"))
    assert isinstance(sources(board)[1], ClipSource) and sources(board)[1].file.endswith("fog.mid")
    board.session.undo()
    assert len(sources(board)) == 1


def test_elsewhere_it_becomes_a_take(board, tmp_path):
    write_midi(tmp_path / "fog.mid", [Track("x", notes(60))], 120.0)
    assert "take" in drop(board, file_data(tmp_path / "fog.mid"), on_strand=False)
    assert [take.name for take in board.session.project.takes] == ["fog"]


def test_notes_of_another_program_become_a_clip_in_the_project(board):
    data = mime_of_notes([Note(3.0, 4.0, 60, 90)], Course(), "x")
    assert "clip of A" in drop(board, data)
    assert [event.data1 for event in sources(board)[1].music.events] == [60, 60]


def test_presets_key_maps_audio_and_projects(board, tmp_path):
    (tmp_path / "p.arpegon-preset").write_bytes(format_preset(of_stage(stage("chord"), "Fifths")))
    assert "p" in drop(board, file_data(tmp_path / "p.arpegon-preset"))
    assert [one.kind for one in board.session.project.strands[0].stages] == ["chord"]
    (tmp_path / "k.csv").write_text("key,plays\nC4,E4\n")
    assert "key map" in drop(board, file_data(tmp_path / "k.csv"))
    assert [one.kind for one in board.session.project.strands[0].stages] == ["chord", "keymap"]
    (tmp_path / "hum.wav").write_bytes(b"RIFF")
    assert "listens" in drop(board, file_data(tmp_path / "hum.wav"))
    assert isinstance(sources(board)[-1], AudioSource)
    save_project(project(strand(strand_id="other"), title="Other"), tmp_path / "o.arpegon")
    assert "open" in drop(board, file_data(tmp_path / "o.arpegon"))
    assert board.session.project.title == "Other"


def test_what_is_nothing_for_us_is_said(board, tmp_path):
    (tmp_path / "x.txt").write_text("fog")
    assert drop(board, file_data(tmp_path / "x.txt")) == ""
    assert "nothing that can be used" in board.session.notices["file"]
    for name in ("bad.csv", "bad.arpegon-preset"):
        (tmp_path / name).write_bytes(b"\xff\xfe")
        drop(board, file_data(tmp_path / name))
        assert name in board.session.notices["file"]


def test_what_leaves_again_leaves_nothing_in_sight(board, tmp_path):
    write_midi(tmp_path / "fog.mid", [Track("x", notes(60))], 120.0)
    data = file_data(tmp_path / "fog.mid")
    held = (Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(board, QDragEnterEvent(over(board).toPoint(), *held))
    assert board.drops.layer.isVisible()
    QApplication.sendEvent(board, QDragLeaveEvent())
    assert not board.drops.layer.isVisible()
