"""Points of a line that is drawn, on the papers of a response and of a wave."""

from __future__ import annotations

import pytest
from gestures import ALT, INK, LEFT, RIGHT, SHIFT, collect, drag, drawn, pixels
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QToolTip

from arpegon.ui.controls.curve_view import CurveView
from arpegon.ui.controls.wave_view import WaveView

LINE = [[10, 20], [60, 100], [120, 40]]


@pytest.fixture(params=["curve", "wave"])
def paper(request, shown):
    """Either paper with a line of three points, and what shows it points."""
    if request.param == "curve":
        view = shown(CurveView(INK, lowest=0), 176, 176)
        show = lambda points: view.show_response(range(128), points, (0, 127))  # noqa: E731
    else:
        view = shown(WaveView(INK, 16), 400, 136)
        show = lambda points: view.show_wave(lambda at: at % 1.0, points)  # noqa: E731
    show(LINE)
    view.show_now = show
    return view


def test_a_click_on_paper_sets_a_point_in_its_order(paper):
    told, settled = collect(paper.drawn), collect(paper.settled)
    QTest.mouseClick(paper, LEFT, pos=paper.spot(90, 64).toPoint())
    (points,) = told
    assert [point[0] for point in points] == sorted(point[0] for point in points) and len(points) == 4
    assert abs(points[2][0] - 90) <= 1 and abs(points[2][1] - 64) <= 1 and len(settled) == 1


def test_a_point_is_moved_between_its_neighbours_and_no_further(paper):
    told = collect(paper.drawn)
    drag(paper, paper.spot(60, 100), paper.spot(127, 0))
    assert told[-1] == [[10, 20], [119, 0], [120, 40]]
    drag(paper, paper.spot(119, 0), paper.spot(0, 127))
    assert told[-1] == [[10, 20], [11, 127], [120, 40]]


def test_dragged_off_the_paper_it_stays_in_range(paper):
    told = collect(paper.drawn)
    drag(paper, paper.spot(10, 20), QPointF(-500, 900))
    assert told[-1][0] == [0, 0]


def test_the_right_button_takes_points_away_but_not_the_last(paper):
    told = collect(paper.drawn)
    for place in LINE:
        QTest.mouseClick(paper, RIGHT, pos=paper.spot(*place).toPoint())
    assert told[-1] == [[120, 40]] and len(told) == 2
    assert "One point stays" in QToolTip.text()


def test_no_more_points_than_there_may_be(paper):
    many = [[8 * place, 64] for place in range(16)]
    paper.show_now(many)
    told = collect(paper.drawn)
    QTest.mouseClick(paper, LEFT, pos=paper.spot(36, 10).toPoint())
    assert told == [] and "16 points already" in QToolTip.text()


def test_points_are_chosen_moved_set_and_taken_away_from_the_keyboard(paper):
    told, settled = collect(paper.drawn), collect(paper.settled)
    paper.setFocus()
    QTest.keyClick(paper, Qt.Key.Key_Right)
    QTest.keyClick(paper, Qt.Key.Key_Up)
    assert told[-1][1] == [60, 104]
    QTest.keyClick(paper, Qt.Key.Key_Left, ALT | SHIFT)
    assert told[-1][1] == [59, 104]
    QTest.keyClick(paper, Qt.Key.Key_Insert)
    assert told[-1][2] == [89, 72] and len(told[-1]) == 4
    QTest.keyClick(paper, Qt.Key.Key_Delete)
    assert told[-1] == [[10, 20], [59, 104], [120, 40]] and len(settled) == 4


def test_there_is_no_room_between_points_that_touch(paper):
    paper.show_now([[10, 20], [11, 30]])
    told = collect(paper.drawn)
    QTest.keyClick(paper, Qt.Key.Key_Insert)
    assert told == [] and "no room" in QToolTip.text()


def test_behind_the_last_point_there_is_room_to_the_end(paper):
    told = collect(paper.drawn)
    QTest.keyClick(paper, Qt.Key.Key_Left)
    QTest.keyClick(paper, Qt.Key.Key_Insert)
    assert told[-1][-1] == [123, 40]


def test_a_line_that_is_not_drawn_takes_neither_mouse_nor_keys(paper):
    paper.show_now(None)
    told = collect(paper.drawn)
    drag(paper, QPointF(40, 40), QPointF(60, 60))
    QTest.keyClick(paper, Qt.Key.Key_Up)
    assert told == [] and paper.focusPolicy() == Qt.FocusPolicy.NoFocus and drawn(paper)


def test_what_comes_from_outside_does_not_jump_under_the_hand(paper):
    paper._held = 1
    paper.show_now([[0, 0]])
    assert paper.points == LINE


def test_the_place_of_a_wave_is_seen_only_while_it_runs(shown):
    wave = shown(WaveView(INK), 400, 136)
    wave.show_wave(lambda at: 0.5, None)
    still = pixels(wave)
    wave.show_place(3.25)
    assert pixels(wave) > still
    wave.show_place(None)
    assert pixels(wave) == still
