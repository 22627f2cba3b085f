"""Tosses as small figures."""

from __future__ import annotations

import pytest
from gestures import INK, LEFT, RIGHT, collect, drawn, pixels
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from arpegon.ui.controls.toss_figures import Figure, TossFigures, shape


@given(st.integers(0, 2**31))
def test_a_seed_has_one_figure_that_stays_within_its_circle(seed):
    figure = shape(seed, QPointF(0, 0), 10.0)
    corners = [figure.at(place) for place in range(figure.count())]
    assert 5 <= len(corners) <= 9 and figure == shape(seed, QPointF(0, 0), 10.0)
    assert all(6.1 <= (corner.x() ** 2 + corner.y() ** 2) ** 0.5 <= 10.01 for corner in corners)


@pytest.fixture
def figures(shown):
    made = shown(TossFigures(INK), 108, 54)
    made.show_figures([Figure(seed, seed == 2, f"toss {seed}") for seed in range(6)], 1)
    return made


def test_figures_flow_in_rows_and_each_is_found(figures):
    assert figures.height() == 54
    assert [figures._place_at(figures._spot(place)) for place in range(6)] == list(range(6))
    assert figures._place_at(QPointF(107, 10)) is None and figures._place_at(QPointF(90, 40)) is None


def test_click_calls_back_and_the_right_button_offers_more(figures):
    called, asked = collect(figures.called), collect(figures.asked)
    QTest.mouseClick(figures, LEFT, pos=figures._spot(4).toPoint())
    QTest.mouseClick(figures, RIGHT, pos=figures._spot(3).toPoint())
    assert called == [4] and [place for place, _ in asked] == [3]


def test_arrows_walk_and_stop_at_the_ends(figures):
    called = collect(figures.called)
    QTest.keyClick(figures, Qt.Key.Key_Right)
    figures.show_figures(figures.figures, 0)
    QTest.keyClick(figures, Qt.Key.Key_Left)
    figures.show_figures(figures.figures, None)
    QTest.keyClick(figures, Qt.Key.Key_Left)
    assert called == [2, 0, 5]


def test_the_one_in_force_is_starred_by_a_key_and_filled(figures):
    starred = collect(figures.starred)
    QTest.keyClick(figures, Qt.Key.Key_Asterisk)
    assert starred == [1]
    filled = pixels(figures)
    figures.show_figures(figures.figures, None)
    assert filled > 80 and pixels(figures) == 0


def test_none_yet_is_said(shown):
    assert drawn(shown(TossFigures(INK), 200, 28))
