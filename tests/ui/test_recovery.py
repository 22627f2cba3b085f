"""What a crash of the window leaves is offered at the next start, and comes back: the work, and what was played."""

from __future__ import annotations

import pytest

from arpegon.core.document import edits
from arpegon.core.errors import FileError
from arpegon.core.events import note_off, note_on
from arpegon.core.notes.takes import bars
from arpegon.files.autosave import Autosave
from arpegon.files.project import save_project
from arpegon.files.spool import has_spool
from arpegon.ui.frame.recovery import offer_recovery
from building import project
from building import strand as made


def play(window, qtbot, strand_id, *notes):
    session = window.session
    for note in notes:
        session.feed(note_on(0.0, 0, note, 90), note_off(0.0, 0, note))
    qtbot.waitUntil(lambda: len(session.recorder.history().generated(strand_id)) == 2 * len(notes))


def crash(window):
    """The window's process is gone, and with it its lock; its engine too."""
    session = window.session
    session.link.keeper.flush()
    session.filing.autosave.lock.release()
    return session.filing.autosave.folder


def offered(window, folder):
    """What the next window offers, with its acts by their words."""
    next_window = Autosave(folder)
    offer_recovery(window.session, next_window.leftovers())
    next_window.lock.release()
    return window.session.notices.get("recover", ""), dict(window.session.notice_list.acts.get("recover", ()))


def test_unsaved_work_and_what_was_played_come_back_as_a_take(window, strand, qtbot):
    session = window.session
    play(window, qtbot, strand, 60, 64)
    session.filing.keep()
    folder = crash(window)
    words, acts = offered(window, folder)
    assert "Unsaved work" in words and "what was played" in words
    acts["Get it back"]()
    (take,) = session.project.takes
    assert take.name == "Played before the crash 1"
    assert [bar.note for bar in bars(take.parts[0].generated)] == [60, 64]
    assert session.project.strands[0].id == strand and session.history.dirty


def test_where_all_was_saved_what_was_played_comes_back_to_the_saved_project(window, strand, qtbot, tmp_path):
    session = window.session
    path = tmp_path / "tide.arpegon"
    session.filing.save(path)
    play(window, qtbot, strand, 60)
    session.filing.keep()
    assert not session.filing.autosave.written
    words, acts = offered(window, crash(window))
    assert words.startswith("What was played on “Untitled” before a crash")
    acts["Get it back"]()
    assert session.filing.path == path and len(session.project.takes) == 1


def test_a_saved_project_that_is_gone_does_not_take_the_playing_along(window, strand, qtbot, tmp_path):
    session = window.session
    session.filing.save(tmp_path / "tide.arpegon")
    play(window, qtbot, strand, 60)
    session.filing.keep()
    (tmp_path / "tide.arpegon").unlink()
    _, acts = offered(window, crash(window))
    acts["Get it back"]()
    assert len(session.project.takes) == 1 and "could not be read" in session.notices["file"]


def test_what_was_played_comes_back_where_the_unsaved_work_is_damaged(window, strand, qtbot, tmp_path):
    session = window.session
    session.filing.save(tmp_path / "tide.arpegon")
    play(window, qtbot, strand, 60)
    kept, folder = session.filing.autosave, crash(window)
    kept.memory.rename(kept.memory.with_name("999999999-1-1"))  # of another window
    damaged = kept.file.with_name("999999999-1-1.autosave")
    save_project(session.project, damaged)  # what holds no more than a project is damaged
    words, acts = offered(window, folder)
    assert words.startswith("What was played on “Untitled”") and "Unsaved work" in words and "cannot be read" in words
    acts["Get it back"]()
    (take,) = session.project.takes
    assert [bar.note for bar in bars(take.parts[0].generated)] == [60] and damaged.exists()
    session.filing.autosave.clear()
    words, acts = offered(window, folder)
    assert words.startswith("Unsaved work") and damaged.name in words and list(acts) == ["Throw it away"]
    acts["Throw it away"]()
    assert not damaged.exists() and offered(window, folder)[0] == ""


def test_a_take_of_what_was_played_before_a_crash_has_its_stages(window, strand, qtbot):
    session = window.session
    session.edit("t", edits.add_stage(session.project, strand, "transpose")[0])
    play(window, qtbot, strand, 60)
    session.filing.keep()
    _, acts = offered(window, crash(window))
    acts["Get it back"]()
    (take,) = session.project.takes
    assert [stage["kind"] for stage in take.parts[0].stages] == ["transpose"]


def test_unsaved_work_is_kept_before_the_demo_takes_its_place(window, strand):
    window.open_demo()
    (left,) = window.session.filing.autosave.folder.glob("autosave/*.autosave")
    assert strand.encode() in left.read_bytes()


@pytest.fixture
def full(window, strand, monkeypatch):
    """A window with unsaved work, while the disk is full."""

    def write(*what):
        raise FileError("The disk is full.")

    monkeypatch.setattr(Autosave, "write", write)
    return window


def test_a_window_stays_open_whose_work_would_be_lost(full, qtbot):
    assert not full.close() and full.isVisible()
    texts = full.session.notices
    qtbot.waitUntil(lambda: "The disk is full." in texts.get("autosave", ""))
    assert "would be lost" in texts["unkept"]
    full.open_demo()
    assert full.session.title == "Untitled"
    full.session.play()
    qtbot.waitUntil(lambda: full.session.telemetry.playing)  # it goes on
    full.close()
    dict(full.session.notice_list.acts["unkept"])["Let it go"]()
    assert not full.isVisible()


def test_who_ends_the_program_is_not_asked_and_what_was_played_stays(full, strand, qtbot):
    play(full, qtbot, strand, 60)
    full.end()
    assert not full.isVisible() and has_spool(full.session.filing.autosave.memory)


def test_it_can_be_thrown_away_and_nothing_is_offered_after_closing_in_order(window, strand, qtbot, tmp_path):
    session = window.session
    session.filing.save(tmp_path / "tide.arpegon")
    play(window, qtbot, strand, 60)
    session.filing.keep()
    folder = crash(window)
    _, acts = offered(window, folder)
    memory = session.filing.autosave.memory
    assert has_spool(memory)
    acts["Throw it away"]()
    assert not memory.exists() and offered(window, folder)[0] == ""


def test_closing_in_order_leaves_no_memory_where_all_is_saved(window, strand, qtbot, tmp_path):
    session = window.session
    session.filing.save(tmp_path / "tide.arpegon")
    play(window, qtbot, strand, 60)
    memory, folder = session.filing.autosave.memory, session.filing.autosave.folder
    qtbot.waitUntil(lambda: has_spool(memory))
    window.close()
    assert not memory.exists() and Autosave(folder).leftovers() == []


def test_another_project_begins_with_an_empty_memory(window, strand, qtbot, tmp_path):
    session = window.session
    play(window, qtbot, strand, 60)
    save_project(project(made(strand_id="b")), tmp_path / "other.arpegon")
    session.filing.open(tmp_path / "other.arpegon")
    assert session.recorder.history().strands == []
    play(window, qtbot, "b", 62)
    assert session.recorder.history().names == {"b": "B"}


def test_a_folder_that_cannot_be_written_to_is_said_and_the_memory_goes_on(window, strand, qtbot, tmp_path):
    session = window.session
    place = tmp_path / "file"
    place.write_text("")
    session.link.keeper.begin(place / "memory")
    session.send_project()
    play(window, qtbot, strand, 60)
    qtbot.waitUntil(lambda: "cannot be written to disk" in session.notices.get("memory", ""))
    assert session.recorder.keep(60.0)


def test_what_a_strand_played_that_was_removed_is_kept_too(window, strand, qtbot):
    session = window.session
    play(window, qtbot, strand, 60)
    session.edit("Remove", edits.remove_strand(session.project, strand))
    assert session.recorder.keep(60.0)
    (take,) = session.project.takes
    assert [part.strand for part in take.parts] == [strand]
