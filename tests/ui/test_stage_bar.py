"""A stage's bar on the board."""

from __future__ import annotations

import pytest
from gestures import INK, LEFT, collect, drag, picture, pixels
from PyQt6.QtCore import QPoint
from PyQt6.QtTest import QTest

from arpegon.core.document.model import Stage
from arpegon.ui.board.stage_bar import StageBar
from arpegon.ui.look import theme


@pytest.fixture
def bar(shown):
    return shown(StageBar(Stage(id="c", kind="chord", params={"offsets": [7]}), 0), 200, 30)


def test_a_press_chooses_and_a_small_move_is_no_drag(bar):
    chosen, dragged, dropped = collect(bar.chosen), collect(bar.dragged), collect(bar.dropped)
    drag(bar, QPoint(20, 10), QPoint(22, 11))
    assert chosen == ["c"] and dragged == [] and dropped == []


def test_a_drag_tells_where_it_is_and_is_dropped_once(bar):
    dragged, dropped = collect(bar.dragged), collect(bar.dropped)
    drag(bar, QPoint(20, 10), QPoint(20, 80), QPoint(20, 120))
    assert [stage for stage, _ in dragged] == ["c", "c"] and len(dropped) == 1
    drag(bar, QPoint(20, 10))
    assert len(dropped) == 1


def test_a_double_click_bypasses(bar):
    bypassed = collect(bar.bypassed)
    QTest.mouseDClick(bar, LEFT, pos=QPoint(20, 10))
    assert bypassed == ["c"]


def test_what_is_selected_bypassed_or_hooked_up_is_seen(bar):
    assert pixels(bar, theme.theme().bar) > 3000 and pixels(bar, INK) == 0
    bar.set_selected(True)
    assert pixels(bar, INK) > 3000
    bar.set_selected(False)
    bar.show_stage(Stage(id="c", kind="chord", bypass=True), False)
    assert pixels(bar, theme.theme().paper) > 3000
    bar.show_stage(Stage(id="c", kind="chord"), True)
    plain = picture(bar)
    bar.show_stage(Stage(id="c", kind="chord"), False)
    assert picture(bar) != plain and pixels(bar, theme.theme().warning) == 0


@pytest.mark.parametrize("width", [72, 100, 128, 300])
def test_it_is_drawn_at_any_width(bar, width):
    bar.resize(width, 30)
    assert pixels(bar, theme.theme().bar) > 10 * width
