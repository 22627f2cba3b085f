"""Strokes, and what sounded for them."""

from __future__ import annotations

from gestures import INK, drawn

from arpegon.ui.controls.strokes_view import StrokesView


def test_strokes_know_what_sounded_for_them(shown):
    view = shown(StrokesView(INK, "play"))
    view.tick(0.0)
    assert drawn(view)
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
    assert drawn(view)
    view.went(64, 3.0)
    view.tick(60.0)
    assert not view.strokes


CHIPS = [("Dm7", {"degree": 2, "stack": "seventh"}, True), ("D7", {"root": "D", "quality": "7"}, False)]
