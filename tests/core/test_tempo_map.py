"""Beats and seconds of what has tempi of its own."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.time.tempo_map import TempoMap

changes = st.lists(st.tuples(st.integers(0, 200), st.integers(20, 400)), max_size=8).map(
    lambda rows: [(beat / 4, float(tempo)) for beat, tempo in sorted(rows)]
)


@given(changes, st.floats(0, 100))
def test_a_beat_falls_when_the_tempi_before_it_have_gone_by(rows, beat):
    """Reckoned otherwise: quarter by quarter of a beat."""
    own = TempoMap(rows)
    assert abs(own.beat_at(own.second_at(beat)) - beat) < 1e-6
    second, tempo = 0.0, 120.0
    waiting = list(rows)
    for quarter in range(400):
        while waiting and waiting[0][0] <= quarter / 4:
            tempo = waiting.pop(0)[1]
        assert abs(own.second_at(quarter / 4) - second) < 1e-6
        second += 15.0 / tempo


def test_without_changes_it_is_the_tempo_of_the_standard():
    assert TempoMap().second_at(2.0) == 1.0 and TempoMap().beat_at(1.0) == 2.0
