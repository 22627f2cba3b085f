"""The Take view: edits, remedies, the clipboard, and what a take becomes."""

from __future__ import annotations

from pathlib import Path

import pytest
from gestures import LEFT, heard_to_its_end
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from arpegon.core.document import edits, take_edits
from arpegon.core.document.model import ClipSource, SurfaceSource
from arpegon.core.events import NOTE_ON, control, note_off, note_on
from arpegon.core.notes.course import Course
from arpegon.core.notes.sheet import Note, Sheet
from arpegon.core.notes.takes import Take, TakePart
from arpegon.core.time import studio
from arpegon.files.autosave import Autosave
from arpegon.files.midi import Track, read_midi, write_song
from arpegon.ui.model.take_stage import plan_stage
from arpegon.ui.parts.dropping import as_take
from arpegon.ui.take.playing import while_it_plays
from building import generator, note_ons, pitches, project, stage, strand

KEY, CTRL = Qt.Key, Qt.KeyboardModifier.ControlModifier


def played(*rows):
    """Events from (start, end, note)."""
    return Sheet(tuple(Note(start, end, note, 90) for start, end, note in rows)).events()


TAKE = Take(
    id="t",
    name="Tide",
    beats=4.0,
    course=Course(tempi=((0.0, 120.0),)),
    parts=(
        TakePart(strand="a", name="A", played=played((0.1, 0.9, 60), (1.1, 1.9, 62)), generated=played((0.1, 0.9, 60))),
        TakePart(strand="gone", name="Gone", played=played((0.0, 1.0, 50)), generated=played((0.0, 1.0, 50))),
    ),
)


@pytest.fixture
def view(window):
    """The Take view with one take of a strand that steps feed."""
    one = project(strand(stage("chord", "c", offsets=[7]), sources=(generator("steps", "s"), SurfaceSource())))
    window.session.load(take_edits.add_take(one, TAKE), None)
    window.show_view("Take")
    return window.takes


def rows(view, version="played"):
    return [(round(note.start, 3), round(note.end, 3), note.note) for note in view.versions[version].roll.notes]


def test_an_edit_on_the_paper_is_one_step_of_undo(view):
    roll = view.versions["played"].roll
    roll.choose({0})
    for _ in range(3):
        QTest.keyClick(roll, KEY.Key_Right)
    roll.settled.emit()
    assert rows(view)[0] == (0.1, 0.9, 63) and roll.chosen == {0}
    assert pitches(view.take.parts[0].played) == [63, 62] and pitches(view.take.parts[0].generated) == [60]
    view.session.undo()
    assert rows(view)[0] == (0.1, 0.9, 60) and view.session.project.take("t") == TAKE


def test_a_remedy_is_shown_before_it_is_done(view):
    roll = view.versions["played"].roll
    roll.choose(set())
    view.remedies.choose("grid")
    view.remedies._values["grid"] = {"rate": "1/4", "ends": True}
    view.remedies.look()
    assert view.remedies.words.text() == "2 notes change" and len(roll.ghosts[0]) == 2
    assert rows(view) == [(0.1, 0.9, 60), (1.1, 1.9, 62)], "nothing was done yet"
    QTest.mouseClick(view.remedies.do, LEFT)
    assert rows(view) == [(0.0, 1.0, 60), (1.0, 2.0, 62)]
    view.remedies.look()
    assert view.remedies.words.text() == "Nothing would change." and not view.remedies.do.isEnabled()
    view.versions["generated"].roll.choose({0})
    assert roll.ghosts == ((), ())


def test_any_stage_can_be_run_over_a_selection(view):
    view.versions["played"].roll.choose({1})
    view.remedies.choose("stage:transpose")
    view.remedies._values["stage:transpose"] = {"semitones": 12}
    view.remedies.look()
    QTest.mouseClick(view.remedies.do, LEFT)
    assert rows(view) == [(0.1, 0.9, 60), (1.1, 1.9, 74)]
    sheet = Sheet((Note(0.5, 1.0, 61, 90),))
    plan = plan_stage(sheet, (), Course(), "scale", {})
    assert plan.sheet.notes[0].note in (60, 62) and plan.words == "1 note changes"


def test_copy_cut_and_paste_go_over_the_clipboard_as_midi(view):
    roll = view.versions["played"].roll
    roll.choose({0, 1})
    QTest.keyClick(roll, KEY.Key_C, CTRL)
    view.span.cursor = 8.0
    QTest.keyClick(roll, KEY.Key_V, CTRL)
    assert rows(view)[2:] == [(8.0, 8.8, 60), (9.0, 9.8, 62)] and roll.chosen == {2, 3}
    assert view.take.beats == pytest.approx(9.8)
    QTest.keyClick(roll, KEY.Key_X, CTRL)
    assert len(rows(view)) == 2


def test_as_played_onto_the_board_is_a_clip_before_the_stages_and_the_rest_rests(view):
    view.versions["played"].roll.choose({0})
    view.acts.onto_board()
    (one,) = view.session.project.strands
    steps, _, clip = one.sources
    assert steps.bypass and isinstance(clip, ClipSource) and clip.music.name == "Tide"
    assert clip.music.events == TAKE.parts[0].played and clip.music.beats == 4.0 and not clip.loop


def test_as_generated_onto_the_board_is_a_clip_past_the_stages(view):
    view.versions["generated"].roll.choose({0})
    view.acts.onto_board()
    (one,) = view.session.project.strands
    steps, _, clip = one.sources
    assert clip.past and clip.music.events == TAKE.parts[0].generated and steps.bypass
    assert "past the stages" in view.session.notices["done"]
    view.session.undo()
    assert len(view.session.project.strands[0].sources) == 2


def test_a_span_goes_onto_the_board_with_no_loose_ends(view):
    view.versions["played"].roll.choose({0})
    view.span.loop = (0.5, 1.5)
    view.acts.onto_board()
    music = view.session.project.strands[0].sources[-1].music
    assert [(e.time, e.kind, e.data1) for e in music.events] == [
        (pytest.approx(0.6), NOTE_ON, 62),
        (pytest.approx(1.0), 0x80, 62),
    ]
    assert music.beats == 1.0 and "Beats 1.5 to 2.5" in view.session.notices["done"]


def test_what_rests_is_said_while_it_plays(view, qtbot):
    assert while_it_plays(view.session.project, TAKE, True) == "Steps rests meanwhile · live keys are kept out"
    view.playing.keys_out = True
    view.playing.play_from(0.0)
    qtbot.waitUntil(lambda: view.bar.words.full == "Steps rests meanwhile · live keys are kept out")
    view.playing.stop()
    qtbot.waitUntil(lambda: view.bar.words.full.startswith("2.0 s"))


def test_the_strand_of_a_take_may_be_gone(view):
    view.show_strand("gone")
    view.acts.onto_board()
    assert "gone" in view.session.notices["take"] and len(view.session.project.strands) == 1


def test_a_take_is_duplicated_removed_and_its_first_note_made_beat_1(view):
    view.acts.duplicate()
    assert [take.name for take in view.session.project.takes] == ["Tide 2", "Tide"]
    view.show_strand("a")
    view.acts.first_note_first()
    assert rows(view)[0][0] == 0.1, "another part begins earlier"
    view.remove()
    assert [take.name for take in view.session.project.takes] == ["Tide"]


def test_the_values_with_which_a_take_begins_are_not_its_first_note(view):
    events = (control(0.0, 0, 11, 40), note_on(1.5, 0, 60, 90), note_off(2.0, 0, 60))
    part = TakePart(strand="a", name="A", played=events, generated=events)
    take = Take(id="u", name="Fog", beats=4.0, parts=(part,))
    view.session.edit("t", take_edits.add_take(view.session.project, take))
    view.choose("u")
    view.acts.first_note_first()
    assert [event.time for event in view.take.parts[0].played] == [0.0, 0.0, 0.5]


def test_a_take_that_was_played_freely_is_laid_at_the_tempo_of_the_project(view):
    view.session.edit("tempo", edits.set_project(view.session.project, tempo=60.0))
    view.acts.lay_at_tempo()
    assert rows(view) == [(0.05, 0.45, 60), (0.55, 0.95, 62)] and view.take.seconds == pytest.approx(2.0)
    assert view.take.course.tempi == ((0.0, 60.0),)


def test_through_the_stages_it_meets_them(view, qtbot):
    heard_to_its_end(view.session, qtbot, view.playing.play_through)
    qtbot.waitUntil(lambda: len(note_ons(view.session.recorder.history().generated("a"))) >= 4)
    assert pitches(view.session.recorder.history().played("a"))[:2] == [60, 62]
    assert sorted(pitches(view.session.recorder.history().generated("a"))[:4]) == [60, 62, 67, 69]


def test_takes_are_starred_noted_and_found(view):
    view.acts.star()
    view.list.note.setText("lovely fog")
    view.list.note.editingFinished.emit()
    view.acts.duplicate()
    assert [view.list.list.item(row).text().split("\n")[0] for row in range(2)] == ["Tide 2 ★", "Tide ★"]
    view.session.edit("x", take_edits.set_take(view.session.project, "t", note="dull", starred=False))
    for words, count in (("fog", 1), ("dull", 1), ("star", 1), ("gone a", 2), ("nothing", 0)):
        view.list.sought.setText(words)
        assert view.list.list.count() == count, words


def test_a_take_brings_the_stages_of_its_moment_back(view):
    session = view.session
    take = take_edits.with_stages(session.project.take("t"), session.project)
    session.edit("x", take_edits.set_take(session.project, "t", parts=take.parts))
    assert not view.acts.can_bring_back
    session.edit("x", edits.remove_stage(session.project, "c"))
    session.edit("x", edits.add_stage(session.project, "a", "scale", 0)[0])
    assert view.acts.can_bring_back and "made by Chord" in view.versions["generated"].count.text()
    view.acts.bring_stages_back()
    (stage_back,) = session.project.strands[0].stages
    assert stage_back.kind == "chord" and stage_back.params["offsets"] == [7]


def test_a_midi_file_is_read_as_a_take_with_its_tempi_and_meters(view, tmp_path):
    course = Course(tempi=((0.0, 90.0), (3.0, 60.0)), meters=((0.0, (3, 4), 1), (6.0, (4, 4), 3)))
    write_song(tmp_path / "fog.mid", [Track("x", played((1.0, 2.0, 60), (4.0, 8.0, 62)))], course)
    as_take(view.session, tmp_path / "fog.mid")
    take = view.take
    assert take.name == "fog" and take.course.meters == course.meters
    assert [round(bpm, 3) for _, bpm in take.course.tempi] == [90.0, 60.0]
    assert rows(view) == rows(view, "generated") == [(1.0, 2.0, 60), (4.0, 8.0, 62)]
    (tmp_path / "bad.mid").write_bytes(b"nothing")
    as_take(view.session, tmp_path / "bad.mid")
    assert "not a MIDI file" in view.session.notices["file"]


def test_what_is_dragged_out_is_a_midi_file_of_what_is_chosen(view):
    view.versions["played"].roll.choose({1})
    data = view.versions["played"].drag.data()
    assert data.hasFormat("audio/midi") and data.urls()[0].toLocalFile().endswith("A.mid")
    assert [event.data1 for event in read_midi(Path(data.urls()[0].toLocalFile())).events] == [62, 62]
    view.show_strand("gone")
    view.versions["played"].roll.choose(set())
    assert view.versions["played"].drag.data() is not None


def test_a_version_is_saved_as_a_score(view, tmp_path):
    assert view.save("played", tmp_path / "tide.musicxml")
    assert "<score-partwise" in (tmp_path / "tide.musicxml").read_text()
    assert not view.save("played", tmp_path / "tide.musicxml" / "x.musicxml")
    assert "x.musicxml" in view.session.notices["file"]


def test_coming_to_the_takes_leaves_the_letters_to_the_play_surface(view):
    window = view.window()
    assert window.focusWidget() is not view.list.sought
    view.session.recorder.kept.emit("t")
    window.show_view("Board")
    window.show_view("Take")
    assert window.focusWidget() is not view.list.sought
    view.show_strand("gone")
    assert view.bar.strands.value() == "gone"


def test_takes_have_colours_and_are_laid_at_a_typed_tempo(view, monkeypatch):
    view.acts.colour(3)
    assert view.take.ink == 3 and not view.list.list.item(0).icon().isNull()
    texts = [action.text() for action in view.acts.menu(view).actions()]
    assert "Colour" in texts and "Lay it at another tempo …" in texts
    monkeypatch.setattr("arpegon.ui.take.take_acts.QInputDialog.getDouble", lambda *rest: (240.0, True))
    view.acts.ask_tempo(view)
    assert view.take.course.tempi == ((0.0, 240.0),) and rows(view)[0] == (0.2, 1.8, 60)
    view.acts.colour(None)
    assert view.take.ink is None


@pytest.mark.parametrize("ends", ["keep", "record"])
def test_what_was_struck_just_before_a_take_was_made_is_in_it(view, ends):
    """However lately: word of it may still be on its way."""
    session = view.session
    session.edit("live keys only", edits.remove_stage(session.project, "c"))
    for note in range(70, 76):
        if ends == "record":
            session.recorder.record()
        session.feed(note_on(studio.now(), 0, note, 90))
        getattr(session.recorder, ends)()
        part = session.project.takes[0].part("a")
        assert note in pitches(part.played) and note in pitches(part.generated)
        session.feed(note_off(studio.now(), 0, note))


def test_the_round_that_goes_on_is_kept_as_another_project_comes(view, qtbot):
    session = view.session
    session.edit("live keys only", edits.remove_stage(session.project, "c"))
    view.playing.record_over(False)
    session.feed(note_on(0.0, 0, 74, 90), note_off(0.0, 0, 74))
    qtbot.waitUntil(lambda: 74 in pitches(session.recorder.history().generated("a")))
    session.filing.new()
    assert not view.playing.over.on
    session.filing.autosave.lock.release()
    (left,) = Autosave().leftovers()
    (take,) = left.project.takes
    assert 74 in pitches(take.parts[0].generated)


@pytest.fixture
def asked(view, monkeypatch, lines):
    """What was asked to be played: from and to which second, and whether through the stages; the window is slow."""
    session, asked = view.session, []
    play = session.link.play_take

    def late(parts, start, end, through, keys_out):
        asked.append((start, end, through))
        QTest.qWait(400)
        lines.append(view.span.playhead)
        play(parts, start, end, through, keys_out)

    monkeypatch.setattr(session.link, "play_take", late)
    return asked


@pytest.fixture
def lines():
    """Where the line was before each."""
    return []


def test_a_round_lies_where_it_was_heard_however_late_the_take_began(view, qtbot, asked):
    """A long take needs a moment until it plays; the span ends where nothing of the take has sounded for long."""
    session, span = view.session, (2.0, 3.5)
    session.edit("live keys only", edits.remove_stage(session.project, "c"))
    view.span.loop, pressed = span, studio.now()
    view.playing.record_over(False)
    qtbot.waitUntil(lambda: session.telemetry.take_began is not None)
    began = session.telemetry.take_began + view.take.course.second_at(span[0])
    assert began > pressed + 0.3 and asked[0] == (1.0, 1.75, False)
    session.feed(note_on(0.0, 0, 72, 90), note_off(0.0, 0, 72))
    qtbot.waitUntil(lambda: 72 in pitches(view.take.parts[0].generated))
    view.playing.stop()
    (heard,) = (event.time for event in note_ons(session.recorder.history().generated("a")) if event.data1 == 72)
    (kept,) = (event.time for event in note_ons(view.take.parts[0].generated) if event.data1 == 72)
    assert kept == pytest.approx(span[0] + 2.0 * (heard - began), abs=1e-6), "at 120 in a minute"
    assert span[0] <= kept < span[1]


@pytest.mark.parametrize("through", [False, True])
def test_a_span_is_played_round_and_round_up_to_its_end(view, qtbot, asked, lines, through):
    """In the same way each time; each round is asked for once, however long it takes until it begins."""
    view.span.loop, view.span.cursor = (0.5, 1.5), 0.5
    if through:
        view.playing.play_through()
    else:
        view.playing.play_from(0.5)
    qtbot.waitUntil(lambda: len(asked) == 3)
    assert asked == 3 * [(0.25, 0.75, through)] and view.playing.on
    assert lines[0] is None and None not in lines[1:], "the line stays between two rounds"
    view.span.loop = (0.5, 2.0)
    qtbot.waitUntil(lambda: len(asked) >= 5)
    assert (0.75, 1.0, through) in asked[3:5], "the rest of a span that became longer"
    view.playing.stop()
    qtbot.waitUntil(lambda: not view.playing.on)
    assert view.session.telemetry.take_began is None


def test_a_span_that_goes_round_is_ended_by_all_off(view, qtbot, asked):
    view.span.loop = (0.0, 40.0)
    view.playing.play_from(0.0)
    qtbot.waitUntil(lambda: view.session.telemetry.take_began is not None)
    view.session.all_off()
    qtbot.waitUntil(lambda: not view.playing.on)
    assert len(asked) == 1


@pytest.mark.parametrize("replaces", [False, True])
def test_a_take_is_recorded_over_round_by_round(view, qtbot, replaces):
    session = view.session
    session.edit("live keys only", edits.remove_stage(session.project, "c"))
    first = view.take.parts[0]
    view.playing.record_over(replaces)
    assert view.playing.over.on
    for note in (72, 74):
        before = view.take.parts[0]
        session.feed(note_on(0.0, 0, note, 90))
        session.feed(note_off(0.0, 0, note))
        qtbot.waitUntil(lambda before=before: view.take.parts[0] != before)
    view.playing.toggle()
    assert not view.playing.over.on
    found = [event.data1 for event in view.take.parts[0].generated if event.kind == NOTE_ON]
    assert 74 in found and (found == [74]) is replaces
    assert replaces or {60, 72, 74} <= set(found)
    while view.session.history.undo_label.startswith("Round"):
        session.undo()
    assert view.take.parts[0].generated == first.generated
