"""The list of sections: chosen, gone to, moved."""

from __future__ import annotations

import pytest
from gestures import ALT, LEFT, collect, drag, picture, pixels
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from arpegon.ui.look import theme
from arpegon.ui.sections.section_list import ROW, SectionList, SectionRow


@pytest.fixture
def rows(shown):
    made = shown(SectionList(), 600, 4 * ROW)
    names = ("Lamps lit", "Fog comes in", "The tide turns", "Morning")
    entries = [
        SectionRow(id=str(place), name=name, bars="8 bars", then="", holds="") for place, name in enumerate(names)
    ]
    made.show_entries(entries, "1")
    return made


def row(place, part=0.5):
    return QPoint(200, int((place + part) * ROW))


@pytest.mark.parametrize(
    ("start", "end", "moved"),
    [(0, row(2, 0.1), ("0", 1)), (0, row(3, 0.9), ("0", 3)), (3, row(0, 0.1), ("3", 0)), (2, row(1, 0.2), ("2", 1))],
)
def test_a_drag_moves_a_section_between_others(rows, start, end, moved):
    told = collect(rows.moved)
    drag(rows, row(start), end)
    assert told == [moved]


@pytest.mark.parametrize("end", [row(1, 0.1), row(1, 0.9), row(2, 0.1)])
def test_dropped_where_it_was_it_stays(rows, end):
    told = collect(rows.moved)
    drag(rows, row(1), end)
    assert told == []


def test_a_small_move_is_a_click(rows):
    moved, chosen = collect(rows.moved), collect(rows.chosen)
    drag(rows, row(2), row(2) + QPoint(0, 4))
    assert moved == [] and chosen == ["2"]


def test_where_it_will_be_dropped_is_seen(rows):
    before = pixels(rows, theme.theme().warning)
    rows._drag, rows._drop = ("0", 0.0), 2
    assert pixels(rows, theme.theme().warning) > before + 500


def test_all_of_it_from_the_keyboard(rows):
    chosen, gone, moved, removed = (collect(one) for one in (rows.chosen, rows.gone_to, rows.moved, rows.removed))
    QTest.keyClick(rows, Qt.Key.Key_Down)
    QTest.keyClick(rows, Qt.Key.Key_Return)
    QTest.keyClick(rows, Qt.Key.Key_Down, ALT)
    QTest.keyClick(rows, Qt.Key.Key_Up, ALT)
    QTest.keyClick(rows, Qt.Key.Key_Delete)
    assert chosen == ["2"] and gone == ["1"] and moved == [("1", 2), ("1", 0)] and removed == ["1"]


def test_the_first_and_the_last_do_not_move_beyond_the_ends(rows):
    moved = collect(rows.moved)
    rows.show_entries(rows.entries, "0")
    QTest.keyClick(rows, Qt.Key.Key_Up, ALT)
    rows.show_entries(rows.entries, "3")
    QTest.keyClick(rows, Qt.Key.Key_Down, ALT)
    assert moved == []


def test_a_double_click_goes_there(rows):
    gone = collect(rows.gone_to)
    QTest.mouseDClick(rows, LEFT, pos=row(3))
    assert gone == ["3"]


def test_how_far_the_one_that_plays_is_moves_on(rows):
    rows.show_playing(2, 0.25)
    early = picture(rows)
    rows.show_playing(2, 0.75)
    assert picture(rows) != early
