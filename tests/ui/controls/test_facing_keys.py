"""Two facing keyboards: threads that are drawn, moved and cut."""

from __future__ import annotations

import pytest
from gestures import INK, collect, drag, drawn
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from arpegon.ui.controls.facing_keys import FacingKeys


def test_a_thread_drawn_to_nowhere_is_none_and_only_editable_keys_are_edited(shown):
    keys = shown(FacingKeys(INK, editable=True))
    keys.show_threads({note: [note] for note in range(128)})
    drawn, cut = collect(keys.drawn), collect(keys.cut)
    drag(keys, keys._end(60, False), QPointF(5, keys.height() / 2))
    assert drawn == [] and cut == []
    drag(keys, keys._end(60, False), keys._end(72, True))
    assert drawn == [(60, 72)]
    fixed = shown(FacingKeys(INK))
    fixed.show_threads({60: [60]})
    drawn = collect(fixed.drawn)
    drag(fixed, fixed._end(60, False), fixed._end(72, True))
    assert drawn == []


def test_the_lower_end_of_a_thread_is_taken_by_its_key(shown):
    keys = shown(FacingKeys(INK, editable=True))
    keys.show_threads({60: [67]})
    drawn, cut = collect(keys.drawn), collect(keys.cut)
    drag(keys, QPointF(keys._end(67, True).x(), keys.height() - 3), keys._end(65, True))
    assert cut == [(60, 67)] and drawn == [(60, 65)]


def test_keys_are_found_at_their_places(shown):
    keys = shown(FacingKeys(INK), 700, 160)
    keys.show_range(36, 95)
    for note in (36, 37, 60, 66, 95):
        assert keys._key_at(keys._end(note, False), False) == note
        assert keys._key_at(keys._end(note, True), True) == note
    assert keys._end(20, False) is None
    keys.strike(60, [67], 1.0)
    keys.tick(1.2)
    assert drawn(keys)
    keys.tick(9.0)
    assert not keys._lit


@pytest.fixture
def keys(shown):
    """Editable keyboards that draw and cut as they are told."""
    made = shown(FacingKeys(INK, editable=True), 500, 170)
    threads = {60: [60], 61: [64, 67]}
    made.show_threads(threads)
    made.drawn.connect(lambda key, target: threads.setdefault(key, []).append(target))
    made.cut.connect(lambda key, target: threads[key].remove(target))
    made.table = threads
    return made


def test_threads_are_moved_drawn_and_cut_from_the_keyboard(keys):
    settled = collect(keys.settled)
    QTest.keyClick(keys, Qt.Key.Key_Up)
    assert keys.table[60] == [61]
    QTest.keyClick(keys, Qt.Key.Key_Insert)
    assert keys.table[60] == [61, 62]
    QTest.keyClick(keys, Qt.Key.Key_Right)
    QTest.keyClick(keys, Qt.Key.Key_Down)
    assert keys.table[61] == [63, 66]
    QTest.keyClick(keys, Qt.Key.Key_Delete)
    QTest.keyClick(keys, Qt.Key.Key_Left)
    assert keys.table == {60: [61, 62], 61: []} and len(settled) == 4


def test_a_silent_key_gets_a_thread_to_itself(keys):
    keys.table[60].clear()
    QTest.keyClick(keys, Qt.Key.Key_Insert)
    assert keys.table[60] == [60]


def test_threads_stay_on_the_keyboard(keys):
    keys.table[60][:] = [126, 127]
    QTest.keyClick(keys, Qt.Key.Key_Up)
    QTest.keyClick(keys, Qt.Key.Key_Insert)
    assert keys.table[60] == [126, 127]


def test_the_chosen_key_stays_in_sight(keys):
    for _ in range(60):
        QTest.keyClick(keys, Qt.Key.Key_Left)
    assert keys._cursor == keys.low


def test_keyboards_that_only_show_take_no_keys(shown):
    fixed = shown(FacingKeys(INK))
    fixed.show_threads({60: [60]})
    told = collect(fixed.drawn)
    QTest.keyClick(fixed, Qt.Key.Key_Up)
    assert told == [] and fixed.focusPolicy() == Qt.FocusPolicy.NoFocus
