"""Files that others write too: nothing is written over without a word, and nothing is lost."""

from __future__ import annotations

import os
import threading
import time

import msgspec
import pytest
from gestures import kept_settings
from PyQt6.QtCore import QTimer

from arpegon.core.document import edits
from arpegon.core.document.model import ClipSource
from arpegon.core.errors import FileError
from arpegon.files.autosave import Autosave, _leftover, _Place
from arpegon.files.midi import Track, write_midi
from arpegon.files.on_disk import OpenMark
from arpegon.files.path_text import text_path
from arpegon.files.places import state_dir
from arpegon.files.project import load_project, save_project
from arpegon.files.settings import Settings
from arpegon.ui.model import filing
from arpegon.ui.model.beside import beside
from arpegon.ui.model.session import Session
from building import notes, project, strand

MINE, THEIRS = "Mine", "Theirs"


@pytest.fixture
def sessions(qapp):
    """Makes sessions whose engines were never started."""
    made = []

    def make():
        made.append(Session(Settings()))
        return made[-1]

    yield make
    for one in made:
        one.filing.close()


@pytest.fixture
def path(tmp_path):
    file = tmp_path / "tide.arpegon"
    save_project(project(strand(), title="Tide"), file)
    return file


def rename(session, name):
    session.edit("Rename", edits.set_strand(session.project, "a", name=name))


def name_in(file):
    return load_project(file).strands[0].name


@pytest.fixture
def apart(sessions, path):
    """A session with an edit of its own, while another program changed the file; its three answers."""
    session = sessions()
    session.filing.open(path)
    rename(session, MINE)
    save_project(project(strand(name=THEIRS), title="Tide"), path)
    assert not session.filing.save(path) and name_in(path) == THEIRS
    assert "was changed by another program" in session.notices["file"]
    return session, dict(session.notice_list.acts["file"])


def test_theirs_is_taken_and_undo_brings_mine_back(apart, path):
    session, acts = apart
    acts["Take theirs"]()
    assert session.project.strands[0].name == THEIRS and not session.history.dirty and "file" not in session.notices
    session.undo()
    assert session.project.strands[0].name == MINE and session.history.dirty
    assert session.filing.save(path) and name_in(path) == MINE


def test_mine_is_written_where_that_is_the_answer(apart, path):
    session, acts = apart
    acts["Keep mine"]()
    assert name_in(path) == MINE and not session.history.dirty and "file" not in session.notices


def test_both_are_kept_under_two_names(apart, path, tmp_path):
    session, acts = apart
    acts["Keep both, mine as “tide 2.arpegon”"]()
    assert (name_in(path), name_in(tmp_path / "tide 2.arpegon")) == (THEIRS, MINE)
    assert session.filing.path == tmp_path / "tide 2.arpegon"
    rename(session, "again")
    assert session.filing.save(session.filing.path)


def test_a_file_that_was_only_touched_or_is_gone_is_written(sessions, path):
    session = sessions()
    session.filing.open(path)
    for change in (lambda: os.utime(path, (1e9, 1e9)), lambda: path.write_bytes(path.read_bytes()), path.unlink):
        rename(session, f"{MINE} {path.stat().st_mtime_ns}")
        change()
        assert session.filing.save(path)


def test_a_file_that_may_only_be_read_is_asked_for(sessions, path, tmp_path):
    session = sessions()
    session.filing.open(path)
    rename(session, MINE)
    path.chmod(0o444)
    assert not session.filing.save(path) and "only be read" in session.notices["file"]
    acts = dict(session.notice_list.acts["file"])
    acts["Keep both, mine as “tide 2.arpegon”"]()
    assert name_in(tmp_path / "tide 2.arpegon") == MINE and name_in(path) == "A"
    session.filing.open(path)
    rename(session, MINE)
    session.filing.save(path)
    dict(session.notice_list.acts["file"])["Write it all the same"]()
    assert name_in(path) == MINE and path.stat().st_mode & 0o777 == 0o444


def test_two_windows_on_one_project_are_said_and_neither_writes_over_the_other(sessions, path):
    first, second = sessions(), sessions()
    first.filing.open(path)
    second.filing.open(path)
    assert "open-twice" not in first.notices and "another window" in second.notices["open-twice"]
    rename(first, "first")
    rename(second, "second")
    assert first.filing.save(path) and not second.filing.save(path) and name_in(path) == "first"
    second.filing.new()
    assert "open-twice" not in second.notices
    first.filing.close()
    assert OpenMark().hold(path)


def test_work_from_a_crash_knows_what_the_file_held(sessions, path):
    session = sessions()
    session.filing.open(path)
    rename(session, MINE)
    session.filing.keep()
    session.filing.autosave.lock.release()
    save_project(project(strand(name=THEIRS), title="Tide"), path)
    (leftover,) = Autosave().leftovers()
    other = sessions()
    other.filing.recover(leftover)
    assert other.project.strands[0].name == MINE
    assert not other.filing.save(path) and "another program" in other.notices["file"] and name_in(path) == THEIRS


def test_work_is_kept_beside_the_window_and_a_save_waits_for_it(sessions, path, monkeypatch, qtbot):
    session = sessions()
    session.filing.open(path)
    gate, real = threading.Event(), Autosave.write
    monkeypatch.setattr(Autosave, "write", lambda *what: gate.wait(20.0) and real(*what))
    rename(session, MINE)
    session.filing.keep_beside()
    assert not session.filing.autosave.written, "it goes on while the disk is slow"
    rename(session, THEIRS)
    session.filing.keep_beside()
    assert not session.filing.autosave.written, "and when there is more to keep"
    gate.set()
    qtbot.waitUntil(lambda: not session.filing._writing.is_alive())
    session.filing.keep()
    session.filing.autosave.lock.release()
    (kept,) = Autosave().leftovers()
    assert kept.project.strands[0].name == THEIRS
    assert session.filing.save(path) and not session.filing.autosave.written


def test_the_work_of_a_hand_that_never_rests_is_kept_and_heard(sessions, path, monkeypatch, qapp):
    monkeypatch.setattr(filing, "AUTOSAVE_MS", 200)
    monkeypatch.setattr(filing, "AUTOSAVE_MAX_MS", 600)
    session = sessions()
    session.filing.open(path)
    sent, until, count = session.link.client.revision, time.monotonic() + 20.0, 0
    while not (session.filing.autosave.written and session.link.client.revision > sent):
        assert time.monotonic() < until, "nothing was kept, or sent to the engine"
        count += 1
        rename(session, f"{MINE} {count}")
        qapp.processEvents()


def test_work_that_cannot_be_kept_is_said(sessions, path, qtbot):
    session = sessions()
    session.filing.open(path)
    rename(session, MINE)
    (state_dir() / "autosave").parent.mkdir(parents=True, exist_ok=True)
    (state_dir() / "autosave").write_text("in the way")
    session.filing.keep_beside()
    qtbot.waitUntil(lambda: "could not be kept" in session.notices.get("autosave", ""))
    assert msgspec.structs.asdict(session.project.strands[0])["name"] == MINE


@pytest.fixture
def unkept(sessions, path):
    """A session with unsaved work, where nothing can be kept for a crash."""
    session = sessions()
    session.filing.open(path)
    rename(session, MINE)
    (state_dir() / "autosave").parent.mkdir(parents=True, exist_ok=True)
    (state_dir() / "autosave").write_text("in the way")
    return session


@pytest.mark.parametrize("leave", ["open", "new"])
def test_work_that_cannot_be_kept_does_not_go_without_a_word(unkept, path, tmp_path, leave):
    save_project(project(strand(name=THEIRS)), tmp_path / "other.arpegon")
    go = {"open": lambda: unkept.filing.open(tmp_path / "other.arpegon"), "new": unkept.filing.new}[leave]
    assert not go() and unkept.project.strands[0].name == MINE
    assert "“Tide” would be lost" in unkept.notices["unkept"]
    let_go = dict(unkept.notice_list.acts["unkept"])["Let it go"]
    rename(unkept, "again")
    let_go()
    assert unkept.project.strands[0].name == "again", "what was edited since is asked for anew"
    dict(unkept.notice_list.acts["unkept"])["Let it go"]()
    assert [one.name for one in unkept.project.strands] == ([THEIRS] if leave == "open" else [])
    assert "unkept" not in unkept.notices


def test_what_was_kept_once_and_taken_back_is_kept_no_more(sessions, path):
    session = sessions()
    session.filing.open(path)
    rename(session, MINE)
    assert session.filing.keep()
    session.undo()
    assert session.filing.keep() and not session.filing.autosave.written
    session.redo()
    (state_dir() / "autosave").rmdir()
    (state_dir() / "autosave").write_text("in the way")
    assert not session.filing.new()


def test_work_that_could_not_be_kept_goes_once_it_is_saved(unkept, path):
    assert not unkept.filing.new()
    assert unkept.filing.save(path) and "unkept" not in unkept.notices
    assert unkept.filing.new() and name_in(path) == MINE


def test_what_was_played_stays_where_the_work_could_not_be_kept(unkept):
    unkept.filing.autosave.memory.mkdir(parents=True)
    written = unkept.filing.autosave.memory / "000001.memory"
    written.write_text("played")
    unkept.filing.close()
    assert written.exists()


def test_what_a_crash_left_stays_until_it_is_kept_again(sessions, path, monkeypatch):
    session = sessions()
    session.filing.open(path)
    rename(session, MINE)
    session.filing.keep()
    session.filing.autosave.lock.release()
    (leftover,) = Autosave().leftovers()
    other = sessions()

    def write(*what):
        raise FileError("The disk is full.")

    with monkeypatch.context() as full:
        full.setattr(Autosave, "write", write)
        other.filing.recover(leftover)
    assert other.project.strands[0].name == MINE and leftover.place.file.exists()
    other.filing.recover(leftover)
    assert not leftover.place.file.exists() and other.filing.autosave.written


def test_a_project_whose_name_is_no_text_is_worked_on_like_any_other(window, qtbot, tmp_path):
    folder = tmp_path / os.fsdecode(b"fog \xff")
    folder.mkdir()
    path = folder / os.fsdecode(b"tide \xfe.arpegon")
    write_midi(folder / "c.mid", [Track("x", notes(60))], 120.0)
    save_project(project(strand(sources=(ClipSource(file="c.mid"),))), path)
    session = window.session
    assert session.filing.open(path)
    session.link.play(0.0)
    qtbot.waitUntil(lambda: bool(session.recorder.history().generated("a")))  # the engine found the clip
    rename(session, MINE)
    session.filing.keep()
    leftover = _leftover(_Place(session.filing.autosave.folder, session.filing.autosave.file.stem))
    assert leftover.origin == path
    assert session.filing.save(path) and name_in(path) == MINE
    assert text_path(kept_settings(session).recent[0]) == path.resolve()
    assert session.filing.name_for(folder / "c.mid") == "c.mid" and "file" not in session.notices
    assert session.filing.name_for(folder / os.fsdecode(b"x\xff.mid")) is None
    assert "no UTF-8" in session.notices["file"] and window.isVisible()


def test_a_save_to_a_slow_disk_lets_the_window_live(sessions, path, monkeypatch):
    session = sessions()
    session.filing.open(path)
    rename(session, MINE)
    gate, alive, real = threading.Event(), [], filing.write_atomic
    monkeypatch.setattr(filing, "write_atomic", lambda *what: gate.wait(20.0) and real(*what))

    def tick():
        alive.append(session.history.dirty)
        gate.set()

    QTimer.singleShot(0, tick)  # only a window that lives lets the disk go on
    assert session.filing.save(path) and alive == [True] and name_in(path) == MINE


def test_what_goes_wrong_beside_is_said_like_all_else(sessions, path, tmp_path):
    session = sessions()
    session.filing.open(path)
    rename(session, MINE)
    (tmp_path / "file").write_text("x")
    assert (
        not session.filing.save(tmp_path / "file" / "x.arpegon") and "could not be written" in session.notices["file"]
    )
    with pytest.raises(ZeroDivisionError):
        beside(lambda: 1 // 0)
    assert beside(lambda: 5) == 5
