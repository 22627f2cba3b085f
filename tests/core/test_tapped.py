"""A take that was played freely is laid on the beats that somebody tapped along with it."""

from __future__ import annotations

from itertools import accumulate

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.document import take_edits
from arpegon.core.document.model import Project
from arpegon.core.errors import ArpegonError
from arpegon.core.notes.sheet import Note, Sheet
from arpegon.core.notes.takes import Take, TakePart
from arpegon.core.notes.tapped import course_of_taps

NEAR = pytest.approx


@given(
    st.floats(0.0, 20.0),
    st.lists(st.floats(0.2, 2.5), min_size=1, max_size=40),
    st.sampled_from([(4, 4), (3, 4), (7, 8), (2, 2)]),
)
def test_every_tap_is_a_beat_and_the_first_begins_a_bar(first, waits, meter):
    taps = list(accumulate(waits, initial=first))
    unit = 4.0 / meter[1]
    if any(not 20.0 <= 60.0 * unit / wait <= 400.0 for wait in waits):
        with pytest.raises(ArpegonError, match="no tempo"):
            course_of_taps(taps, meter)
        return
    course = course_of_taps(taps, meter)
    beats = [course.beat_at(tap) for tap in taps]
    assert beats == NEAR([beats[0] + place * unit for place in range(len(taps))], abs=2e-3)
    assert course.bar_at(beats[0])[1] == NEAR(beats[0], abs=2e-3)
    assert course.beat_at(0.0) >= 0.0 and course.second_at(course.beat_at(first / 2)) == NEAR(first / 2)


def test_uneven_taps_make_one_tempo_where_it_is_asked_for():
    taps = [1.0, 1.52, 1.99, 2.51, 3.0]
    course = course_of_taps(taps, even=True)
    ((_, tempo),) = course.tempi
    assert tempo == NEAR(120.0, abs=0.6)
    assert [course.beat_at(tap) - course.beat_at(taps[0]) for tap in taps] == NEAR([0, 1, 2, 3, 4], abs=0.05)


@pytest.mark.parametrize("taps", [[], [1.0]])
def test_one_tap_is_no_tempo(taps):
    with pytest.raises(ArpegonError, match="at least two"):
        course_of_taps(taps)


def test_what_was_played_keeps_its_seconds_and_lies_on_the_taps():
    """Played with a rubato: each note falls on the tap with which it was played."""
    taps = [0.6, 1.1, 1.7, 2.5, 3.1]
    events = Sheet(tuple(Note(tap * 2.0, tap * 2.0 + 0.2, 60, 90) for tap in taps)).events()
    take = Take(id="t", name="T", beats=7.0, parts=(TakePart(strand="a", name="A", played=events),))
    project = take_edits.set_course(Project(takes=(take,)), "t", course_of_taps(taps))
    laid = project.take("t")
    begins = [event.time for event in laid.parts[0].played if event.kind == 0x90]
    assert begins == NEAR([4, 5, 6, 7, 8], abs=1e-3)
    assert [event.time for event in laid.in_seconds(laid.parts[0].played) if event.kind == 0x90] == NEAR(taps)
    assert laid.seconds == NEAR(take.seconds)
