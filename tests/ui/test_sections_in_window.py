"""Sections in the real window: added, held by hand, gone to by strip, pad and key, listed, edited, moved."""

from __future__ import annotations

import pytest
from gestures import drag, drawn, picture, settled, values_on_bench
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest

from arpegon.core.document import edits
from arpegon.core.document.model import Held
from arpegon.files.project import load_project
from arpegon.ui.look import theme
from arpegon.ui.parts.hook_handle import handle_of
from arpegon.ui.parts.parts_menu import holdable_menu
from arpegon.ui.sections.section_list import ROW

LEFT = Qt.MouseButton.LeftButton
CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def parts(window, strand, qtbot):
    """A strand, and two sections of one bar each; the second one holds another tempo and mutes it."""
    project, first = edits.add_section(window.session.project)
    project, second = edits.add_section(project)
    for section in (first, second):
        project = edits.set_section(project, section, bars=1)
    for held in (Held(param="tempo", value=200.0), Held(target=strand, param="muted", value=True)):
        project = edits.hold(project, second, held)
    window.session.edit("sections", edits.set_section(project, second, then="again"))
    settled(window, qtbot)
    return first, second


def go(window, qtbot, place):
    """Go there by a click on the strip."""
    ruler = window.strip.ruler
    QTest.mouseClick(ruler, LEFT, pos=ruler.cells()[place].center().toPoint())
    qtbot.waitUntil(lambda: window.session.piece.place == place)


def document(window):
    return window.session.history.project


def test_a_first_section_is_added_named_and_lengthened_in_its_view(window, strand, qtbot):
    assert not window.strip.isVisible()
    QTest.keyClick(window, Qt.Key.Key_4, CTRL)
    view = window.sections
    assert view.isVisible() and view.none.isVisible() and not view.editor.body.isVisible()
    QTest.mouseClick(view.buttons["+ section"], LEFT)
    assert not window.strip.isHidden() and not view.none.isVisible() and view.editor.none.isVisible()
    view.editor.name.setFocus()
    view.editor.name.selectAll()
    QTest.keyClicks(view.editor.name, "Low water")
    QTest.keyClick(view.editor.name, Qt.Key.Key_Return)
    view.editor.bars.setFocus()
    QTest.keyClick(view.editor.bars, Qt.Key.Key_Right)
    QTest.mouseClick(view.editor.then, LEFT, pos=view.editor.then._cells()[1][1].center().toPoint())
    (made,) = document(window).sections
    assert (made.name, made.bars, made.then) == ("Low water", 9, "again")
    assert view.list.entries[0].bars == "9 bars" and "again" in view.list.entries[0].then
    for _ in range(4):
        window.session.undo()
    assert document(window).sections == () and window.strip.isHidden()


def test_what_a_section_holds_is_seen_and_changed_there_only(window, parts, strand, qtbot):
    assert window.header.tempo.text == "120.0"
    go(window, qtbot, 1)
    column = window.board.columns[strand]
    assert window.header.tempo.text == "200.0" and column._mute.isChecked()
    assert handle_of(column._mute).mark.held
    window.header._type_tempo("180")
    assert document(window).tempo == 120.0 and window.session.project.tempo == 180.0
    qtbot.waitUntil(lambda: window.session.telemetry.tempo == 180.0)
    window.session.undo()
    assert window.session.project.tempo == 200.0
    go(window, qtbot, 0)
    assert window.header.tempo.text == "120.0" and not column._mute.isChecked()
    assert not handle_of(column._mute).mark.held


def test_a_strand_that_a_section_mutes_says_so_and_is_unmuted_there(window, parts, strand, qtbot):
    go(window, qtbot, 1)
    found = lambda: window.session.paths.breaks.get(strand)  # noqa: E731
    qtbot.waitUntil(lambda: found() is not None and found().reason == "it is muted in “Section 2”")
    window.session.paths.mend(found())
    assert not window.session.project.strand(strand).muted
    assert document(window).sections[1].holds[1].value is False
    qtbot.waitUntil(lambda: found() is None or "muted" not in found().reason)


def test_a_control_is_held_by_its_menu_and_let_go(window, parts, on_bench, qtbot):
    go(window, qtbot, 0)
    slider = on_bench("transpose").controls["semitones"]
    texts = {action.text(): action for action in handle_of(slider).menu().actions()}
    texts["Hold in “Section 1”"].trigger()
    assert handle_of(slider).mark.held and document(window).sections[0].holds[0].place == ("transpose", "semitones")
    slider.setFocus()
    QTest.keyClick(slider, Qt.Key.Key_Right)
    assert values_on_bench(window)["semitones"] == 1 and document(window).find_stage("transpose")[1].params == {}
    go(window, qtbot, 1)
    assert slider.value() == 0 and values_on_bench(window)["semitones"] == 0
    go(window, qtbot, 0)
    assert slider.value() == 1
    texts = {action.text(): action for action in handle_of(slider).menu().actions()}
    texts["Hold no more in “Section 1”"].trigger()
    assert document(window).sections[0].holds == () and slider.value() == 0


def test_only_what_sections_can_hold_is_offered(window, parts, strand, qtbot):
    go(window, qtbot, 0)
    column = window.board.columns[strand]
    offered = {
        name: any(action.text().startswith("Hold in") for action in handle_of(button).menu().actions())
        for name, button in (("solo", column._solo), ("mute", column._mute), ("play", window.header.play))
    }
    assert offered == {"solo": False, "mute": True, "play": False}


def test_the_strip_is_drawn_whatever_its_sections_hold(window, parts, on_bench, qtbot):
    on_bench("chord")
    held = Held(target="chord", param="offsets", value=[3, 7])
    session = window.session
    session.edit("hold", edits.hold(session.project, parts[0], held))
    before = picture(window.strip.ruler)
    session.edit("name", edits.set_section(session.project, parts[0], name="Low water"))
    assert picture(window.strip.ruler) != before


def test_while_changes_are_held_all_that_is_changed_goes_into_the_section_and_its_file(
    window, parts, strand, on_bench, tmp_path, qtbot
):
    on_bench("transpose")
    before = document(window)
    QTest.keyClick(window, Qt.Key.Key_H, CTRL | Qt.KeyboardModifier.ShiftModifier)
    assert window.strip.hold.isChecked() and window.session.piece.hold_all
    window.header._type_tempo("90")
    window.session.set_params("transpose", {"octaves": 2})
    window.board.columns[strand]._solo.click()
    QTest.mouseClick(window.strip.hold, LEFT)
    window.session.set_params("transpose", {"degrees": 3})
    made = document(window)
    assert {(one.target, one.param): one.value for one in made.sections[0].holds} == {
        ("", "tempo"): 90.0,
        ("transpose", "octaves"): 2,
        (strand, "solo"): True,
    }
    assert made.tempo == before.tempo and made.find_stage("transpose")[1].params == {"degrees": 3}
    assert window.session.filing.save(tmp_path / "tide.arpegon")
    assert load_project(tmp_path / "tide.arpegon").sections == made.sections


def test_while_music_plays_a_section_is_waited_for_and_keys_go_on(window, parts, qtbot):
    window.session.play()
    qtbot.waitUntil(lambda: window.session.telemetry.playing)
    go(window, qtbot, 1)
    qtbot.waitUntil(lambda: window.session.telemetry.tempo == 200.0)
    QTest.keyClick(window, Qt.Key.Key_PageUp, CTRL)
    qtbot.waitUntil(lambda: window.session.piece.wanted == 0 or window.session.piece.place == 0)
    qtbot.waitUntil(lambda: window.session.piece.place == 0)


def test_a_pad_is_learnt_for_a_section(window, parts, qtbot):
    texts = {action.text(): action for action in window.strip.ruler.menu(1).actions()}
    next(action for text, action in texts.items() if text.startswith("Learn")).trigger()
    pad = window.surface.parts.pads[6]
    for press in (QTest.mousePress, QTest.mouseRelease):
        press(pad, LEFT)
    qtbot.waitUntil(lambda: len(document(window).hookups) == 1)
    made = document(window).hookups[0]
    assert (made.action, made.value, made.number) == ("section", 2.0, 42)
    settled(window, qtbot)
    for press in (QTest.mousePress, QTest.mouseRelease):
        press(pad, LEFT)
    qtbot.waitUntil(lambda: window.session.piece.place == 1)


def test_the_list_moves_repeats_removes_and_goes(window, parts, qtbot):
    first, second = parts
    window.show_view("Sections")
    view = window.sections
    QTest.mouseClick(view.list, LEFT, pos=QPoint(100, ROW + 10))
    assert view.chosen == second and "Tempo 200" in view.list.entries[1].holds
    assert "muted" in view.list.entries[1].holds
    QTest.mouseClick(view.buttons["Repeat it"], LEFT)
    assert [one.name for one in document(window).sections] == ["Section 1", "Section 2", "Section 2 2"]
    assert document(window).sections[2].holds == document(window).sections[1].holds
    view.list.setFocus()
    QTest.keyClick(view.list, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert [one.name for one in document(window).sections] == ["Section 1", "Section 2 2", "Section 2"]
    drag(view.list, QPointF(100, 2 * ROW + 10), QPointF(100, 2))
    assert [one.id for one in document(window).sections][:2] == [second, first]
    QTest.keyClick(view.list, Qt.Key.Key_Delete)
    assert second not in [one.id for one in document(window).sections]
    assert view.chosen != second
    QTest.keyClick(view.list, Qt.Key.Key_Down)
    QTest.keyClick(view.list, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: window.session.piece.place == 1)
    view.tick(0.0)


def test_held_values_are_edited_in_rows_and_one_that_is_gone_comes_back_with_undo(window, parts, on_bench, qtbot):
    first, _ = parts
    on_bench("transpose")
    window.show_view("Sections")
    view = window.sections
    view.choose(first)
    editor = view.editor
    menu = holdable_menu(window.session.project, view, editor._take)
    assert "Tempo" in [action.text() for action in menu.actions()]
    editor._take("transpose", "octaves")
    editor._take("transpose", "bypass")
    row = editor._rows["transpose", "octaves"]
    row.control.setFocus()
    QTest.keyClick(row.control, Qt.Key.Key_Right)
    assert document(window).section(first).holds[0].value == 1
    editor._rows["transpose", "bypass"].control._flip()
    assert document(window).section(first).holds[1].value is True
    window.session.edit("Remove stage", edits.remove_stage(window.session.project, "transpose"))
    assert editor._rows["transpose", "octaves"].gone and "2 that are gone" in view.list.entries[0].holds
    window.session.undo()
    assert not editor._rows["transpose", "octaves"].gone
    editor._let_go("transpose", "octaves")
    assert list(editor._rows) == [("transpose", "bypass")]


def test_the_strip_and_the_view_are_painted_in_both_themes_and_tell_what_is_under_the_mouse(window, parts, qtbot):
    window.show_view("Sections")
    for name in ("night", "day"):
        theme.use(name)
        assert drawn(window.strip) and drawn(window.sections)
    words = window.strip.ruler._words(1)
    assert "Tempo 200" in words and "1 bar" in words and "again" in words
    assert window.strip.ruler.place_at(-5.0) is None


def test_a_sections_tempo_goes_its_way_and_its_messages_are_edited(window, strand, parts, qtbot):
    first, second = parts
    window.show_view("Sections")
    editor = window.sections.editor
    editor.show_section(second)
    editor.goes.toggled.emit(True)
    assert document(window).section(second).tempo_to == 200.0, "from its own tempo"
    assert editor.tempo_to.isVisibleTo(editor)
    editor.tempo_to.moved.emit(90.0)
    editor.within.moved.emit(1)
    assert (document(window).section(second).tempo_to, document(window).section(second).tempo_within) == (90.0, 1)
    QTest.mouseClick(editor.messages.more, LEFT)
    QTest.mouseClick(editor.messages.more, LEFT)
    row = editor.messages.rows[1]
    row.kind.chosen.emit("cc")
    row.channel.chosen.emit("4")
    row.number.setValue(7)
    row.value.setValue(90)
    editor.messages.rows[0].bank.setValue(129)
    sends = document(window).section(second).sends
    assert [(one.kind, one.channel, one.number, one.value, one.bank) for one in sends] == [
        ("program", 0, 0, 0, 129),
        ("cc", 4, 7, 90, None),
    ]
    assert sends[0].strand == strand
    editor.messages.rows[0].removed.emit(0)
    assert len(document(window).section(second).sends) == 1 and len(editor.messages.rows) == 1
    editor.goes.toggled.emit(False)
    assert document(window).section(second).tempo_to is None
    for _ in range(20):
        window.session.undo()
    assert document(window).section(first) is None or not document(window).section(second).sends


def test_a_start_that_waits_for_its_bar_is_shown(window, strand, qtbot):
    project = window.session.project
    project = edits.set_source(project, strand, 0, edits.fresh_generator(project, "steps"))
    source = project.strands[0].sources[0]
    waits = {"starts": "action", "launch": "bar", "launch_bars": 16}
    window.session.edit("x", edits.set_params(project, source.id, waits))
    window.session.select_stage(source.id)
    window.session.play()
    qtbot.waitUntil(lambda: window.session.telemetry.playing)
    row = window.bench.editor.foot.by_action
    QTest.mouseClick(row.start, LEFT)
    qtbot.waitUntil(lambda: row.start.text() == "waits …")
    QTest.mouseClick(row.stop, LEFT)
    qtbot.waitUntil(lambda: row.start.text() == "Start")
