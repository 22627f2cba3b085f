"""The course of time: beats and seconds, bars of the piece, over tempi, sections, starts and stops."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.events import note_on
from arpegon.core.notes.course import Course, TimeFacts, course_of, in_order
from arpegon.core.theory.scales import Key
from arpegon.core.time.clock import bar_beats

NEAR = pytest.approx


def test_three_tempi_lie_on_the_beats_of_the_piece():
    facts = [
        TimeFacts(0.0, 0.0, 120.0, True, section="A"),
        TimeFacts(4.0, 8.0, 60.0, True, 8.0, 3, section="B"),
        TimeFacts(8.0, 12.0, 240.0, True, 12.0, 4, section="C"),
    ]
    course = course_of(facts, 0.0, 20.0)
    assert [course.beat_at(second) for second in (0.0, 2.0, 4.0, 6.0, 8.0, 9.0)] == [0.0, 4.0, 8.0, 10.0, 12.0, 16.0]
    assert course.tied and course.sections == ((0.0, "A"), (8.0, "B"), (12.0, "C"))
    assert [bar for _, bar in course.lines(0.0, 16.0) if bar] == [1, 2, 3, 4, 5]
    # Cut out of the middle it begins where it lay in its bar.
    inside = course_of(facts, 5.0, 20.0)
    assert inside.first == 1.0 and inside.bar_at(1.0) == (3, 0.0, 4.0)
    assert inside.beat_at(3.0) == 4.0 and inside.bar_at(4.0)[0] == 4


class Costly(tuple):
    """Tempi of which it is counted how often somebody goes through all of them to know them again."""

    asked = 0

    def __hash__(self):
        Costly.asked += 1
        return super().__hash__()


def test_events_are_laid_without_a_look_at_all_tempi_for_each():
    """A clock from outside says thousands of them in ten minutes; *Keep* held the window up for ten seconds."""
    tempi = Costly((beat / 10.0, 120.0 + beat % 7) for beat in range(100))
    course = Course(tempi=tempi)
    laid = course.lay([note_on(second / 10.0, 0, 60, 90) for second in range(50)])
    assert Costly.asked == 0 and [course.second_at(event.time) for event in laid] == NEAR([s / 10.0 for s in range(50)])


def test_what_was_played_before_the_start_keeps_its_tempo_and_leads_up_to_a_bar_line():
    facts = [TimeFacts(0.0, 16.0, 120.0, False), TimeFacts(3.3, 16.0, 120.0, True, 0.0, 1)]
    course = course_of(facts, 0.0, 10.0)
    assert course.first == NEAR(1.4) and course.beat_at(3.3) == NEAR(8.0) and course.tempi == ((0.0, 120.0),)
    assert course.bar_at(8.0)[0] == 5 and course.bar_at(12.0)[0] == 6


@pytest.mark.parametrize("idle", [0.0009, 0.001, 0.3, 1.0, 1.6])
@pytest.mark.parametrize("beat", [0.0, 4.0, 5.5, 7.9])
def test_a_start_in_the_middle_of_a_bar_stays_there_at_its_tempo(idle, beat):
    """A take began a millisecond before the transport, which was stretched over the bar: 164,943 beats a minute."""
    facts = [TimeFacts(0.0, beat, 120.0, False), TimeFacts(idle, beat, 120.0, True, 0.0, 1)]
    course = course_of(facts, 0.0, 9.0)
    assert course.tempi == ((0.0, 120.0),)
    number, begun, length = course.bar_at(course.beat_at(idle) + 1e-3)
    assert (number, length) == (1 + int(beat // 4.0), 4.0)
    assert course.beat_at(idle) - begun == pytest.approx(beat % 4.0, abs=1e-3)


@given(st.integers(0, 320), st.sampled_from([(4, 4), (3, 4), (7, 8)]), st.sampled_from([(5, 4), (5, 8), (2, 2)]))
def test_a_meter_that_is_turned_in_mid_bar_stretches_nothing(eighths, before, after):
    beat = eighths / 8
    facts = [TimeFacts(0.0, 0.0, 120.0, True, meter=before), TimeFacts(beat / 2, beat, 120.0, True, meter=after)]
    course = course_of(facts, 0.0, 60.0)
    assert course.tempi == ((0.0, 120.0),)
    bar = bar_beats(after)
    last = course.meters[-1]
    assert last[1] == after and last[0] / bar == pytest.approx(round(last[0] / bar)) and last[0] < beat + bar


def test_a_section_that_is_gone_to_begins_a_bar_with_its_own_number():
    facts = [
        TimeFacts(0.0, 0.0, 120.0, True),
        TimeFacts(4.0, 32.0, 120.0, True, 32.0, 9, (3, 4), section="Tide"),
    ]
    course = course_of(facts, 0.0, 9.0)
    assert course.meters == ((0.0, (4, 4), 1), (8.0, (3, 4), 9)) and course.sections == ((8.0, "Tide"),)
    assert course.bar_at(12.0) == (10, 11.0, 3.0)
    assert [(beat, bar) for beat, bar in course.lines(7.0, 12.0) if bar] == [(8.0, 9), (11.0, 10)]


def test_facts_of_one_moment_are_those_said_last():
    early = TimeFacts(4.0 - 1e-6, 8.0, 120.0, False)
    line = TimeFacts(4.0, 0.0, 90.0, True)
    assert in_order([TimeFacts(0.0), early, line]) == [TimeFacts(0.0), line]
    assert in_order([TimeFacts(0.0), line, early]) == [TimeFacts(0.0), early]


def test_where_nothing_is_known_it_is_plain():
    course = course_of([], 3.0, 9.0)
    assert course == Course(keys=((0.0, Key()),)) and not course.tied
    assert course.beat_at(1.0) == 2.0


@st.composite
def courses(draw):
    """Facts as an engine may tell them: tempi, starts and stops, jumps, sections of other meters."""
    second, beat, origin, bar, meter, playing = 0.0, 0.0, 0.0, 1, (4, 4), draw(st.booleans())
    tempo = draw(st.floats(20.0, 400.0))
    found = [TimeFacts(second, beat, tempo, playing, origin, bar, meter)]
    for _ in range(draw(st.integers(0, 8))):
        gap = draw(st.floats(0.01, 5.0) | st.floats(2e-5, 1e-3))
        second += gap
        beat = found[-1].beat_at(second)
        what = draw(st.sampled_from(["tempo", "stop", "start", "jump", "section"]))
        if what == "tempo":
            tempo = draw(st.floats(20.0, 400.0))
        elif what in ("stop", "start"):
            playing = what == "start"
            beat = draw(st.floats(0.0, 64.0)) if what == "start" else beat
            origin, bar, meter = 0.0, 1, (4, 4)
        else:
            playing = True
            beat = origin = float(draw(st.integers(0, 20)) * 4)
            bar, meter = 1 + int(beat // 4), draw(st.sampled_from([(4, 4), (3, 4), (7, 8), (5, 16)]))
        found.append(TimeFacts(second, beat, tempo, playing, origin, bar, meter))
    return found


@given(facts=courses(), start=st.floats(0.0, 10.0), length=st.floats(0.5, 30.0), share=st.floats(0.0, 1.0))
def test_seconds_come_back_beats_run_on_and_bars_are_those_of_the_piece(facts, start, length, share):
    course = course_of(facts, start, start + length)
    second = share * length
    beat = course.beat_at(second)
    assert course.second_at(beat) == NEAR(second, abs=1e-6) and course.second_at(course.first) == NEAR(0.0, abs=1e-9)
    assert course.beat_at(second + 0.01) > beat >= course.first - 1e-9 >= -1e-9
    held = [one for one in in_order(facts) if one.second <= start + second]
    if held and held[-1].playing and start + second - held[-1].second > 0.001:
        fact = held[-1]
        number, bar_start, bar_length = course.bar_at(beat)
        piece = fact.beat_at(start + second)
        bars, inside = divmod(piece - fact.origin, bar_length)
        # Places within a ten-thousandth of a beat are one: at another tempo that is up to twenty times as much.
        near_line = min(inside, bar_length - inside) < 3e-3
        # A bar that is left for another place is stretched up to that, with the one before if little of it was played.
        later = [one.second - start for one in in_order(facts) if one.second > start + second]
        if later and course.beat_at(later[0]) - beat < 2.0 * bar_length + 0.01:
            return
        assert near_line or (number, beat - bar_start) == (fact.bar + int(bars), NEAR(inside, abs=3e-3))
    lines = [line for line, _ in course.lines(0.0, beat + 4.0)]
    assert lines == sorted(set(lines))


@pytest.mark.parametrize("after", [1e-3, 0.01, 0.5, 1.0, 3.9])
def test_a_jump_just_after_a_bar_line_makes_no_absurd_tempo(after):
    jump = 4.0 + after / 2
    facts = [TimeFacts(0.0, 0.0, 120.0, True), TimeFacts(jump, 0.0, 120.0, True)]
    tempi = [tempo for _, tempo in course_of(facts, 0.0, 9.0).tempi]
    assert all(120.0 <= tempo <= 242.0 for tempo in tempi)


def test_what_is_played_freely_can_be_told_from_what_is_tied():
    assert not course_of([TimeFacts(0.0, 8.0, 100.0, False)], 1.0, 3.0).tied
    assert course_of([TimeFacts(0.0, 8.0, 100.0, False), TimeFacts(2.0, 8.0, 100.0, True)], 1.0, 3.0).tied


def test_a_section_is_marked_where_the_piece_plays_it_not_where_it_stands_before_it():
    """A document is sent while the transport stands, its tempo is turned, and then the piece begins."""
    standing = [
        TimeFacts(1.0, section="Tide"),
        TimeFacts(1.2, tempo=240.0, section="Tide"),
        TimeFacts(1.3, tempo=240.0, section="Tide", origin=4.0),
    ]
    playing = TimeFacts(1.5, tempo=240.0, playing=True, section="Tide")
    turned = TimeFacts(2.5, 4.0, tempo=120.0, playing=True, section="Tide")
    again = TimeFacts(4.5, 0.0, tempo=120.0, playing=True, section="Tide")
    assert [name for _, name in course_of([*standing, playing], 0.9, 3.0).sections] == ["Tide"]
    assert [name for _, name in course_of([*standing, playing, turned], 0.9, 4.0).sections] == ["Tide"]
    assert [name for _, name in course_of([*standing, playing, turned, again], 0.9, 6.0).sections] == ["Tide", "Tide"]
    assert course_of(standing, 0.9, 6.0).sections == ()


def test_a_start_just_after_a_turn_is_a_start_all_the_same():
    """A document comes, and the transport starts in the same moment, a little after the take began."""
    facts = [
        TimeFacts(0.0834, tempo=240.0, section="Tide"),
        TimeFacts(0.083423, tempo=240.0, playing=True, section="Tide"),
        TimeFacts(1.083423, 4.0, tempo=120.0, playing=True, origin=4.0, bar=2, section="Fog"),
    ]
    course = course_of(facts, 0.0, 4.0)
    assert [course.beat_at(second) for second in (0.083423, 0.583423, 1.083423, 2.083423)] == NEAR([4, 6, 8, 10])
    assert course.sections == ((4.0, "Tide"), (8.0, "Fog"))
    begun = [TimeFacts(0.00002, 5.5, tempo=120.0, playing=True)]
    course = course_of(begun, 0.0, 4.0)
    assert course.first == NEAR(1.5, abs=1e-3) and course.beat_at(1.00002) == NEAR(3.5, abs=1e-3)
    assert course.bar_at(1.5)[0] == 2
