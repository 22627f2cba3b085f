"""What is heard: hits and pitch on paper that runs."""

from __future__ import annotations

import pytest
from gestures import INK, drawn, picture, pixels

from arpegon.listen.heard import HeardNote, Sight
from arpegon.ui.controls.hits_scope import HitsScope, swing
from arpegon.ui.controls.pitch_scope import PitchScope


def mark(began, note=60, end=0.0, doubt=""):
    return HeardNote(time=began, note=note, velocity=90, level=-12.0, peak=-6.0, began=began, end=end, doubt=doubt)


def test_soft_strokes_swing_so_far_that_they_are_seen():
    levels = [0.0, 0.001, 0.01, 0.1, 0.5, 1.0, 2.0]
    assert [swing(level) for level in levels] == sorted(swing(level) for level in levels)
    assert swing(0.01) > 0.1 and swing(-1.0) == 0.0 and swing(2.0) == 1.0


@pytest.fixture
def hits(shown):
    return shown(HitsScope(INK), 340, 188)


def swings(hits, y):
    """Whether the sound reaches twenty pixels from the middle line at a height."""
    return picture(hits).pixelColor(173, y).lightness() < 160


def test_the_sound_runs_down_the_paper_and_away(hits):
    assert drawn(hits) and pixels(hits) == 0
    hits.take(Sight(time=5.0, step=0.001, values=[0.5] * 200, peak=0.5), 5.0)
    hits.tick(5.0)
    assert [swings(hits, y) for y in (9, 166)] == [True, False]
    hits.take(Sight(time=7.3, step=0.001, values=[0.0] * 2300, peak=0.0), 7.3)
    hits.tick(7.3)
    assert [swings(hits, y) for y in (9, 166)] == [False, True]


def test_only_what_fits_on_paper_is_kept(hits):
    for part in range(40):
        hits.take(Sight(time=0.5 * part, step=0.001, values=[0.2] * 500, peak=0.2), 0.5 * part)
    assert len(hits._peaks) <= 2500


def test_strokes_are_bars_and_the_threshold_is_drawn(hits):
    hits.take(Sight(time=1.0, step=0.001, values=[0.1] * 1000, peak=0.1), 1.0)
    hits.tick(1.0)
    plain = picture(hits)
    hits.add([mark(0.5), mark(0.51)])
    struck = picture(hits)
    hits.threshold = 0.3
    assert plain != struck != picture(hits)


@pytest.fixture
def pitch(shown):
    return shown(PitchScope(INK), 340, 206)


def frames(note, clarity, time=1.0):
    return Sight(time=time, step=0.01, values=[-20.0, note, clarity] * 100, peak=0.3)


def test_a_clear_pitch_is_a_darker_line_than_a_doubtful_one(pitch):
    pitch.take(frames(60.0, 0.95), 1.0)
    pitch.tick(1.0)
    clear = pixels(pitch)
    pitch._frames.clear()
    pitch.take(frames(60.0, 0.5), 1.0)
    assert clear > 100 and pixels(pitch) == 0 and drawn(pitch)


def test_what_was_heard_is_told_for_half_a_second(pitch):
    pitch.take(frames(60.2, 0.9), 1.0)
    pitch.tick(1.2)
    assert pitch.heard == (-20.0, 60.2, 0.9)
    pitch.tick(1.6)
    assert pitch.heard is None


def test_the_end_of_a_note_takes_the_place_of_its_beginning(pitch):
    pitch.add([mark(0.2)])
    pitch.add([mark(0.2, end=0.6)])
    pitch.add([mark(0.7, note=62, doubt="short")])
    assert [(one.note, one.end) for one in pitch._notes] == [(60, 0.6), (62, 0.0)]
    pitch.take(frames(60.0, 0.9), 1.0)
    pitch.tick(1.0)
    with_notes = picture(pitch)
    pitch._notes.clear()
    assert picture(pitch) != with_notes


def test_an_empty_sight_is_no_sight(pitch):
    pitch.take(Sight(time=1.0, step=0.01, values=[], peak=0.0), 1.0)
    pitch.tick(1.0)
    assert pitch.heard is None and not pitch._frames
