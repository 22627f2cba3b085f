"""The story, in the real window: play, shape, keep, save."""

from __future__ import annotations

import os
import re
import signal
from pathlib import Path

import mido
import pytest
from gestures import heard_to_its_end, kept_settings, settled, typing_over
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLineEdit, QMenu

from arpegon.core.document import edits
from arpegon.core.document.model import InstrumentDestination, SurfaceSource
from arpegon.core.notes.taps import rolls_of
from arpegon.core.theory.pitch import written
from arpegon.engine.wire.protocol import Locate
from arpegon.files import settings
from arpegon.files.midi import Track, write_midi
from arpegon.files.places import DEMO
from arpegon.files.project import load_project, save_project
from arpegon.ui.bench.chord_editor import ChordEditor
from arpegon.ui.bench.destination_editor import DestinationEditor
from arpegon.ui.bench.editor import StageEditor
from arpegon.ui.bench.humanize_editor import HumanizeEditor
from arpegon.ui.bench.scale_editor import ScaleEditor
from arpegon.ui.bench.source_editor import SourceEditor
from arpegon.ui.controls.slider import Slider
from arpegon.ui.controls.step_lanes import StepLanes
from arpegon.ui.frame.recovery import offer_recovery
from arpegon.ui.model.selection import Selection
from arpegon.ui.model.words import zone_words
from building import generator, notes, pitches

LEFT = Qt.MouseButton.LeftButton


def printed(window, strand_id, roll):
    """Notes on one roll of the board, by its number, oldest first."""
    places = rolls_of(stage.id for stage in window.session.project.strand(strand_id).stages)
    return [bar.note for bar in window.session.paper(strand_id).line(places[roll]).begun(0.0)]


def held(window):
    return window.session.telemetry.health.sounding


def drag(widget, start, end, drop=True):
    """Drag with the left button, in a few steps, as a hand does."""
    QTest.mousePress(widget, LEFT, pos=start)
    for share in (0.3, 0.6, 1.0):
        place = QPointF(start) + (QPointF(end) - QPointF(start)) * share
        spot = QPointF(widget.mapToGlobal(place.toPoint()))
        none = Qt.KeyboardModifier.NoModifier
        event = QMouseEvent(QMouseEvent.Type.MouseMove, place, spot, LEFT, LEFT, none)
        QApplication.sendEvent(widget, event)
    if drop:
        QTest.mouseRelease(widget, LEFT, pos=end)


@pytest.fixture
def story(window, strand, qtbot):
    """Humanize, Scale, Chord in the strand; the ids of the stages."""
    session = window.session
    ids = []
    for kind in ("humanize", "scale", "chord"):
        project, stage_id = edits.add_stage(session.project, strand, kind)
        session.edit("add", project)
        ids.append(stage_id)
    session.set_params(ids[1], {"root": "C"}, True)
    settled(window, qtbot)
    return ids


def test_an_empty_board_teaches_and_one_click_sounds(window, strand, qtbot):
    assert not window.board.empty.isVisible() and strand in window.board.columns
    QTest.keyPress(window, Qt.Key.Key_Z)
    qtbot.waitUntil(lambda: printed(window, strand, 0) == [60])
    qtbot.waitUntil(lambda: held(window) == 1)
    qtbot.waitUntil(lambda: max(window.session.telemetry.meters.values(), default=0) > 0.001)
    QTest.keyRelease(window, Qt.Key.Key_Z)
    qtbot.waitUntil(lambda: held(window) == 0)


def test_a_key_that_is_let_go_over_a_menu_ends_its_note(window, strand, qtbot):
    QTest.keyPress(window, Qt.Key.Key_Z)
    qtbot.waitUntil(lambda: held(window) == 1)
    menu = QMenu(window)
    menu.addAction("Lamps")
    menu.popup(window.mapToGlobal(QPoint(50, 50)))
    qtbot.waitUntil(menu.isVisible)
    QTest.keyRelease(menu, Qt.Key.Key_Z)
    qtbot.waitUntil(lambda: held(window) == 0)
    menu.close()


def test_where_no_key_is_held_nobody_hears_all_that_happens(window, qtbot, monkeypatch):
    asked = []
    monkeypatch.setattr(type(window.surface.computer_keys), "eventFilter", lambda self, *what: bool(asked.append(what)))
    field = window.header.position
    for number in range(50):
        field.show_text(f"{number}")
        field.repaint()
    assert all(watched is not field for watched, _ in asked)


def test_a_second_strand_takes_two_actions_and_sounds_at_once(window, strand, qtbot):
    QTest.mouseClick(window.board.new_strand.open_button, LEFT)
    QTest.mouseClick(window.board.new_strand.buttons["round-bass"], LEFT)
    second = window.session.project.strands[1].id
    QTest.keyPress(window, Qt.Key.Key_Q)
    qtbot.waitUntil(lambda: printed(window, second, 0) == [72])
    qtbot.waitUntil(lambda: held(window) == 2)
    QTest.keyRelease(window, Qt.Key.Key_Q)
    qtbot.waitUntil(lambda: held(window) == 0)


def test_the_mouse_plays_and_lower_is_louder(window, strand, qtbot):
    keyboard = window.surface.keyboard
    for y in (4, keyboard.height() - 4):
        QTest.mouseClick(keyboard, LEFT, pos=QPoint(6, y))
    qtbot.waitUntil(lambda: printed(window, strand, 0) == [36, 36])
    soft, loud = (bar.velocity for bar in window.session.paper(strand).line("in").begun(0.0))
    assert soft < 40 and loud > 110
    qtbot.waitUntil(lambda: held(window) == 0)


def test_gliding_over_keys_leaves_nothing_sounding(window, strand, qtbot):
    keyboard = window.surface.keyboard
    drag(keyboard, QPoint(6, 60), QPoint(300, 60))
    qtbot.waitUntil(lambda: len(printed(window, strand, 0)) >= 3)
    qtbot.waitUntil(lambda: held(window) == 0)


def test_typing_a_name_does_not_play(window, strand, qtbot):
    column = window.board.columns[strand]
    column._name.rename()
    field = typing_over(column)
    QTest.keyClicks(field, "Zxq")
    assert isinstance(QApplication.focusWidget(), QLineEdit)
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert window.session.project.strands[0].name == "Zxq"
    settled(window, qtbot)
    assert printed(window, strand, 0) == []


def test_losing_the_keyboard_lets_go_of_its_keys(window, strand, qtbot):
    QTest.keyPress(window, Qt.Key.Key_Z)
    qtbot.waitUntil(lambda: held(window) == 1)
    window.surface.release_all()
    qtbot.waitUntil(lambda: held(window) == 0)


def test_each_roll_shows_what_its_stage_made(window, strand, story, qtbot):
    QTest.keyPress(window, Qt.Key.Key_S)  # C sharp
    qtbot.waitUntil(lambda: len(printed(window, strand, 3)) == 3)
    assert [printed(window, strand, roll) for roll in range(4)] == [[61], [61], [60], [60, 63, 67]]
    QTest.keyRelease(window, Qt.Key.Key_S)
    qtbot.waitUntil(lambda: held(window) == 0)


def test_a_stage_stands_on_the_bench_with_its_readout(window, strand, story, qtbot):
    for stage_id, editor in zip(story, (HumanizeEditor, ScaleEditor, ChordEditor), strict=True):
        bar = next(bar for bar in window.board.columns[strand].bars if bar.stage.id == stage_id)
        QTest.mouseClick(bar, LEFT)
        assert isinstance(window.bench.editor, editor)
    readout = window.bench.readout
    QTest.keyClick(window, Qt.Key.Key_Z)
    qtbot.waitUntil(lambda: len(readout.rows.kept) == 1)
    assert readout.rows.text_of(readout.rows.kept[0])[1] == "C4"
    assert readout.rows.text_of(readout.rows.kept[0])[3] == "C4 E♭4 G4"
    readout.hold.setChecked(True)
    QTest.keyClick(window, Qt.Key.Key_X)
    qtbot.waitUntil(lambda: len(readout._held_back) == 1)
    assert len(readout.rows.kept) == 1
    readout.copy()
    assert "C4 E♭4 G4" in QApplication.clipboard().text()
    readout.hold.setChecked(False)
    assert len(readout.rows.kept) == 2


def test_the_range_is_turned_and_one_undo_takes_it_back(window, strand, story, qtbot):
    session = window.session
    session.select_stage(story[0])
    faces = window.bench.editor.faces
    y = faces.height() - 30
    drag(faces, QPoint(int(faces.x_of(115)), y), QPoint(int(faces.x_of(90)), y))
    qtbot.waitUntil(lambda: session.project.find_stage(story[0])[1].params.get("high") == 90)
    for _ in range(12):
        QTest.keyClick(window, Qt.Key.Key_Z)
    qtbot.waitUntil(lambda: len(printed(window, strand, 1)) == 12)
    assert all(85 <= bar.velocity <= 90 for bar in session.paper(strand).line("out").begun(0.0))
    session.undo()
    assert "high" not in session.project.find_stage(story[0])[1].params


def test_the_root_is_moved_and_a_note_redirected_on_the_ring(window, strand, story, qtbot):
    session = window.session
    session.select_stage(story[1])
    editor = window.bench.editor
    editor.controls["root"].chosen.emit("E")
    settled(window, qtbot)
    QTest.keyClick(window, Qt.Key.Key_Z)
    qtbot.waitUntil(lambda: printed(window, strand, 2) == [59])  # C is outside E major: a tie goes down
    for pitch_class in (0, 4):
        QTest.mouseClick(editor.ring, LEFT, pos=editor.ring._place(pitch_class).toPoint())
    assert session.project.find_stage(story[1])[1].params["targets"][0] == "E"
    settled(window, qtbot)
    QTest.keyClick(window, Qt.Key.Key_Z)
    qtbot.waitUntil(lambda: printed(window, strand, 2)[-1] == 64)


def test_a_voice_is_added_and_heard(window, strand, story, qtbot):
    window.session.select_stage(story[2])
    editor = window.bench.editor
    pane = editor.shape
    QTest.mouseClick(pane.add, LEFT)
    assert window.session.project.find_stage(story[2])[1].params["offsets"] == [3, 7, 4]
    pane.rows[2].setFocus()
    for _ in range(3):
        QTest.keyClick(pane.rows[2], Qt.Key.Key_Up)
    QTest.keyClick(pane.rows[2], Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    assert window.session.project.find_stage(story[2])[1].params["offsets"] == [3, 7, 19]
    settled(window, qtbot)
    QTest.keyClick(window, Qt.Key.Key_Z)
    qtbot.waitUntil(lambda: sorted(printed(window, strand, 3)) == [60, 63, 67, 79])
    QTest.keyClick(pane.rows[2], Qt.Key.Key_Delete)
    assert len(pane.rows) == 2


def test_stages_are_edited_while_notes_are_held_and_nothing_hangs(window, strand, story, qtbot):
    session, board = window.session, window.board
    window.activateWindow()
    keys = (Qt.Key.Key_Z, Qt.Key.Key_S, Qt.Key.Key_X, Qt.Key.Key_D, Qt.Key.Key_C, Qt.Key.Key_V)

    def bar(stage_id):
        return next(bar for bar in board.columns[strand].bars if bar.stage.id == stage_id)

    def reorder():
        start = bar(story[2])
        target = bar(story[0])
        drag(start, QPoint(20, 10), start.mapFromGlobal(target.mapToGlobal(QPoint(20, -20))))

    actions = [
        lambda: QTest.mouseDClick(bar(story[2]), LEFT),
        reorder,
        lambda: QTest.mouseDClick(bar(story[2]), LEFT),
        lambda: session.set_params(story[1], {"root": "F#"}, True),
        lambda: board.columns[strand].acts.add("chord", 1),
        lambda: (bar(story[1]).setFocus(), QTest.keyClick(bar(story[1]), Qt.Key.Key_Delete)),
    ]
    most = 0
    for key, action in zip(keys, actions, strict=True):
        QTest.keyPress(window, key)
        settled(window, qtbot)
        most = max(most, held(window))
        action()
        settled(window, qtbot)
    order = [stage.id for stage in session.project.strands[0].stages]
    assert order.index(story[2]) < order.index(story[0]) and story[1] not in order
    assert most > 3, window.session.notices
    for key in keys:
        QTest.keyRelease(window, key)
    qtbot.waitUntil(lambda: held(window) == 0)
    qtbot.waitUntil(lambda: not any(line.sounding for line in session.paper(strand).lines.values()))


def test_all_off_silences_whatever_is_held(window, strand, story, qtbot):
    for key in (Qt.Key.Key_Z, Qt.Key.Key_X):
        QTest.keyPress(window, key)
    window.surface.pedal.setChecked(True)
    qtbot.waitUntil(lambda: held(window) == 6)
    QTest.mouseClick(window.header.all_off, LEFT)
    qtbot.waitUntil(lambda: held(window) == 0)
    assert not window.surface.pedal.isChecked()
    for key in (Qt.Key.Key_Z, Qt.Key.Key_X):
        QTest.keyRelease(window, key)


def test_keep_makes_a_take_with_both_versions(window, strand, story, qtbot, tmp_path):
    for _ in range(3):
        QTest.keyClick(window, Qt.Key.Key_Z)
        settled(window, qtbot)
    qtbot.waitUntil(lambda: len(printed(window, strand, 3)) == 9)
    QTest.mouseClick(window.header.keep, LEFT)
    (take,) = window.session.project.takes
    assert pitches(take.parts[0].played) == [60, 60, 60]
    assert pitches(take.parts[0].generated) == [60, 63, 67] * 3
    window.show_view("Take")
    takes = window.takes
    assert takes.take is take
    assert len(takes.versions["played"].roll.notes) == 3 and len(takes.versions["generated"].roll.notes) == 9
    for version, count in (("played", 3), ("generated", 9)):
        file = tmp_path / f"{version}.mid"
        assert takes.save(version, file)
        messages = [message for track in mido.MidiFile(file).tracks for message in track]
        assert sum(message.type == "note_on" for message in messages) == count
    before = len(printed(window, strand, 3))
    heard_to_its_end(window.session, qtbot, lambda: QTest.mouseClick(takes.bar.play, LEFT))
    assert len(printed(window, strand, 3)) == before, "the stages met the take again"
    assert held(window) == 0
    takes.remove()
    assert not window.session.project.takes
    window.session.undo()
    assert window.session.project.takes


def test_record_makes_a_take_from_start_to_end(window, strand, qtbot):
    QTest.keyClick(window, Qt.Key.Key_Z)
    qtbot.waitUntil(lambda: len(printed(window, strand, 0)) == 1)
    settled(window, qtbot)
    window.session.recorder.record()
    QTest.keyClick(window, Qt.Key.Key_X)
    qtbot.waitUntil(lambda: len(printed(window, strand, 0)) == 2)
    window.session.recorder.record()
    assert pitches(window.session.project.takes[0].parts[0].played) == [62]


def test_a_take_view_that_is_made_later_shows_what_was_kept_last(window, strand, story, qtbot):
    for count in (3, 6):
        QTest.keyClick(window, Qt.Key.Key_Z)
        settled(window, qtbot)
        qtbot.waitUntil(lambda count=count: len(printed(window, strand, 3)) == count)
        window.session.recorder.keep()
    assert "takes" not in vars(window)  # nobody wanted to see it yet
    newest, _ = window.session.project.takes
    assert window.takes.take is newest


def test_keep_with_nothing_says_so(window):
    QTest.mouseClick(window.header.keep, LEFT)
    assert any("nothing to keep" in text for text in window.notices.texts)


def test_the_source_and_destination_are_edited_on_the_bench(window, strand, qtbot, tmp_path):
    session = window.session
    session.select(Selection(strand, "source", "", 0))
    editor = window.bench.editor
    assert isinstance(editor, SourceEditor)
    editor.keys.moved.emit(60, 71)
    assert session.project.strands[0].sources[0].low_key == 60
    write_midi(tmp_path / "x.mid", [Track("x", notes(60, 64))], 120.0)
    editor.kind.chosen.emit("clip")
    editor.set_clip(tmp_path / "x.mid")
    session.select(Selection(strand, "destination", "", 0))
    editor = window.bench.editor
    assert isinstance(editor, DestinationEditor)
    editor.target.chosen.emit("port:")
    editor.channel.chosen.emit("8")
    assert session.project.strands[0].destinations[0].channel == 8
    editor.target.chosen.emit("new:glass-bells")
    assert isinstance(session.project.strands[0].destinations[0], InstrumentDestination)
    session.play()
    qtbot.waitUntil(lambda: 64 in printed(window, strand, 0), timeout=10_000)
    session.play()
    qtbot.waitUntil(lambda: held(window) == 0)


def test_save_open_undo_redo_and_recent(window, strand, story, qtbot, tmp_path):
    session = window.session
    file = tmp_path / "tide.arpegon"
    assert session.filing.save(file) and not session.history.dirty
    assert load_project(file) == session.project
    for _ in range(3):
        session.undo()
    assert session.history.dirty and window.windowTitle().startswith("•")
    session.redo()
    session.filing.new()
    assert not session.project.strands and window.board.empty.isVisible()
    assert session.filing.open(file)
    assert len(session.project.strands[0].stages) == 3
    assert session.settings.recent[0] == str(file)
    assert str(file) in [
        action.text()
        for menu in window.project_menu().findChildren(type(window.project_menu()))
        for action in menu.actions()
    ]


def test_bad_files_are_said_in_the_window_and_nothing_changes(window, strand, tmp_path):
    session = window.session
    before = session.project
    broken = tmp_path / "broken.arpegon"
    broken.write_text('{"format": "arpegon-project",')
    assert not session.filing.open(broken)
    assert session.project is before
    assert any("broken.arpegon" in text and "line 1" in text for text in window.notices.texts)
    assert not session.filing.save(tmp_path / "broken.arpegon" / "x.arpegon")
    assert any("not a folder" in text for text in window.notices.texts)


def test_a_missing_clip_is_said_and_the_strand_says_why_it_is_silent(window, qtbot, tmp_path):
    demo = load_project(DEMO)
    save_project(demo, tmp_path / "demo.arpegon")
    window.resize(1920, 1000)  # narrow columns say it in a tooltip
    window.session.filing.open(tmp_path / "demo.arpegon")
    qtbot.waitUntil(lambda: any("harbour-bells.mid" in text for text in window.session.notices.values()))
    qtbot.waitUntil(lambda: "Lamp room is silent" in window.status.text)
    column = window.board.columns["lamp"]
    assert "cannot be read" in column._reason.text()


def test_unsaved_work_is_offered_after_a_crash(window, strand, qtbot):
    session = window.session
    session.filing.keep()
    crashed = session.filing.autosave.file
    left = crashed.with_name("999999999-1-1.autosave")
    crashed.rename(left)
    session.filing.new()
    offer_recovery(window.session, session.filing.autosave.leftovers())
    assert any("Unsaved work" in text for text in window.notices.texts)
    act = dict(session.notice_list.acts["recover"])["Get it back"]
    act()
    assert session.project.strands[0].id == strand and session.history.dirty
    assert not left.exists() and "recover" not in session.notices


def test_closing_keeps_what_is_not_saved(window, strand):
    file = window.session.filing.autosave.file
    window.close()
    assert file.exists()


def test_the_engine_may_die_and_the_window_goes_on(window, strand, qtbot):
    client = window.session.link.client
    first = client.pid
    QTest.keyPress(window, Qt.Key.Key_Z)
    qtbot.waitUntil(lambda: held(window) == 1)
    os.kill(first, signal.SIGKILL)
    qtbot.waitUntil(lambda: client.pid != first, timeout=10_000)
    QTest.keyRelease(window, Qt.Key.Key_Z)
    count = len(printed(window, strand, 0))

    def sounds():
        QTest.keyClick(window, Qt.Key.Key_X)
        QApplication.processEvents()
        return len(printed(window, strand, 0)) > count

    qtbot.waitUntil(sounds, timeout=15_000)
    assert any("started again" in text for text in window.session.notices.values())


def test_the_demo_plays_and_its_rolls_print(window, qtbot):
    window.open_demo()
    qtbot.waitUntil(lambda: all(printed(window, one, 0) for one in ("harbour", "lamp", "deck")), timeout=10_000)
    qtbot.waitUntil(lambda: len(window.session.telemetry.meters) == 6)
    qtbot.waitUntil(lambda: window.header.play.active and window.header.position.text != "1.1.000")
    qtbot.waitUntil(lambda: "there is no audio device" in window.status.text)


def test_keys_walk_the_board_and_the_transport(window, strand, story, qtbot):
    column = window.board.columns[strand]
    column.focus_part(0)
    for _ in range(2):
        QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Down)
    assert window.session.selection.stage == story[1]
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert [stage.id for stage in window.session.project.strands[0].stages] == [story[0], story[2], story[1]]
    window._actions["bypass"].trigger()
    assert window.session.project.find_stage(story[1])[1].bypass
    window._actions["play"].trigger()
    qtbot.waitUntil(lambda: window.session.telemetry.playing)
    window._actions["play"].trigger()
    qtbot.waitUntil(lambda: not window.session.telemetry.playing)


def test_home_is_the_sliders_while_it_has_the_focus_and_else_the_transports(window, strand, story, qtbot):
    window.session.link.client.send(Locate(16.0))
    qtbot.waitUntil(lambda: window.session.telemetry.beat == 16.0)
    window.session.select_stage(story[0])
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    slider = next(one for one in window.bench.findChildren(Slider) if one.isVisible() and one.isEnabled())
    slider.setFocus()
    QTest.keyClick(slider, Qt.Key.Key_Home)
    settled(window, qtbot)
    assert slider.value() == slider.param.low and window.session.telemetry.beat == 16.0
    window.board.setFocus()
    QTest.keyClick(window.board, Qt.Key.Key_Home)
    qtbot.waitUntil(lambda: window.session.telemetry.beat == 0.0)


def test_a_control_keeps_the_keys_that_it_needs_from_the_play_surface(window, strand, qtbot):
    project = edits.set_strand(window.session.project, strand, sources=(generator("steps"),))
    window.session.edit("add", project)
    window.session.select_stage(project.strand(strand).generators[0].id)
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    lanes = window.bench.findChild(StepLanes)
    lanes.setFocus()
    octave = window.surface.octave
    QTest.keyClick(lanes, Qt.Key.Key_PageDown)
    assert lanes._lane == 1 and window.surface.octave == octave
    window.board.setFocus()
    QTest.keyClick(window.board, Qt.Key.Key_PageDown)
    assert window.surface.octave == octave - 1


def test_the_guide_names_every_shortcut_of_the_window(window):
    page = (Path(__file__).parents[2] / "docs" / "guide" / "keys.md").read_text()
    named = set(re.split(r"[\s,;|]+", page))
    assert {action.shortcut().toString() for action in window._actions.values()} - named == set()


def test_middle_c_is_written_as_people_want_it_and_the_choice_is_kept(window, strand, tmp_path, monkeypatch):
    monkeypatch.setattr(settings, "config_dir", lambda: tmp_path)
    try:
        window._actions["middle_c"].trigger()
        assert kept_settings(window.session).middle_c == 3
        assert written(60) == "C3" and zone_words(SurfaceSource(low_key=60)) == "from C3"
    finally:
        window._actions["middle_c"].trigger()
    assert kept_settings(window.session).middle_c == 4 and written(60) == "C4"


def test_header_fields_take_values_and_refuse_nonsense(window, strand, qtbot):
    header, session = window.header, window.session
    header._type_tempo("87,5")
    assert session.project.tempo == 87.5
    header._type_tempo("fast")
    header._type_tempo("10000")
    assert session.project.tempo == 400.0
    assert any("400" in text for text in window.notices.texts)
    header._go_to("5.2")
    qtbot.waitUntil(lambda: session.telemetry.beat == 17.0)
    header._go_to("later")
    assert any("no position" in text for text in window.notices.texts)


def test_the_wide_bench_shows_only_the_selected_strand(window, strand, story):
    window.board.add_strand("round-bass")
    window.session.select_stage(story[0])
    window.bench.wide.setChecked(True)
    assert [column.isVisible() for column in window.board.columns.values()] == [True, False]
    window.bench.wide.setChecked(False)
    assert all(column.isVisible() for column in window.board.columns.values())


def test_every_stage_has_an_editor_that_shows_its_parameters(window, strand, story):
    for stage_id in story:
        window.session.select_stage(stage_id)
        assert isinstance(window.bench.editor, StageEditor)
        assert window.bench.title.full and window.bench._where.text()
    plain = StageEditor(window.session, *window.session.project.find_stage(story[2]))
    assert {"offsets", "levels", "keep_root"} < set(plain.controls) and "pads" not in plain.controls
    plain.controls["offsets"].setText("5 −7")
    plain.controls["offsets"]._typed()
    assert window.session.project.find_stage(story[2])[1].params["offsets"] == [5, -7]


def test_a_project_from_nowhere_is_said(window):
    assert not window.session.filing.open(Path("/nowhere/tide.arpegon"))
    assert any("no such file" in text for text in window.notices.texts)


def test_the_demo_plays_from_its_start_also_when_it_is_opened_while_it_plays(window, qtbot):
    window.open_demo()
    qtbot.waitUntil(lambda: window.session.telemetry.playing and window.session.telemetry.beat > 1.0)
    beats = []
    window.session.reported.connect(lambda told: beats.append(told.beat))
    window.open_demo()
    qtbot.waitUntil(lambda: any(beat < 0.9 for beat in beats))
    qtbot.waitUntil(lambda: window.session.telemetry.playing and window.session.telemetry.beat > 1.0)


def test_the_tempo_is_tapped_as_one_step_of_undo(window, monkeypatch):
    times = iter([0.0, 0.5, 1.0, 1.5])
    monkeypatch.setattr("arpegon.core.time.studio.now", lambda: next(times, 9.0))
    before = window.session.project.tempo
    window.session.edit("t", edits.set_project(window.session.project, tempo=90.0))
    for _ in range(4):
        window._actions["tap"].trigger()
    assert window.session.project.tempo == 120.0
    window.session.undo()
    assert window.session.project.tempo == 90.0
    window.session.undo()
    assert window.session.project.tempo == before


def test_stop_stays_or_goes_back_to_the_start_as_the_project_says(window, strand, qtbot):
    session = window.session
    for back in (False, True):
        assert (session.project.on_stop == "start") == back
        session.play()
        qtbot.waitUntil(lambda: session.telemetry.playing and session.telemetry.beat > 0.6)
        session.play()
        qtbot.waitUntil(lambda: not session.telemetry.playing)
        settled(window, qtbot)
        assert (session.telemetry.beat == 0.0) == back
        window._actions["on_stop"].trigger()


def test_a_recording_begins_after_the_count_in(window, strand, qtbot):
    session = window.session
    window._actions["metronome"].trigger()
    session.edit("t", edits.set_project(session.project, tempo=240.0))
    session.set_count_in(1)
    settled(window, qtbot)
    session.recorder.record()
    qtbot.waitUntil(lambda: session.telemetry.playing and -4.0 <= session.telemetry.beat < 0.0)
    qtbot.waitUntil(lambda: session.telemetry.beat > 0.5)
    QTest.keyClick(window, Qt.Key.Key_Z)
    qtbot.waitUntil(lambda: 60 in printed(window, strand, 0))
    settled(window, qtbot)
    session.recorder.record()
    (take,) = session.project.takes
    clicks = next(part for part in take.parts if part.name == "Metronome")
    assert clicks.generated[0].time == pytest.approx(0.0, abs=0.1)  # what was counted is not in the take
