"""The response curve, with points where it can be drawn."""

from __future__ import annotations

from gestures import INK, RIGHT, collect, drag, drawn
from PyQt6.QtCore import QPoint

from arpegon.ui.controls.curve_view import CurveView


def test_points_stay_in_order_and_one_stays(shown):
    curve = shown(CurveView(INK), 176, 176)
    curve.show_response(range(128), [[1, 1], [64, 64], [127, 127]], (1, 127))
    told = collect(curve.drawn)
    drag(curve, curve.spot(64, 64), curve.spot(127, 20))
    assert [point[0] for point in told[-1]] == sorted(point[0] for point in told[-1])
    assert told[-1][1][0] == 126
    for point in list(curve.points)[:]:
        drag(curve, curve.spot(*point), button=RIGHT)
    assert len(curve.points) == 1
    curve.add(60, 70, 0.0)
    curve.tick(0.5)
    assert drawn(curve)


def test_a_curve_without_points_is_not_drawn(shown):
    curve = shown(CurveView(INK), 176, 176)
    told = collect(curve.drawn)
    drag(curve, QPoint(50, 50), QPoint(60, 60))
    assert told == []
