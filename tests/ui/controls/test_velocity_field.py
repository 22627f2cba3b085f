"""The window of keys and velocities."""

from __future__ import annotations

from gestures import INK, collect, drag, drawn, pixels
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from arpegon.ui.controls.velocity_field import VelocityField


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
    assert drawn(field)


def test_each_edge_is_chosen_and_moved_from_the_keyboard(shown):
    field = shown(VelocityField(INK), 400, 130)
    told, settled = collect(field.moved), collect(field.settled)
    keys = Qt.Key
    QTest.keyClick(field, keys.Key_Right)
    for edge, key in (
        (keys.Key_End, keys.Key_Down),
        (keys.Key_PageDown, keys.Key_Up),
        (keys.Key_PageUp, keys.Key_Left),
    ):
        QTest.keyClick(field, edge)
        QTest.keyClick(field, key)
    assert told == [(1, 127, 1, 127), (1, 115, 1, 127), (1, 115, 11, 127), (1, 115, 11, 126)] and len(settled) == 4


def test_edges_stay_in_range_and_do_not_pass_one_another(shown):
    field = shown(VelocityField(INK), 400, 130)
    field.show_window(60, 64, 100, 104, True)
    told = collect(field.moved)
    keys = Qt.Key
    for key in (keys.Key_Up, keys.Key_PageDown, keys.Key_Up, *[keys.Key_Down] * 12):
        QTest.keyClick(field, key)
    assert told[0] == (64, 64, 100, 104) and told[1] == (64, 64, 104, 104) and told[-1] == (64, 64, 1, 104)


def test_what_is_kept_out_is_seen(shown):
    field = shown(VelocityField(INK), 400, 130)
    field.show_window(0, 127, 1, 127, True)
    keeps = pixels(field)
    field.show_window(0, 127, 1, 127, False)
    assert pixels(field) < keeps
