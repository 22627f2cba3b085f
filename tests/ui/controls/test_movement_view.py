"""A value over the last seconds."""

from __future__ import annotations

from gestures import INK, drawn, picture, pixels

from arpegon.ui.controls.movement_view import MovementView


def test_what_went_out_is_the_strong_line(shown):
    view = shown(MovementView(INK, "move a controller"), 340, 132)
    assert drawn(view) and pixels(view) == 0
    for step in range(20):
        view.add(20 + step, 90 + step, 0.1 * step)
    view.tick(2.0)
    assert pixels(view) > 100


def test_a_value_that_stays_is_kept_thinly_and_the_old_is_forgotten(shown):
    view = shown(MovementView(INK, ""), 340, 132)
    for step in range(1000):
        view.add(64, 64, 0.01 * step)
    assert len(view._points) < 110
    view.tick(30.0)
    assert len(view._points) == 1


def test_stairs_are_drawn_across(shown):
    view = shown(MovementView(INK, "empty"), 340, 132)
    plain = picture(view)
    view.show_levels(5)
    assert picture(view) != plain
