"""A file is replaced only when the dialog has asked about it by its whole name."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtWidgets import QFileDialog, QWidget

from arpegon.core.document import edits, take_edits
from arpegon.core.events import note_off, note_on
from arpegon.core.notes.takes import Take, TakePart
from arpegon.ui.frame.export_dialog import ExportDialog
from arpegon.ui.parts.save_dialog import ask_where, whole_name

SUFFIXES = (".mid", ".midi")


@pytest.fixture
def answers(monkeypatch):
    """What is typed into the dialog each time that it comes, and what it proposed."""
    typed, proposed = [], []

    def ask(parent, title, path, kinds):
        proposed.append(path)
        return (typed.pop(0), kinds)

    monkeypatch.setattr(QFileDialog, "getSaveFileName", ask)
    return typed, proposed


@pytest.fixture
def ask(qtbot, tmp_path):
    parent = QWidget()
    qtbot.addWidget(parent)
    return lambda: ask_where(parent, "Save", tmp_path / "first.mid", "MIDI files", SUFFIXES)


@pytest.mark.parametrize(
    ("typed", "whole"),
    [
        ("tide", "tide.mid"),
        ("Op. 12", "Op. 12.mid"),
        ("tide.MID", "tide.MID"),
        ("a.midi", "a.midi"),
        ("x.y", "x.y.mid"),
    ],
)
def test_names_get_their_suffix(typed, whole):
    assert whole_name(Path("/music") / typed, SUFFIXES) == Path("/music") / whole


def test_a_name_without_suffix_is_asked_about_once_more_where_it_is_there(answers, ask, tmp_path):
    typed, proposed = answers
    (tmp_path / "tide.mid").write_text("precious")
    typed += [str(tmp_path / "tide"), str(tmp_path / "tide.mid")]
    assert ask() == tmp_path / "tide.mid"
    assert proposed == [str(tmp_path / "first.mid"), str(tmp_path / "tide.mid")]


def test_whoever_thinks_better_of_it_keeps_the_file(answers, ask, tmp_path):
    (tmp_path / "Op. 12.mid").write_text("precious")
    answers[0].extend([str(tmp_path / "Op. 12"), ""])
    assert ask() is None


def test_a_new_name_is_asked_for_once(answers, ask, tmp_path):
    answers[0].append(str(tmp_path / "new"))
    assert ask() == tmp_path / "new.mid" and len(answers[1]) == 1


@pytest.fixture
def proposed(window, monkeypatch):
    """Where each thing that writes a file proposes to write it."""

    def all_proposed():
        session, found = window.session, []
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda parent, title, path, kinds: (found.append(path), ""))
        strand_id = session.project.strands[0].id
        part = TakePart(strand=strand_id, name="Bells", played=(note_on(0.0, 0, 60, 90), note_off(1.0, 0, 60)))
        session.edit("take", take_edits.add_take(session.project, Take(id="t", name="Tide", beats=4.0, parts=(part,))))
        project, stage = edits.add_stage(session.project, strand_id, "keymap")
        session.edit("key map", project)
        session.select_stage(stage)
        window.show_view("Take")
        dialog = ExportDialog(session, window)
        for ask in (window.ask_save, window.hookups.ask_save, dialog.ask, window.bench.editor.ask_write):
            ask()
        window.takes._ask_save("played")
        assert len(found) == 5
        return {Path(path).parent for path in found}

    return all_proposed


def test_what_is_written_of_the_demo_and_of_new_work_is_proposed_to_lie_at_home(window, strand, proposed):
    assert proposed() == {Path.home()}
    window.open_demo()
    assert proposed() == {Path.home()}


def test_what_is_written_of_a_saved_project_is_proposed_to_lie_beside_it(window, strand, proposed, tmp_path):
    assert window.session.filing.save(tmp_path / "tide.arpegon")
    assert proposed() == {tmp_path}
