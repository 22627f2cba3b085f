"""Tempo from taps."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.time.tapping import Taps


@given(st.floats(25, 390), st.integers(2, 12))
def test_even_taps_give_their_tempo(tempo, count):
    taps = Taps()
    found = [taps.tap(place * 60 / tempo) for place in range(count)]
    assert found[0] is None
    assert found[1:] == pytest.approx([tempo] * (count - 1), abs=0.06)


def test_uneven_taps_are_averaged_and_a_pause_or_a_stray_begins_anew():
    taps = Taps()
    for time in (0.0, 0.52, 1.0, 1.51):
        found = taps.tap(time)
    assert found == pytest.approx(119.2, abs=0.1)
    assert taps.tap(9.0) is None
    assert taps.tap(9.5) == 120.0
    assert taps.tap(10.4) is None
    assert taps.tap(10.4) is None


def test_the_tempo_stays_within_its_range():
    taps = Taps()
    taps.tap(0.0)
    assert taps.tap(0.05) == 400.0
    slow = Taps()
    slow.tap(0.0)
    assert slow.tap(3.1) == 20.0
