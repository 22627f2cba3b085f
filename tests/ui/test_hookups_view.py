"""Hookups in the real window: learnt from real events, listed, edited, marked, saved apart."""

from __future__ import annotations

import time

import pytest
from gestures import drag, drawn, settled, values_on_bench
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest

from arpegon.core.document import edits
from arpegon.core.document.model import Hookup
from arpegon.core.events import control
from arpegon.ui.bench.controller_editors import MovesButton
from arpegon.ui.bench.editors import EDITORS
from arpegon.ui.model.hookup_words import control_words
from arpegon.ui.parts.hook_handle import handle_of
from arpegon.ui.parts.parts_menu import target_menu

LEFT = Qt.MouseButton.LeftButton


def sweep(window, qtbot, knob=2, to=100):
    for value in range(0, to + 1, 5):
        window.surface.parts.knobs[knob].turn(value)
        qtbot.wait(3)


def test_a_knob_is_learnt_for_a_slider_moves_it_and_becomes_one_edit(window, on_bench, qtbot):
    editor = on_bench("transpose")
    slider = editor.controls["semitones"]
    slider.setFocus()
    QTest.keyClick(window, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier)
    assert window.session.hooking.learns and any("Move or strike" in text for text in window.notices.texts)
    sweep(window, qtbot)
    qtbot.waitUntil(lambda: len(window.session.project.hookups) == 1)
    made = window.session.project.hookups[0]
    assert (made.control, made.number, made.param) == ("cc", 22, "semitones")
    assert handle_of(slider).mark.isVisibleTo(slider) and window.surface.parts.knobs[2].hooked
    sweep(window, qtbot, to=0)
    window.surface.parts.knobs[2].turn(127)
    qtbot.waitUntil(lambda: values_on_bench(window)["semitones"] == 24)
    assert slider.value() == 24, "the slider moves with the knob"
    qtbot.waitUntil(lambda: window.session.project.find_stage("transpose")[1].params.get("semitones") == 24)
    window.session.undo()
    assert window.session.project.find_stage("transpose")[1].params.get("semitones") != 24
    texts = [action.text() for action in handle_of(slider).menu().actions()]
    assert any("Learn" in text for text in texts) and "Reset" in texts and any("Forget CC 22" in text for text in texts)


def test_an_action_with_a_number_is_edited_also_where_it_was_read_from_a_file(window, qtbot):
    session = window.session
    go = Hookup(id="", control="note", number=40, action="section", value=4.0)
    project, made = edits.add_hookup(session.project, go)
    session.edit("hookup", project)
    window.show_view("Hookups")
    window.hookups.choose(made)
    slider = window.hookups.editor.value
    assert slider.value() == 4 and slider.param.text(slider.value()) == "4"
    slider.setFocus()
    QTest.keyClick(slider, Qt.Key.Key_Right)
    session.undo()
    session.redo()
    assert session.project.hookups[0].value == 5 and slider.value() == 5


def test_a_pad_is_learnt_for_play_and_plays(window, strand, qtbot):
    handle_of(window.header.play).learn()
    pad = window.surface.parts.pads[3]
    QTest.mousePress(pad, LEFT)
    QTest.mouseRelease(pad, LEFT)
    qtbot.waitUntil(lambda: len(window.session.project.hookups) == 1)
    made = window.session.project.hookups[0]
    assert (made.control, made.number, made.channel, made.action) == ("note", 39, 9, "play-stop")
    settled(window, qtbot)
    QTest.mousePress(pad, LEFT)
    QTest.mouseRelease(pad, LEFT)
    qtbot.waitUntil(lambda: window.session.telemetry.playing)


def test_learning_is_left_with_escape(window, on_bench, qtbot):
    handle_of(on_bench("humanize").controls["low"]).learn()
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert not window.session.hooking.learns
    sweep(window, qtbot)
    assert window.session.project.hookups == ()


def test_the_view_lists_finds_mutes_edits_and_removes(window, on_bench, qtbot):
    on_bench("humanize")
    project = window.session.project
    for number, param in ((20, "low"), (74, "high")):
        project, _ = edits.add_hookup(
            project, Hookup(id="", number=number, target="humanize", param=param, feed="surface")
        )
    project, _ = edits.add_hookup(project, Hookup(id="", control="note", number=40, action="keep", way="trigger"))
    window.session.edit("hooks", project)
    window.show_view("Hookups")
    view = window.hookups
    assert len(view.list.entries) == 3
    view.search.setText("74")
    assert [entry.control for entry in view.list.entries] == ["CC 74 brightness"]
    view.search.setText("keep")
    assert len(view.list.entries) == 1
    view.search.setText("")
    QTest.mouseClick(view.list, LEFT, pos=QPoint(60, view.list.place_of("hookup") + 20))
    editor = view.editor
    assert editor.hookup_id == "hookup" and editor.body.isVisible()
    editor.way.chosen.emit("toggle")
    editor.reversed.toggled.emit(True)
    editor.outside.moved.emit(10.0, 50.0)
    editor.passes.toggled.emit(True)
    one = window.session.project.hookup("hookup")
    assert (one.way, one.in_low, one.in_high, one.out_low, one.out_high, one.passes) == ("toggle", 127, 0, 10, 50, True)
    editor.name.setText("Lantern")
    editor.name.editingFinished.emit()
    assert view.list.entries[[entry.id for entry in view.list.entries].index("hookup")].name == "Lantern"
    QTest.mouseClick(view.list, LEFT, pos=QPoint(view.list.width() - 20, view.list.place_of("hookup") + 20))
    assert window.session.project.hookup("hookup").muted
    editor._take_target("", "tempo", "")
    assert window.session.project.hookup("hookup").param == "tempo"
    window.surface.parts.knobs[0].turn(64)
    view.list.setFocus()
    QTest.keyClick(view.list, Qt.Key.Key_Delete)
    assert len(window.session.project.hookups) == 2
    assert drawn(view)


def test_a_touched_control_is_found(window, on_bench, qtbot):
    on_bench("humanize")
    one = Hookup(id="", number=23, target="humanize", param="low", feed="surface")
    project, name = edits.add_hookup(window.session.project, one)
    window.session.edit("hook", project)
    window.show_view("Hookups")
    sweep(window, qtbot, knob=3)
    qtbot.waitUntil(lambda: window.hookups.editor.hookup_id == name)


def test_a_target_that_is_gone_is_marked_and_comes_back(window, on_bench, qtbot):
    on_bench("humanize")
    project, _ = edits.add_hookup(window.session.project, Hookup(id="", number=20, target="humanize", param="low"))
    window.session.edit("hook", project)
    window.session.edit("gone", edits.remove_stage(window.session.project, "humanize"))
    window.show_view("Hookups")
    assert window.hookups.list.entries[0].gone
    window.session.undo()
    assert not window.hookups.list.entries[0].gone


def test_a_set_is_saved_and_loaded_apart(window, on_bench, tmp_path):
    on_bench("humanize")
    project, _ = edits.add_hookup(
        window.session.project, Hookup(id="", number=20, channel=4, target="humanize", param="low")
    )
    window.session.edit("hook", project)
    window.hookups.save(tmp_path / "box")
    window.session.edit("none", edits.remove_hookup(window.session.project, "hookup"))
    window.hookups.load(tmp_path / "box.arpegon-hookups")
    assert [control_words(one) for one in window.session.project.hookups] == ["CC 20, ch 5"]
    (tmp_path / "bad.arpegon-hookups").write_text("{")
    window.hookups.load(tmp_path / "bad.arpegon-hookups")
    assert any("damaged" in text for text in window.notices.texts) and len(window.session.project.hookups) == 1


def test_knobs_and_pads_are_named_shown_and_hidden(window, strand):
    parts = window.surface.parts
    parts.name("knobs", 3, "Fog")
    parts.name("pads", 15, "Bell")
    assert parts.knobs[3].name == "Fog" and window.session.project.surface.pads[15] == "Bell"
    window.session.undo()
    assert parts.pads[15].name == ""
    window.surface.shown.setChecked(False)
    assert not parts.isVisible() and window.session.settings.knobs_and_pads is False


def test_dragging_on_a_key_is_pressure(window, strand, qtbot):
    keyboard = window.surface.keyboard
    told = []
    keyboard.pressed_on.connect(told.append)
    drag(keyboard, QPointF(100, keyboard.height() - 6), QPointF(100, keyboard.height() + 50))
    assert told and max(told) > 10 and told[-1] == 0


@pytest.mark.parametrize("kind", ["convert", "fan", "stairs", "smooth", "lfo", "contour"])
def test_controller_editors_move_with_what_passes(window, on_bench, kind, qtbot):
    editor = on_bench(kind, **({"starts": "free"} if kind in ("lfo", "contour") else {}))
    assert isinstance(editor, EDITORS[kind])
    qtbot.waitUntil(lambda: bool(window.session.telemetry.live) or not _modulation(window))
    for wide in (True, False):
        window.bench.wide.setChecked(wide)
        qtbot.waitUntil(lambda: drawn(editor))
        assert drawn(editor)


def _modulation(window):
    for value in range(0, 128, 9):
        window.surface.wheels["mod"].set_value(value / 127)
    return True


def test_fans_and_contours_are_drawn(window, on_bench):
    fan = on_bench("fan")
    fan._count(1)
    assert len(values_on_bench(window)["shapes"][0]) == 4 and fan._chosen == 3
    fan._change("number", 99, True)
    fan.curve.drawn.emit([[0, 50], [127, 60]])
    assert values_on_bench(window)["shapes"][0][3] == {"number": 99, "points": [[0, 50], [127, 60]]}
    fan._count(-1)
    assert len(values_on_bench(window)["shapes"][0]) == 3
    contour = on_bench("contour")
    contour._count(1)
    contour.bars.changed.emit([0.0, 1.0, 0.5, 0.25, 1.0])
    assert values_on_bench(window)["steps"] == [0, 127, 64, 32, 127]
    contour.set(drawn="points")
    assert contour.view.isVisible() and not contour.steps.isVisible()
    contour.view.drawn.emit([[0, 30], [90, 80]])
    assert values_on_bench(window)["points"] == [[0, 30], [90, 80]] and contour.view.points == [[0, 30], [90, 80]]


def test_a_wave_moves_a_parameter_and_leaves_the_document_alone(window, on_bench, qtbot):
    on_bench("humanize")
    lfo = on_bench("lfo", starts="free", unit="hz", hz=4.0, target="none")
    lfo.findChild(MovesButton).take("humanize", "low", "")
    hooking = window.session.hooking
    qtbot.waitUntil(lambda: ("", ("humanize", "low")) in hooking.values)
    before = window.session.project
    first = hooking.values["", ("humanize", "low")]
    qtbot.waitUntil(lambda: hooking.values["", ("humanize", "low")] != first)
    assert not hooking._rest.isActive()
    assert window.session.project is before


def test_the_menu_of_targets_walks_the_whole_project(window, on_bench):
    on_bench("chord")
    taken = []
    menu = target_menu(window.session.project, window, lambda *what: taken.append(what))
    texts = [action.text() for action in menu.actions() if not action.isSeparator()]
    strand = window.session.project.strands[0]
    assert texts[0] == "Play" and {"Tempo", strand.name, "Instruments"} <= set(texts)

    def inner(menu, text):
        return next(action.menu() for action in menu.actions() if action.text() == text)

    chord = inner(inner(menu, strand.name), f"Chord in {strand.name}")
    for action in chord.actions():
        if action.text() in ("Bypass", "Register"):
            action.trigger()
    assert taken == [("chord", "", "bypass"), ("chord", "register", "")]


def test_single_values_are_in_menus_that_are_filled_when_they_are_opened(window, on_bench):
    on_bench("arpeggiator", patterns=[[{"play": "next"}, {"play": "rest"}]])
    taken = []
    project = window.session.project
    menu = target_menu(project, window, lambda *what: taken.append(what))

    def inner(menu, text):
        found = next(action.menu() for action in menu.actions() if action.text() == text)
        found.aboutToShow.emit()
        return found

    strand = project.strands[0]
    values = inner(inner(inner(menu, strand.name), f"Arpeggiator in {strand.name}"), "One value of …")
    step = inner(inner(inner(values, "Patterns"), "1"), "2")
    assert [action.text() for action in step.actions()] == ["Plays", "Octave", "Velocity", "Length", "Chance"]
    next(action for action in step.actions() if action.text() == "Velocity").trigger()
    assert taken == [("arpeggiator", "patterns.1.2.velocity", "")]
    rows = inner(inner(inner(inner(menu, strand.name), "One value of …"), "Destinations"), "1")
    assert {action.text() for action in rows.actions()} == {"Muted", "Channel", "Later by"}


def test_a_control_is_taken_from_a_place_in_a_strand(window, on_bench):
    on_bench("chord")
    session = window.session
    strand = session.project.strands[0]
    project, one = edits.add_hookup(session.project, Hookup(id="h", number=20, target="chord", param="register"))
    session.edit("x", project)
    window.show_view("Hookups")
    editor = window.hookups.editor
    editor.show_hookup(one)
    editor.feed.chosen.emit(f"tap:{strand.id}/in")
    assert session.project.hookup(one).tap == f"{strand.id}/in" and not editor.passes.isVisibleTo(editor)
    assert editor.feed.value() == f"tap:{strand.id}/in"
    assert f"enters {strand.name}" in editor.title.text()
    editor.feed.chosen.emit("surface")
    assert session.project.hookup(one).tap == "" and session.project.hookup(one).feed == "surface"
    editor.control.chosen.emit("velocity")
    assert editor.title.text().startswith("velocity of keys")


def test_a_knob_on_one_step_shows_in_the_pattern_while_it_moves(window, on_bench, qtbot):
    on_bench("arpeggiator", patterns=[[{"play": "next"}, {"play": "next"}]])
    session = window.session
    hooked = Hookup(id="h", number=20, target="arpeggiator", param="patterns.1.2.velocity", out_low=0.0, out_high=1.0)
    session.edit("x", edits.add_hookup(session.project, hooked)[0])
    session.feed(control(time.monotonic(), 0, 20, 0))
    qtbot.waitUntil(
        lambda: session.hooking.live("arpeggiator").get("patterns", [[{}, {}]])[0][1].get("velocity") == 0.0
    )
    qtbot.waitUntil(lambda: session.project.find_stage("arpeggiator")[1].params["patterns"][0][1].get("velocity") == 0)
    assert session.hooking.live("arpeggiator") == {}
