"""Presets, the clipboard, narrow columns, the path check and the way of a note, in the real window."""

from __future__ import annotations

import pytest
from gestures import settled
from PyQt6 import sip
from PyQt6.QtCore import QCoreApplication, QEvent, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from arpegon.core.document import edits
from arpegon.core.document.model import StrandSource
from arpegon.core.theory.scales import Key
from arpegon.engine.wire.protocol import Feed
from arpegon.files.presets import factory_presets
from arpegon.ui.bench.destination_editor import DestinationEditor
from arpegon.ui.bench.source_editor import SourceEditor
from arpegon.ui.bench.strand_bench import StrandBench
from arpegon.ui.frame.computer_keys import in_key
from arpegon.ui.look import theme
from arpegon.ui.model.session import Selection
from arpegon.ui.parts import clipboard
from arpegon.ui.parts.preset_picker import PresetPicker

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def chord(window, strand):
    project, stage_id = edits.add_stage(window.session.project, strand, "chord")
    window.session.edit("add", edits.set_params(project, stage_id, {"offsets": [5]}))
    window.session.select_stage(stage_id)
    return stage_id


def test_a_stage_is_copied_pasted_cut_and_duplicated(window, strand, chord):
    session = window.session
    window._actions["copy_part"].trigger()
    window._actions["paste_part"].trigger()
    window._actions["duplicate"].trigger()
    stages = session.project.strand(strand).stages
    assert [stage.params for stage in stages] == [{"offsets": [5]}] * 3
    window._actions["cut_part"].trigger()
    assert len(session.project.strand(strand).stages) == 2
    session.select(Selection(strand, "strand"))
    window._actions["paste_part"].trigger()
    assert len(session.project.strand(strand).stages) == 3


def test_a_strand_goes_from_one_project_to_another(window, strand, chord):
    session = window.session
    session.select(Selection(strand, "strand"))
    clipboard.copy(session)
    session.filing.new()
    clipboard.paste(session)
    (pasted,) = session.project.strands
    assert pasted.stages[0].params == {"offsets": [5]}
    assert session.project.instruments[0].sound == "felt-piano"


def test_pasting_what_is_no_preset_is_said(window, strand):
    QApplication.clipboard().setText("the tide is out")
    clipboard.paste(window.session)
    assert any("neither a stage nor a strand" in text for text in window.notices.texts)


def test_presets_are_found_taken_kept_and_removed(window, strand, chord):
    window.bench.open_presets()
    picker = next(one for one in QApplication.topLevelWidgets() if isinstance(one, PresetPicker))
    picker.search.setText("slow harp")
    assert picker.list.count() == 1
    QTest.keyClick(picker.search, Qt.Key.Key_Return)
    values = window.session.project.find_stage(chord)[1].params
    assert values["stack"] == "ninth" and "offsets" not in values
    window.session.undo()
    assert window.session.project.find_stage(chord)[1].params == {"offsets": [5]}
    window.bench.open_presets()
    picker = next(one for one in QApplication.topLevelWidgets() if isinstance(one, PresetPicker) and one.isVisible())
    picker.name.setText("Fourths")
    picker.keep()
    picker.search.setText("fourths")
    assert picker.list.count() == 1 and picker.remove_button.isEnabled()
    picker.remove()
    assert picker.list.count() == 0
    picker.close()


def test_a_strand_preset_is_put_in(window, strand):
    preset = next(one for one in factory_presets() if one.strand is not None)
    clipboard.put_in(window.session, preset)
    assert [one.name for one in window.session.project.strands][1] == preset.strand.name


def test_ten_strands_fit_beside_the_bench(window, strand, qtbot):
    for _ in range(9):
        clipboard.duplicate(window.session)
        window.session.select(Selection(window.session.project.strands[-1].id, "strand"))
    qtbot.waitUntil(lambda: window.board.area.horizontalScrollBar().maximum() == 0)
    assert len(window.board.columns) == 10
    bar = window.board.area.horizontalScrollBar()
    assert bar.maximum() == 0
    assert all(column.compact for column in window.board.columns.values())
    window._actions["fit"].trigger()
    qtbot.waitUntil(lambda: bar.maximum() > 0)


def test_a_strand_is_renamed_recoloured_and_sends_its_source_along(window, strand, chord, qtbot):
    session = window.session
    window.board.columns[strand]._name.clicked.emit()
    bench = window.bench.editor
    assert isinstance(bench, StrandBench)
    bench.name.setText("Quay")
    bench._rename()
    QTest.mouseClick(bench.inks[5], LEFT)
    QTest.mouseClick(bench.along, LEFT)
    now = session.project.strand(strand)
    assert (now.name, now.ink, now.along) == ("Quay", 5, True)
    assert window.board.columns[strand].ink == 5 and theme.INK_NAMES[5] == "violet"
    session.set_params(chord, {"keep_root": False}, True)
    settled(window, qtbot)
    QTest.keyPress(window, Qt.Key.Key_Z)
    qtbot.waitUntil(lambda: {bar.note for bar in session.paper(strand).line("out").begun(0.0)} == {60, 65})
    QTest.keyRelease(window, Qt.Key.Key_Z)
    qtbot.waitUntil(lambda: session.telemetry.health.sounding == 0)


def test_a_break_is_named_gone_to_and_mended(window, strand, qtbot):
    session = window.session
    project, stage_id = edits.add_stage(session.project, strand, "chance")
    session.edit("add", edits.set_params(project, stage_id, {"percent": 0}))
    assert "at 0 %" in window.status.text
    QTest.mouseClick(window.status, LEFT)
    assert session.selection.stage == stage_id
    QTest.mouseClick(window.status.mend, LEFT)
    assert session.project.find_stage(stage_id)[1].bypass
    assert "at 0 %" not in window.status.text
    session.edit("mute", edits.set_strand(session.project, strand, muted=True))
    column = window.board.columns[strand]
    assert "muted" in column._reason.full
    QTest.mouseClick(column._mend, LEFT)
    assert not session.project.strand(strand).muted


def test_the_way_of_the_last_note_stands_on_the_board(window, strand, chord, qtbot):
    project, sieve = edits.add_stage(window.session.project, strand, "sieve")
    window.session.edit("add", edits.set_params(project, sieve, {"action": "pass", "low_key": 100}))
    window.status.follow.setChecked(True)
    settled(window, qtbot)
    QTest.keyClick(window, Qt.Key.Key_Z)
    column = window.board.columns[strand]
    qtbot.waitUntil(lambda: column.chain.rolls[2].mark is not None)
    assert [roll.mark.text for roll in column.chain.rolls] == ["C4", "C4 F4", "ends here"]
    qtbot.waitUntil(lambda: "Sieve did not let" in window.status.text)
    window.status.follow.setChecked(False)
    assert column.chain.rolls[0].mark is None


def test_a_loop_is_refused_at_once_with_its_names(window, strand):
    clipboard.put_in(window.session, next(one for one in factory_presets() if one.strand is not None))
    first, second = window.session.project.strands
    window.session.edit("feed", edits.set_source(window.session.project, first.id, 0, StrandSource(strand=second.id)))
    before = window.session.project
    window.session.edit("feed", edits.set_source(before, second.id, 0, StrandSource(strand=first.id)))
    assert window.session.project is before
    assert any("loop" in text and second.name in text for text in window.notices.texts)


def test_a_zone_is_learnt_by_its_two_end_keys(window, strand, qtbot):
    window.session.select(Selection(strand, "source", "", 0))
    editor = window.bench.editor
    assert isinstance(editor, SourceEditor)
    QTest.mouseClick(editor.learn, LEFT)
    QTest.keyClick(window, Qt.Key.Key_B)
    qtbot.waitUntil(lambda: "other end" in editor.learning.text())
    QTest.keyClick(window, Qt.Key.Key_Z)
    qtbot.waitUntil(lambda: window.session.project.strand(strand).sources[0].low_key == 60)
    assert window.session.project.strand(strand).sources[0].high_key == 67


def test_the_panel_of_an_instrument_moves_and_is_moved(window, strand, qtbot):
    session = window.session
    instrument = session.project.instruments[0].id
    session.edit("organ", edits.set_instrument(session.project, instrument, sound="drawbar-organ"))
    session.select(Selection(strand, "destination", "", 0))
    editor = window.bench.editor
    assert isinstance(editor, DestinationEditor)
    assert sum(control.control.look == "drawbar" for control in editor.panel.controls.values()) == 9
    window.surface.wheels["mod"].set_value(1.0)
    from arpegon.core.events import control

    session.link.client.send(Feed("surface", [control(0.0, 0, 22, 5)]))
    qtbot.waitUntil(lambda: editor.panel.controls[22].value == 5)
    QTest.mouseClick(editor.panel.controls[80], LEFT)
    qtbot.waitUntil(lambda: session.reports.controls[instrument].get(80) == 127)
    assert editor.panel.controls[80].value == 127


def test_in_key_rows_play_degrees(window, strand, qtbot):
    session = window.session
    session.edit("key", edits.set_project(session.project, key=Key("D", "dorian")))
    window._actions["layout"].trigger()
    assert "rows of D dorian" in window.surface._words.text()
    for letter in (Qt.Key.Key_Z, Qt.Key.Key_X, Qt.Key.Key_A, Qt.Key.Key_Q):
        QTest.keyClick(window, letter)
    qtbot.waitUntil(lambda: [bar.note for bar in session.paper(strand).line("in").begun(0.0)] == [50, 52, 62, 74])
    window._actions["layout"].trigger()


def test_a_window_that_is_destroyed_while_it_has_the_keys_is_not_watched(window, qtbot):
    """While it is destroyed Qt still names it as the active one, and Python would not learn that it is gone."""
    keys = window.surface.computer_keys
    other = QWidget()
    other.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    other.show()
    other.activateWindow()
    other.setFocus()
    qtbot.waitUntil(other.hasFocus)
    assert other in keys._watched
    other.deleteLater()
    QCoreApplication.sendPostedEvents(other, QEvent.Type.DeferredDelete)
    assert sip.isdeleted(other) and all(sip.ispycreated(one) for one in keys._watched)


def test_a_window_that_is_closed_hears_no_keys(window, qtbot):
    keys = window.surface.computer_keys
    window.activateWindow()
    qtbot.waitUntil(lambda: window in keys._watched)
    QTest.keyPress(window, Qt.Key.Key_Z)
    window.close()
    assert not keys._watched and not window.surface.held
    keys.follow()
    assert not keys._watched


def test_rows_in_any_key_rise():
    for key in (Key("C", "ionian"), Key("Eb", "blues"), Key("B", "chromatic")):
        for row in range(4):
            notes = [in_key(row, place, key, 4) for place in range(10)]
            assert notes == sorted(set(notes)) and all(note % 12 in key.pitch_classes for note in notes)
            assert in_key(row + 1, 0, key, 4) == notes[0] + 12


@pytest.mark.parametrize("part", ["destination", "source", "stage"])
def test_what_is_gone_is_not_put_on_the_bench(window, strand, part):
    session = window.session
    session.select(Selection(strand, "strand"))
    session.select_part(strand, part, "gone" if part == "stage" else "", 7)
    assert session.selection == Selection(strand, "strand") and window.bench.editor.isEnabled()


def test_a_strand_is_played_early_all_wait_for_it_and_a_destination_has_a_delay(window, strand, qtbot):
    session = window.session
    session.select(Selection(strand, "strand"))
    bench = window.bench.editor
    bench.offset_ms.moved.emit(-20.0)
    bench.offset.chosen.emit("-1/64")
    one = session.project.strand(strand)
    assert (one.offset_ms, one.offset) == (-20.0, "-1/64") and bench.offset.value() == "-1/64"
    qtbot.waitUntil(lambda: session.telemetry.health.lead > 0.02)
    session.select(Selection(strand, "destination", "", 0))
    window.bench.editor.delay.moved.emit(12.0)
    assert session.project.strand(strand).destinations[0].delay_ms == 12.0
    editor = window.bench.editor
    editor.fades.toggled.emit(True)
    editor.silent_at.moved.emit(127.0)
    editor.silent_at.moved.emit(90.0)
    editor.full_at.moved.emit(20.0)
    one = session.project.strand(strand).destinations[0]
    assert (one.silent_at, one.full_at) == (90, 20) and editor.full_at.isVisibleTo(editor)
    editor.fades.toggled.emit(False)
    assert session.project.strand(strand).destinations[0].silent_at is None
    while session.history.undo_label and session.project.strand(strand).offset_ms:
        session.undo()
    assert session.project.strand(strand).offset_ms == 0.0


def test_an_output_of_its_own_gets_a_name_of_its_own(window, strand):
    session = window.session
    session.select(Selection(strand, "destination", "", 0))
    editor = window.bench.editor
    assert isinstance(editor, DestinationEditor) and not editor.own_box.isVisibleTo(editor)
    editor.target.chosen.emit("named:")
    made = session.project.strands[0].destinations[0].port
    assert made.startswith("own:") and editor.own_box.isVisibleTo(editor)
    editor.own_name.setText("Low bells")
    editor.own_name.editingFinished.emit()
    assert session.project.strands[0].destinations[0].port == "own:Low bells"
    assert "“Arpegon: Low bells”" in editor.port_words.text() and editor.target.value() == "port:own:Low bells"
    editor.own_name.setText("  ")
    editor.own_name.editingFinished.emit()
    assert editor.own_name.text() == "Low bells"
    session.undo()
    assert session.project.strands[0].destinations[0].port == made
