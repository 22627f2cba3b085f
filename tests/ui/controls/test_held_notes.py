"""The notes that are walked over: as a star, and as a ladder."""

from __future__ import annotations

from gestures import INK, drawn, picture, pixels

from arpegon.ui.controls.held_ladder import HeldLadder
from arpegon.ui.controls.order_star import OrderStar

NAMES = ["D4", "F4", "A4", "C5"]


def test_the_star_shows_the_walk_and_what_sounds(shown):
    star = shown(OrderStar(INK), 172, 172)
    assert drawn(star)
    star.show_walk(NAMES, [0, 1, 2, 3])
    upwards = picture(star)
    star.show_walk(NAMES, [0, 2, 1, 3])
    assert picture(star) != upwards
    dark = pixels(star)
    star.show_lit(frozenset({2}))
    assert pixels(star) > dark + 200


def test_many_notes_are_small_and_without_names(shown):
    star = shown(OrderStar(INK), 172, 172)
    star.show_walk(["C4"] * 14, range(14))
    star.show_lit(frozenset({3}))
    large = pixels(star)
    star.show_walk(["C4"] * 40, range(40))
    assert 0 < pixels(star) < large + 400


def test_the_ladder_lights_the_rung_that_sounds(shown):
    ladder = shown(HeldLadder(INK), 64, 140)
    ladder.show_notes(NAMES, [])
    assert pixels(ladder) == 0
    ladder.show_notes(NAMES, [0, 3])
    two = pixels(ladder)
    ladder.show_notes(NAMES, [3])
    assert two > pixels(ladder) > 300


def test_a_ladder_has_room_for_eight(shown):
    ladder = shown(HeldLadder(INK), 64, 140)
    ladder.show_notes(NAMES * 3, [9])
    assert pixels(ladder) == 0
