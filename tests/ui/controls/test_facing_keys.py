"""Two facing keyboards: threads that are drawn, moved and cut."""

from __future__ import annotations

from gestures import INK, collect, drag, drawn
from PyQt6.QtCore import QPointF

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
