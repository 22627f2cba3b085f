"""Rows to choose from: hookups, as the list that stands for all."""

from __future__ import annotations

import pytest
from gestures import LEFT, collect, pixels
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from arpegon.ui.hookups.hookup_list import ROW, HookupList, HookupRow
from arpegon.ui.look import theme


def entry(name, muted=False, gone=False):
    return HookupRow(id=name, control="CC 20, ch 1", name=name, target="Tempo", how="follow", gone=gone, muted=muted)


@pytest.fixture
def rows(shown):
    made = shown(HookupList(), 700, 200)
    made.show_entries([entry("Wind"), entry("Stride"), entry("Tide")], "Stride")
    return made


def test_it_is_as_high_as_its_rows(rows):
    assert rows.height() == 3 * ROW and rows.place_of("Tide") == 2 * ROW
    assert [rows.place_at(y) for y in (0, ROW, 3 * ROW - 1, 3 * ROW, -1)] == [0, 1, 2, None, 0]


def test_arrows_choose_and_stop_at_the_ends(rows):
    chosen = collect(rows.chosen)
    QTest.keyClick(rows, Qt.Key.Key_Down)
    rows.show_entries(rows.entries, "Tide")
    QTest.keyClick(rows, Qt.Key.Key_Down)
    rows.show_entries(rows.entries, "")
    QTest.keyClick(rows, Qt.Key.Key_Up)
    assert chosen == ["Tide", "Tide", "Wind"]


def test_mouse_and_keyboard_mute_and_remove(rows):
    chosen, muted, removed = collect(rows.chosen), collect(rows.muted), collect(rows.removed)
    QTest.mouseClick(rows, LEFT, pos=QPoint(100, 10))
    QTest.mouseClick(rows, LEFT, pos=QPoint(680, ROW + 20))
    QTest.keyClick(rows, Qt.Key.Key_Return)
    QTest.keyClick(rows, Qt.Key.Key_Delete)
    assert chosen == ["Wind"] and muted == ["Stride", "Stride"] and removed == ["Stride"]


def test_nothing_chosen_nothing_removed(rows):
    rows.show_entries(rows.entries, "")
    removed, muted = collect(rows.removed), collect(rows.muted)
    QTest.keyClick(rows, Qt.Key.Key_Delete)
    QTest.keyClick(rows, Qt.Key.Key_Return)
    assert removed == [] and muted == []


def test_what_moves_glows(rows):
    good = theme.theme().good
    marks = pixels(rows, good)
    rows.show_values({"Wind": (127.0, 1.0)}, 1.0)
    assert pixels(rows, good) > marks + 300
    rows.show_values({"Wind": (127.0, 1.0)}, 1.85)
    assert pixels(rows, good) < marks + 300


def test_what_is_muted_or_gone_is_quiet(rows):
    marks = pixels(rows, theme.theme().ink)
    rows.show_entries([entry("Wind", muted=True), entry("Stride", muted=True)], "")
    assert pixels(rows, theme.theme().ink) < marks and pixels(rows, theme.theme().warning) == 0
