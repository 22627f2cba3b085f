"""Controls by themselves: what a hand, a wheel and the keyboard do to them, and what they tell."""

from __future__ import annotations

import json

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt
from PyQt6.QtGui import QDropEvent, QMouseEvent, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from arpegon.core.events import note_off, note_on
from arpegon.sound import SOUNDS
from arpegon.sound.sounds import Control
from arpegon.ui import theme
from arpegon.ui.controls.checks import Chips
from arpegon.ui.controls.chord_palette import MIME, ChordPalette
from arpegon.ui.controls.curve_view import CurveView
from arpegon.ui.controls.elided import Elided
from arpegon.ui.controls.facing_keys import FacingKeys
from arpegon.ui.controls.lanes import ChannelLanes
from arpegon.ui.controls.name_field import NameField
from arpegon.ui.controls.pad_grid import PadGrid, Tile
from arpegon.ui.controls.panel import InstrumentPanel, Meter, PanelControl
from arpegon.ui.controls.step_bars import StepBars
from arpegon.ui.controls.strokes_view import StrokesView
from arpegon.ui.controls.velocity_field import VelocityField
from arpegon.ui.controls.zone_keys import ZoneKeys
from arpegon.ui.rolls import RollLine

INK = theme.INKS[0]
LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton


@pytest.fixture
def shown(qapp, qtbot):
    """Shows a widget at a size."""

    def show(widget, width=360, height=160):
        qtbot.addWidget(widget)
        widget.resize(width, height)
        widget.show()
        return widget

    return show


def collect(signal):
    told = []
    signal.connect(lambda *values: told.append(values[0] if len(values) == 1 else values))
    return told


def mouse(widget, kind, place, button=LEFT, modifiers=Qt.KeyboardModifier.NoModifier):
    spot = QPointF(widget.mapToGlobal(QPointF(place).toPoint()))
    held = Qt.MouseButton.NoButton if kind == QMouseEvent.Type.MouseButtonRelease else button
    QApplication.sendEvent(widget, QMouseEvent(kind, QPointF(place), spot, button, held, modifiers))


def drag(widget, *places, button=LEFT, modifiers=Qt.KeyboardModifier.NoModifier):
    mouse(widget, QMouseEvent.Type.MouseButtonPress, places[0], button)
    for place in places[1:]:
        mouse(widget, QMouseEvent.Type.MouseMove, place, button, modifiers)
    mouse(widget, QMouseEvent.Type.MouseButtonRelease, places[-1], button)


def wheel(widget, up=True):
    place = QPointF(widget.rect().center())
    none, phase = Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase
    turn = QPoint(0, 120 if up else -120)
    event = QWheelEvent(place, place, QPoint(), turn, Qt.MouseButton.NoButton, none, phase, False)
    QApplication.sendEvent(widget, event)


# -- keyboards that face each other -----------------------------------------------------------------


def test_a_thread_drawn_to_nowhere_is_none_and_only_editable_keys_are_edited(shown):
    keys = shown(FacingKeys(INK, editable=True))
    keys.show_threads({note: [note] for note in range(128)})
    drawn, cut = collect(keys.drawn), collect(keys.cut)
    drag(keys, keys._end(60, False), QPointF(5, keys.height() / 2))
    assert drawn == [] and cut == []
    drag(keys, keys._end(60, False), keys._end(72, True))
    assert drawn == [(60, 72)]
    fixed = shown(FacingKeys(INK))
    fixed.show_threads({60: [60]})
    drawn = collect(fixed.drawn)
    drag(fixed, fixed._end(60, False), fixed._end(72, True))
    assert drawn == []


def test_the_lower_end_of_a_thread_is_taken_by_its_key(shown):
    keys = shown(FacingKeys(INK, editable=True))
    keys.show_threads({60: [67]})
    drawn, cut = collect(keys.drawn), collect(keys.cut)
    drag(keys, QPointF(keys._end(67, True).x(), keys.height() - 3), keys._end(65, True))
    assert cut == [(60, 67)] and drawn == [(60, 65)]


def test_keys_are_found_at_their_places(shown):
    keys = shown(FacingKeys(INK), 700, 160)
    keys.show_range(36, 95)
    for note in (36, 37, 60, 66, 95):
        assert keys._key_at(keys._end(note, False), False) == note
        assert keys._key_at(keys._end(note, True), True) == note
    assert keys._end(20, False) is None
    keys.strike(60, [67], 1.0)
    keys.tick(1.2)
    assert not keys.grab().isNull()
    keys.tick(9.0)
    assert not keys._lit


# -- steps ------------------------------------------------------------------------------------------


def test_steps_are_drawn_across_silenced_and_walked(shown):
    bars = shown(StepBars(INK, 2.0, "help", "none"), 400, 84)
    told, settled = collect(bars.changed), collect(bars.settled)
    bars.show_levels([1.0, 1.0, 1.0, 1.0])
    drag(bars, QPoint(20, 4), QPoint(150, 4), QPoint(250, 82))
    assert told[-1] == [2.0, 2.0, 0.0, 1.0] and len(settled) == 1
    drag(bars, QPoint(380, 20), button=RIGHT)
    assert told[-1][3] == 0.0
    bars.setFocus()
    QTest.keyClick(bars, Qt.Key.Key_Right)
    QTest.keyClick(bars, Qt.Key.Key_Down)
    assert told[-1] == [1.95, 2.0, 0.0, 0.0]
    bars.show_lit(1)
    assert not bars.grab().isNull()


def test_no_steps_cannot_be_drawn(shown):
    bars = shown(StepBars(INK, 2.0, "help", "none yet"))
    told = collect(bars.changed)
    drag(bars, QPoint(20, 4), QPoint(150, 4))
    QTest.keyClick(bars, Qt.Key.Key_Up)
    assert told == [] and not bars.grab().isNull()


# -- curves, fields, zones, lanes -------------------------------------------------------------------


def test_points_stay_in_order_and_one_stays(shown):
    curve = shown(CurveView(INK), 176, 176)
    curve.show_response(range(128), [[1, 1], [64, 64], [127, 127]], (1, 127))
    told = collect(curve.drawn)
    drag(curve, curve._spot(64, 64), curve._spot(127, 20))
    assert [point[0] for point in told[-1]] == sorted(point[0] for point in told[-1])
    assert told[-1][1][0] == 126
    for point in list(curve.points)[:]:
        drag(curve, curve._spot(*point), button=RIGHT)
    assert len(curve.points) == 1
    curve.add(60, 70, 0.0)
    curve.tick(0.5)
    assert not curve.grab().isNull()


def test_a_curve_without_points_is_not_drawn(shown):
    curve = shown(CurveView(INK), 176, 176)
    told = collect(curve.drawn)
    drag(curve, QPoint(50, 50), QPoint(60, 60))
    assert told == []


def test_each_edge_of_the_field_is_dragged_and_cannot_pass_the_other(shown):
    field = shown(VelocityField(INK), 400, 130)
    told = collect(field.moved)
    box = field._box()
    drag(field, QPointF(box.right(), 60), QPointF(box.left() + 100, 60))
    assert told[-1][0] == 0 and 28 <= told[-1][1] <= 36
    box = field._box()
    drag(field, QPointF(box.center().x(), box.top()), QPointF(box.center().x(), box.bottom() - 20))
    assert told[-1][3] < 40 and told[-1][2] == 1
    box = field._box()
    drag(field, QPointF(box.left(), box.center().y()), QPointF(399, box.center().y()))
    assert told[-1][0] == told[-1][1]
    field.add(60, 60, False, 0.0)
    field.add(62, 60, True, 0.0)
    field.tick(1.0)
    assert not field.grab().isNull()


def test_a_zone_is_dragged_at_either_end_and_opened(shown):
    zone = shown(ZoneKeys(INK), 384, 58)
    told = collect(zone.moved)
    drag(zone, QPoint(3, 20), QPoint(108, 20))
    assert told[-1] == (36, 127)
    drag(zone, QPoint(380, 20), QPoint(217, 20))
    assert told[-1] == (36, 72)
    QTest.mouseDClick(zone, LEFT, pos=QPoint(150, 20))
    assert told[-1] == (0, 127)
    assert not zone.grab().isNull()


def test_lanes_light_and_fade(shown):
    lanes = shown(ChannelLanes(INK), 400, 128)
    chosen = collect(lanes.chosen)
    lanes.show_lanes([9] * 16)
    lanes.strike(3, 1.0)
    assert lanes._lit == {3: 1.0} and not lanes.grab().isNull()
    lanes.tick(9.0)
    assert lanes._lit == {}
    QTest.mouseClick(lanes, LEFT, pos=QPoint(12, 60))
    QTest.mouseClick(lanes, LEFT, pos=QPoint(12, 120))
    assert chosen == [0]


# -- strokes ----------------------------------------------------------------------------------------


def test_strokes_know_what_sounded_for_them(shown):
    view = shown(StrokesView(INK, "play"))
    view.tick(0.0)
    assert not view.grab().isNull()
    view.came_in(60, 1.0)
    view.came_in(64, 1.0)
    view.sounded(60, 1.0)
    view.went(60, 1.5)
    view.ended(60, 2.0)
    assert view.share == (1, 2)
    first, second = view.strokes
    assert (first.end, first.made_end, second.made_start) == (1.5, 2.0, None)
    view.sounded(72, 2.5)
    view.ended(72, 2.6)
    assert view.strokes[-1].made_start == 2.5
    view.tick(3.0)
    assert not view.grab().isNull()
    view.went(64, 3.0)
    view.tick(60.0)
    assert not view.strokes


# -- chords and pads --------------------------------------------------------------------------------

CHIPS = [("Dm7", {"degree": 2, "stack": "seventh"}, True), ("D7", {"root": "D", "quality": "7"}, False)]


def test_chords_are_chosen_by_click_and_by_keyboard_and_wrap(shown):
    palette = shown(ChordPalette(INK, "help"), 60, 30)
    told = collect(palette.chosen)
    palette.show_chips(CHIPS, CHIPS[1][1])
    assert palette.height() > 40
    QTest.mouseClick(palette, LEFT, pos=palette._cells[1].center().toPoint())
    palette.setFocus()
    QTest.keyClick(palette, Qt.Key.Key_Right)
    QTest.keyClick(palette, Qt.Key.Key_Return)
    assert told == [CHIPS[1][1], CHIPS[0][1]]
    assert not palette.grab().isNull()


def tiles(count):
    return [Tile(f"C{place}", "C2", 36 + place) for place in range(count)]


@pytest.mark.parametrize(("bottom", "upwards"), [(True, 4), (False, -4)])
def test_pads_lie_as_on_the_controller_and_are_walked(shown, bottom, upwards):
    grid = shown(PadGrid(INK), 400, 98)
    grid.show_tiles(tiles(8), 4, bottom, 4 if not bottom else 0)
    assert (grid._cell(0).y() > grid._cell(4).y()) == bottom
    told, removed = collect(grid.chosen), collect(grid.removed)
    grid.setFocus()
    QTest.keyClick(grid, Qt.Key.Key_Up)
    assert told == [4 if bottom else 0]
    grid.show_tiles(tiles(8), 4, bottom, told[-1])
    QTest.keyClick(grid, Qt.Key.Key_Right)
    QTest.keyClick(grid, Qt.Key.Key_Delete)
    assert told[-1] == (5 if bottom else 1) and removed == [4 if bottom else 0]
    grid.waiting = 8
    grid.show_tiles(tiles(8), 4, bottom, 1)
    grid.strike(37, 1.0)
    grid.tick(1.1)
    assert not grid.grab().isNull() and grid.height() > 130


def test_a_chord_that_is_dropped_beside_the_pads_changes_nothing(shown):
    grid = shown(PadGrid(INK), 400, 98)
    grid.show_tiles(tiles(2), 4, True, None)
    told = collect(grid.dropped)
    data = QMimeData()
    data.setData(MIME, json.dumps({"root": "C"}).encode())
    for place in (grid._cell(1).center(), QPointF(390, 20)):
        grid._over = grid._pad_at(place)
        event = QDropEvent(place, Qt.DropAction.CopyAction, data, LEFT, Qt.KeyboardModifier.NoModifier)
        grid.dropEvent(event)
    assert told == [(1, {"root": "C"})]


# -- panels -----------------------------------------------------------------------------------------


def test_a_knob_turns_by_drag_wheel_and_arrows_and_rests_by_double_click(shown):
    knob = shown(PanelControl(Control(7, "Volume", 100), INK))
    told = collect(knob.turned)
    drag(knob, QPoint(30, 40), QPoint(30, 20))
    assert told[-1] == (7, 124)
    drag(knob, QPoint(30, 40), QPoint(30, 60), modifiers=Qt.KeyboardModifier.ShiftModifier)
    assert told[-1] == (7, 118)
    wheel(knob)
    assert told[-1] == (7, 122)
    knob.setFocus()
    QTest.keyClick(knob, Qt.Key.Key_Down)
    assert told[-1] == (7, 118)
    QTest.mouseDClick(knob, LEFT, pos=QPoint(30, 20))
    assert told[-1] == (7, 100)
    assert not knob.grab().isNull()


def test_a_drawbar_is_pulled_out_downwards_and_a_switch_flips(shown):
    bar = shown(PanelControl(Control(22, "8′", 64, "drawbar"), INK))
    told = collect(bar.turned)
    drag(bar, QPoint(18, 40), QPoint(18, 60))
    assert told[-1] == (22, 96)
    switch = shown(PanelControl(Control(80, "Rotor", 0, "switch"), INK))
    told = collect(switch.turned)
    for _ in range(2):
        QTest.mouseClick(switch, LEFT, pos=QPoint(30, 24))
    assert told == [(80, 127), (80, 0)]
    assert not bar.grab().isNull() and not switch.grab().isNull()


@pytest.mark.parametrize("sound", SOUNDS)
def test_every_sound_has_a_panel_that_shows_what_arrived(shown, sound):
    panel = shown(InstrumentPanel(INK), 380, 240)
    controls = SOUNDS[sound].controls
    assert len({control.number for control in controls}) == len(controls)
    panel.show_controls(controls, {7: 3})
    assert panel.controls[7].value == 3 and panel.controls[11].value == 127
    panel.show_controls(controls, {})
    assert panel.controls[7].value == 100


def test_a_meter_falls_by_itself(shown):
    meter = shown(Meter(INK), 200, 10)
    meter.show_level(0.5)
    before = meter._level
    meter.show_level(0.0)
    assert 0 < meter._level < before
    for _ in range(120):
        meter.show_level(0.0)
    assert meter._level == 0.0 and not meter.grab().isNull()


# -- words ------------------------------------------------------------------------------------------


def test_chips_tell_what_is_on_in_the_order_of_the_options(shown):
    chips = shown(Chips({"a": "A", "b": "B", "c": "C"}, "help"))
    told = collect(chips.chosen)
    chips.set_value(["c"])
    QTest.mouseClick(chips.buttons["a"], LEFT)
    assert told == [["a", "c"]] and chips.value() == ["a", "c"]


def test_a_long_name_is_shortened_and_kept_whole(shown):
    label = shown(Elided("The Lamplighter climbs the stair once more"), 90, 20)
    assert label.full.endswith("once more") and label.text().endswith("…")
    label.resize(600, 20)
    assert label.text() == label.full


def test_a_name_is_typed_where_it_stands(shown):
    holder = shown(Elided("x"), 300, 40)
    name = NameField("Quay", parent=holder)
    name.resize(100, 20)
    renamed, clicked = collect(name.renamed), collect(name.clicked)
    QTest.mouseClick(name, LEFT)
    assert len(clicked) == 1
    for text in ("  ", "Pier "):
        name.rename()
        name._field.setText(text)
        name._typed()
    assert renamed == ["Pier"]


# -- rolls ------------------------------------------------------------------------------------------


def test_what_is_in_sight_is_what_sounds_or_ended_of_late():
    line = RollLine()
    line.add([note_on(0.0, 0, 40, 90)])
    for place in range(60):
        line.add([note_on(1.0 + place, 0, 60, 90), note_off(1.5 + place, 0, 60)])
    assert sorted(bar.start for bar in line.in_sight(58.9)) == [0.0, 59.0, 60.0]
    line.add([note_off(61.0, 0, 40)])
    assert [bar.note for bar in line.in_sight(60.9)] == [40]
    assert line.since(59.0) == 2 and line.notes_since(0.0) == {40, 60}
    line.prune(120.0)
    assert not line.bars and not line.ended


def test_all_that_is_open_is_let_go():
    line = RollLine()
    line.add([note_on(0.0, 0, 40, 90), note_on(0.0, 0, 41, 90)])
    assert line.sounding == {40, 41}
    line.let_go(2.0)
    assert line.sounding == set() and sorted(bar.end for bar in line.in_sight(1.0)) == [2.0, 2.0]
