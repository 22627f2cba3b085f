"""Every stage's editor in the real window: what is drawn, clicked and learnt, and what passes."""

from __future__ import annotations

import msgspec
import pytest
from gestures import drag, drawn, settled, values_on_bench
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QToolTip

from arpegon.core.document import edits
from arpegon.core.document.model import AudioSource, Hookup
from arpegon.core.events import control
from arpegon.core.theory.controllers import cc_words
from arpegon.engine.wire.protocol import Passed
from arpegon.processors import PROCESSORS, WORKS
from arpegon.processors.stages.keymap import all_threads
from arpegon.ui.bench.editor import StageEditor
from arpegon.ui.bench.editors import EDITORS

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton


def play(window, qtbot, letter=Qt.Key.Key_Z):
    QTest.keyPress(window, letter)
    qtbot.waitUntil(lambda: bool(window.bench.readout.rows.kept))
    QTest.keyRelease(window, letter)
    settled(window, qtbot)


def test_every_kind_has_an_editor_of_its_own():
    assert set(EDITORS) == set(WORKS)


@pytest.mark.parametrize("kind", sorted(PROCESSORS))
def test_an_editor_shows_what_passes_and_can_be_wide(window, on_bench, kind, qtbot):
    editor = on_bench(kind)
    assert isinstance(editor, EDITORS[kind])
    play(window, qtbot)
    assert "C4" in window.bench.readout.text()
    for wide in (True, False):
        window.bench.wide.setChecked(wide)
        qtbot.waitUntil(lambda: drawn(editor))
        assert drawn(editor)
    plain = StageEditor(window.session, *window.session.project.find_stage(window.session.selection.stage))
    assert plain.controls


def test_threads_are_drawn_moved_and_cut(window, on_bench):
    keys = on_bench("keymap", threads={str(note): [] for note in (61, 63, 64, 65, 66, 67)}).keys

    def upper(note):
        return keys._end(note, False)

    def lower(note):
        return keys._end(note, True)

    drag(keys, upper(60), lower(67))
    assert all_threads(values_on_bench(window))[60] == (60, 67)
    middle = QPointF((upper(60).x() + lower(67).x()) / 2, keys.height() / 2)
    drag(keys, middle, lower(64))
    assert all_threads(values_on_bench(window))[60] == (60, 64)
    QTest.mouseClick(keys, RIGHT, pos=QPoint(int(upper(74).x()), keys.height() // 2))
    assert all_threads(values_on_bench(window))[74] == ()
    window.session.undo()
    assert all_threads(values_on_bench(window))[74] == (74,)


def test_a_key_map_is_filled_read_and_written(window, on_bench, tmp_path):
    editor = on_bench("keymap")
    texts = [action.text() for action in editor.fill_menu().actions()]
    assert any("C major" in text for text in texts)
    (tmp_path / "map.csv").write_text("key,plays\nC4,C4 G4\nD4,\n")
    editor.read(tmp_path / "map.csv")
    assert values_on_bench(window)["threads"] == {"60": [60, 67], "62": []}
    editor.write(tmp_path / "out.csv")
    assert "C4,C4 G4" in (tmp_path / "out.csv").read_text()
    (tmp_path / "bad.csv").write_text("C4,X9\n")
    editor.read(tmp_path / "bad.csv")
    assert any("line 1" in text for text in window.notices.texts)
    assert values_on_bench(window)["threads"] == {"60": [60, 67], "62": []}


def test_one_octave_stands_for_all_in_the_editor(window, on_bench):
    editor = on_bench("keymap", octave=True)
    editor._draw(72, 79)
    assert values_on_bench(window)["threads"] == {"60": [60, 67]}
    assert all_threads(values_on_bench(window))[48] == (48, 55)


def test_triggers_are_learnt_by_striking_them_one_after_the_other(window, on_bench, qtbot):
    editor = on_bench("chord", way="pads")
    pads = editor.pads
    QTest.mouseClick(pads.learn, LEFT)
    for number, letter in enumerate((Qt.Key.Key_Z, Qt.Key.Key_X, Qt.Key.Key_C), start=1):
        QTest.keyClick(window, letter)
        qtbot.waitUntil(lambda number=number: len(values_on_bench(window)["pads"]) == number)
    QTest.mouseClick(pads.learn, LEFT)
    assert [pad["trigger"] for pad in values_on_bench(window)["pads"]] == [60, 62, 64]
    assert [pad["degree"] for pad in values_on_bench(window)["pads"]] == [1, 2, 3]
    # Again, from the first pad: a trigger that another has changes places with it.
    pads.select(0)
    QTest.mouseClick(pads.learn, LEFT)
    QTest.keyClick(window, Qt.Key.Key_C)
    qtbot.waitUntil(lambda: values_on_bench(window)["pads"][0]["trigger"] == 64)
    assert values_on_bench(window)["pads"][2]["trigger"] == 60
    assert any("changed places" in text for text in window.notices.texts)


def test_a_chord_is_chosen_around_the_ring_heard_and_put_on_a_pad(window, on_bench, qtbot):
    editor = on_bench("chord", way="pads", pads=[{"trigger": 36, "degree": 1, "stack": "triad"}])
    pads = editor.pads
    QTest.mouseClick(pads.grid, LEFT, pos=pads.grid._cell(0).center().toPoint())
    QTest.mouseClick(pads.ring, LEFT, pos=pads.ring._place(2).toPoint())
    names = [name for name, _, own in pads.palette_.chips if own]
    assert "Dm" in names and "Dm7" in names
    place = [name for name, _, _ in pads.palette_.chips].index("Dm7")
    QTest.mouseClick(pads.palette_, LEFT, pos=pads.palette_._cells[place].center().toPoint())
    assert values_on_bench(window)["pads"][0] == {"trigger": 36, "degree": 2, "stack": "seventh"}
    qtbot.waitUntil(lambda: max(window.session.telemetry.meters.values(), default=0) > 0.001)
    pads.more.setChecked(True)
    assert len(pads.palette_.chips) > 30
    pads.turns["inversion"].moved.emit(1.0)
    assert values_on_bench(window)["pads"][0]["inversion"] == 1
    pads.grid.removed.emit(0)
    assert values_on_bench(window)["pads"] == []


def test_a_dropped_chord_lands_on_its_pad(window, on_bench):
    editor = on_bench(
        "chord", way="pads", pads=[{"trigger": note, "root": "C", "quality": "major"} for note in (36, 37)]
    )
    editor.pads.grid.dropped.emit(1, {"root": "Eb", "quality": "m7"})
    assert values_on_bench(window)["pads"][1] == {"trigger": 37, "root": "Eb", "quality": "m7"}


def test_the_chords_of_the_key_follow_it(window, on_bench):
    editor = on_bench("chord", way="key", stack="seventh")
    assert [name for name, _, _ in editor.key.palette_.chips][:2] == ["Cmaj7", "Dm7"]
    key = window.session.project.key
    window.session.edit("key", edits.set_project(window.session.project, key=type(key)("Eb", "ionian")))
    assert [name for name, _, _ in editor.key.palette_.chips][:2] == ["E♭maj7", "Fm7"]


def test_a_rhythm_and_accents_are_drawn(window, on_bench):
    repeat = on_bench("repeat", rhythm=[1.0, 1.0, 1.0, 1.0])
    bars = repeat.steps
    drag(bars, QPoint(int(bars.width() * 0.3), bars.height() - 5), QPoint(int(bars.width() * 0.3), bars.height() - 5))
    QTest.mouseClick(bars, RIGHT, pos=QPoint(int(bars.width() * 0.6), 20))
    rhythm = values_on_bench(window)["rhythm"]
    assert rhythm[0] == 1.0 and rhythm[1] < 0.1 and rhythm[2] == 0.0
    bars.setFocus()
    QTest.keyClick(bars, Qt.Key.Key_Up)
    assert values_on_bench(window)["rhythm"][2] == 0.05
    velocity = on_bench("velocity")
    velocity._count(1)
    velocity._count(1)
    assert values_on_bench(window)["accents"] == [1.0, 1.0]


def test_a_response_is_drawn_with_points(window, on_bench):
    curve = on_bench("velocity", mode="points").curve
    drag(curve, curve.spot(64, 64), curve.spot(64, 100))
    assert [64, 100] in values_on_bench(window)["points"]
    QTest.mouseClick(curve, RIGHT, pos=curve.spot(64, 100).toPoint())
    assert values_on_bench(window)["points"] == [[1, 1], [127, 127]]


def test_a_drawn_wave_lies_under_its_points_and_its_place_is_ahead_by_the_phase(window, on_bench, qtbot):
    editor = on_bench("lfo", wave="drawn", phase=90, points=[[0, 0], [64, 127], [127, 0]])
    assert [editor.view.share(x / 127) for x, _ in editor.view.points] == pytest.approx([0.0, 1.0, 0.0], abs=0.01)
    window.session.play()
    qtbot.waitUntil(lambda: editor.view._at is not None)
    live = window.session.telemetry.live
    editor.tick(0.0)
    assert editor.view._at[1] == pytest.approx(live[0] + 0.25)
    window.session.set_params(editor.stage.id, {"wave": "sine"}, True)
    assert window.bench.editor.view.points is None
    assert window.bench.editor.view.share(0.0) == pytest.approx(0.5)


def test_what_is_typed_into_a_list_of_numbers_is_taken_or_answered(window, on_bench):
    field = on_bench("convert").controls["ignored"]
    for text, values, said in (("0 64", [0, 64], ""), ("quay", [0, 64], "no list of numbers"), ("300", [0, 64], "300")):
        QToolTip.hideText()
        field.setText(text)
        field.editingFinished.emit()
        assert values_on_bench(window)["ignored"] == values
        assert said in QToolTip.text() + " ".join(window.notices.texts)


def test_the_window_of_a_sieve_is_dragged(window, on_bench):
    field = on_bench("sieve").field
    box = field._box()
    drag(field, QPointF(box.left(), box.center().y()), QPointF(box.left() + box.width() / 2, box.center().y()))
    assert 60 <= values_on_bench(window)["low_key"] <= 66
    QTest.mouseDClick(field, LEFT, pos=box.center().toPoint())
    assert values_on_bench(window)["low_key"] == 0


def test_a_lower_channel_is_clicked(window, on_bench):
    lanes = on_bench("channel").lanes
    QTest.mouseClick(lanes, LEFT, pos=QPoint(int(lanes.width() * 9.5 / 16), lanes.height() - 8))
    assert values_on_bench(window)["channel"] == 10


def test_a_lane_is_made_turned_and_drawn(window, on_bench, qtbot):
    editor = on_bench("arpeggiator", rate="1/8")
    for _ in range(4):
        editor._count(1)
    cells = editor.cells
    QTest.mouseClick(cells, LEFT, pos=cells._cell(1).center().toPoint())
    QTest.mouseClick(cells, RIGHT, pos=cells._cell(2).center().toPoint())
    assert [step["play"] for step in values_on_bench(window)["patterns"][0]] == ["next", 1, "rest", "next"]
    cells.setFocus()
    QTest.keyClick(cells, Qt.Key.Key_Right)
    QTest.keyClick(cells, Qt.Key.Key_Down)
    assert values_on_bench(window)["patterns"][0][3]["play"] == "tie"
    editor.which.chosen.emit("velocity")
    editor._draw("velocity", [0.5, 1.0, 1.0, 1.0])
    editor._draw("chance", [1.0, 0.25, 1.0, 1.0])
    editor._draw("octave", [3.0, 3.0, 3.0, 5.0])
    lane = values_on_bench(window)["patterns"][0]
    assert lane[0]["velocity"] == 0.5 and lane[1]["chance"] == 25 and lane[3]["octave"] == 2
    editor._count(-1)
    assert len(values_on_bench(window)["patterns"][0]) == 3


def test_the_star_shows_the_notes_held_and_what_sounds(window, on_bench, qtbot):
    editor = on_bench("arpeggiator", rate="1/8", order="stride", stride=2)
    for letter in (Qt.Key.Key_Z, Qt.Key.Key_C, Qt.Key.Key_B):
        QTest.keyPress(window, letter)
    qtbot.waitUntil(lambda: list(editor.star.names) == ["C4", "E4", "G4"])
    assert list(editor.star.walk) == [0, 2, 1]
    qtbot.waitUntil(lambda: bool(editor.star.lit))
    for letter in (Qt.Key.Key_Z, Qt.Key.Key_C, Qt.Key.Key_B):
        QTest.keyRelease(window, letter)
    qtbot.waitUntil(lambda: window.session.telemetry.health.sounding == 0)


def test_zones_show_what_the_document_says(window, strand):
    session = window.session
    low_half = msgspec.structs.replace(session.project.strands[0].sources[0], low_key=36, high_key=59)
    session.edit("zone", edits.set_source(session.project, strand, 0, low_half))
    session.select_source(strand, 0)
    assert (window.bench.editor.keys.low, window.bench.editor.keys.high) == (36, 59)
    ear = AudioSource(id="ear", listen="pitch", file="stand-in:hummed-tune", params={"lowest": 48, "highest": 64})
    session.edit("ear", edits.set_source(session.project, strand, 0, ear))
    session.select_source(strand, 0)
    assert (window.bench.editor.keys.low, window.bench.editor.keys.high) == (48, 64)
    session.undo()
    session.select_source(strand, 0)
    assert (window.bench.editor.keys.low, window.bench.editor.keys.high) == (36, 59)


def test_controllers_are_chosen_by_name_by_number_and_by_moving_one(window, on_bench, qtbot):
    editor = on_bench("convert")
    field = editor.controls["number"]
    for typed, number in (("foot", 4), ("cc 74", 74), ("11", 11)):
        field.lineEdit().setText(typed)
        field.lineEdit().editingFinished.emit()
        assert values_on_bench(window)["number"] == number and field.currentText() == cc_words(number)
    field.lineEdit().setText("trombone")
    field.lineEdit().editingFinished.emit()
    assert values_on_bench(window)["number"] == 11 and field.currentText() == "CC 11 expression"
    field.activated.emit(0)  # move one …
    assert window.session.hooking._take_number is not None
    window.surface.parts.knobs[2].turn(70)
    qtbot.waitUntil(lambda: values_on_bench(window)["number"] == 22)
    assert window.session.hooking._take_number is None and not window.session.project.hookups
    channel = editor.controls["channel"]
    assert channel.currentText() == "all"
    channel.activated.emit(3)
    assert values_on_bench(window)["channel"] == 3


def test_a_musicians_own_names_of_controllers_come_first(window, strand):
    session = window.session
    hooked = Hookup(id="", name="Lamp wick", number=74, target="", param="tempo")
    session.edit("hook", edits.add_hookup(session.project, hooked)[0])
    project, stage_id = edits.add_stage(session.project, strand, "convert")
    session.edit("add", edits.set_params(project, stage_id, {"number": 74}))
    session.select_stage(stage_id)
    field = window.bench.editor.controls["number"]
    assert field.currentText() == "CC 74 Lamp wick"
    field.lineEdit().setText("lamp")
    field.lineEdit().editingFinished.emit()
    assert field.value() == 74
    words = window.bench.readout.rows.text_of(Passed(stage_id, None, control(0, 0, 74, 5), []))
    assert words[1] == "CC 74 Lamp wick"


def test_a_sieve_that_is_put_in_by_hand_lets_everything_pass(window, strand):
    from arpegon.processors.stages.sieve import KINDS
    from arpegon.ui.parts import clipboard

    clipboard.put_stage(window.session, strand, clipboard.fresh_stage("sieve"), None, "Add Sieve")
    values = values_on_bench(window)
    assert values["action"] == "pass" and set(values["kinds"]) == set(KINDS)
