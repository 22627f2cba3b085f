"""The window of keys and velocities."""

from __future__ import annotations

from gestures import INK, collect, drag, drawn
from PyQt6.QtCore import QPointF

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
