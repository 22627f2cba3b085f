"""Sections with meters of their own: where they begin, which beat the metronome stresses, which bars are counted."""

from __future__ import annotations

import pytest

from arpegon.core.document.model import ClickSource, ClipSource, Held, Hookup, Section
from arpegon.core.document.sections import beat_of, position_in, seconds_of, starts
from arpegon.core.events import CONTROL, control, note_off, note_on
from arpegon.core.notes.course import course_of
from arpegon.engine.offline import run
from arpegon.files import smf
from arpegon.files.midi import Clip, Track, format_song
from building import generator, note_ons, project, stage, strand


def meter(beats, unit="4"):
    return (Held(param="meter_beats", value=beats), Held(param="meter_unit", value=unit))


PIECE = (
    Section(id="a", name="A", bars=2),
    Section(id="b", name="B", bars=3, holds=meter(7, "8")),
    Section(id="c", name="C", bars=2, holds=meter(3)),
    Section(id="d", name="D", bars=1),
)
"""At 120: 8 beats of 4/4, 10.5 of 7/8, 6 of 3/4, 4 of 4/4."""


def piece(*sources, **changes):
    return project(strand(sources=sources or strand().sources), sections=PIECE, **changes)


def test_sections_begin_where_their_own_bars_end():
    assert starts(piece()) == [0.0, 8.0, 18.5, 24.5, 28.5]
    assert seconds_of(piece()) == pytest.approx(28.5 / 2)
    assert run(piece(), bars=3).end == pytest.approx((8 + 3.5) / 2)


def test_bars_are_counted_through_all_meters():
    document = piece()
    for beat, wanted in (
        (0.0, (1, 1)),
        (7.0, (2, 4)),
        (8.0, (3, 1)),
        (11.5, (4, 1)),
        (14.5, (4, 7)),
        (18.5, (6, 1)),
        (21.5, (7, 1)),
        (24.5, (8, 1)),
        (28.5, (9, 1)),
    ):
        assert position_in(document, beat)[:2] == wanted
        assert beat_of(document, *wanted) == beat
    assert position_in(project(strand()), 9.0)[:2] == (3, 2) and beat_of(project(strand()), 3, 2) == 9.0


def test_the_metronome_stresses_the_first_beat_of_every_bar():
    result = run(piece(ClickSource(bar_note=90, beat_note=80)), [], seconds=14.2)
    clicks = [(round(event.time * 2, 4), event.data1) for event in note_ons(result.strands["a"])]
    stressed = [beat for beat, note in clicks if note == 90]
    assert stressed == [0.0, 4.0, 8.0, 11.5, 15.0, 18.5, 21.5, 24.5]
    inside = [beat for beat, _ in clicks if 8.0 <= beat < 11.5]
    assert inside == [8.0, 8.5, 9.0, 9.5, 10.0, 10.5, 11.0], "eighths in 7/8"
    assert [beat for beat, _ in clicks if beat >= 18.5] == [18.5, 19.5, 20.5, 21.5, 22.5, 23.5, 24.5, 25.5, 26.5, 27.5]


def test_patterns_and_clips_change_on_the_bars_of_the_section():
    walk = generator(
        "steps", "s", patterns=[[{"note": 60}], [{"note": 72}]], rate="1/8", in_scale=False, change="bar", pattern=1
    )
    sections = (
        Section(id="a", name="A", bars=1, holds=meter(5)),
        Section(id="b", name="B", bars=4, holds=(*meter(3), Held(target="s", param="pattern", value=2))),
    )
    document = project(strand(sources=(walk,)), sections=sections)
    found = note_ons(run(document, [], seconds=6.0).strands["a"])
    assert next(event.time for event in found if event.data1 == 72) == pytest.approx(2.5), "with its first bar"


@pytest.mark.parametrize("what", ["generator", "clip"])
def test_what_an_action_starts_waits_for_the_bar_of_its_section(what):
    """Five beats of 5/4, then bars of 3/4: what is asked for on beat 5.2 begins on beat 8."""
    sections = (Section(id="a", name="A", bars=1, holds=meter(5)), Section(id="b", name="B", bars=4, holds=meter(3)))
    if what == "clip":
        source = ClipSource(id="s", file="a.mid", starts="action")
    else:
        source = generator("steps", "s", patterns=[[{"note": 60}]], rate="1/4", starts="action", launch="bar")
    start = Hookup(id="h", number=20, target="s", action="start", way="trigger")
    document = project(strand(sources=(source, *strand().sources)), sections=sections, hookups=(start,))
    clip = Clip((note_on(0.0, 0, 60, 90), note_off(0.5, 0, 60)), 3.0)
    result = run(document, [control(2.6, 0, 20, 127)], {"a.mid": clip}, seconds=6.0)
    assert note_ons(result.strands["a"])[0].time == pytest.approx(4.0)


def test_a_repeated_section_keeps_its_own_length():
    sections = (Section(id="a", name="A", bars=2, then="again", holds=meter(3)),)
    result = run(project(strand(sources=(ClickSource(bar_note=90, beat_note=80),)), sections=sections), [], seconds=6.1)
    stressed = [round(event.time * 2, 4) for event in note_ons(result.strands["a"]) if event.data1 == 90]
    assert stressed == [0.0, 3.0, 6.0, 9.0, 12.0]


def test_a_render_says_where_another_meter_begins():
    course = course_of(run(piece(), [], seconds=14.0).facts, 0.0, 14.0)
    assert course.meters == ((0.0, (4, 4), 1), (8.0, (7, 8), 3), (18.5, (3, 4), 6), (24.5, (4, 4), 8))
    tracks = smf.parse(format_song([Track("a", [])], course)).tracks
    found = [
        (tick / 960, message[2], 2 ** message[3])
        for tick, message in tracks[0]
        if message[0] == smf.META and message[1] == smf.METER
    ]
    assert found == [(0.0, 4, 4), (8.0, 7, 8), (18.5, 3, 4), (24.5, 4, 4)]


def test_note_values_are_counted_from_where_another_meter_begins():
    """A bar of 7/8 ends between two quarters: what comes after it is on the new bars."""
    odd = (
        Section(id="a", name="A", bars=1),
        Section(id="b", name="B", bars=3, holds=meter(7, "8")),
        Section(id="c", name="C", bars=2),
    )
    figure = [[{"note": 60 + step, "length": 0.2} for step in range(16)]]
    walk = generator("steps", "s", patterns=figure, rate="1/4", in_scale=False)
    one = project(strand(sources=(walk,)), sections=odd, tempo=60.0)
    found = [(round(event.time, 4), event.data1 - 60) for event in note_ons(run(one, [], seconds=22.0).strands["a"])]
    starts_at = {0.0, 4.0, 14.5, 22.5}
    times = [time for time, _ in found]
    assert times == [0, 1, 2, 3, *(4.0 + beat for beat in range(11)), *(14.5 + beat for beat in range(8))][: len(times)]
    assert {0.0, 4.0, 14.5} <= set(times) <= {*times, *starts_at}
    # The walk goes on by one step after the other.
    assert [step for _, step in found] == [place % 16 for place in range(len(found))]


def test_waves_and_the_grid_follow_the_bars_of_another_meter():
    odd = (Section(id="a", name="A", bars=1, holds=meter(7, "8")), Section(id="b", name="B", bars=2))
    wave = stage("lfo", "l", wave="square", to_number=20, rate="1/4", low=0, high=127, starts="play")
    out = run(project(strand(wave), sections=odd, tempo=60.0), [], seconds=7.4).strands["a"]
    highs = [round(event.time, 3) for event in out if event.kind == CONTROL and event.data2 == 127]
    lows = [round(event.time, 3) for event in out if event.kind == CONTROL and event.data2 == 0]
    # It was up when the new bars began, and so it stays for half a beat of theirs.
    assert highs == [0.0, 1.0, 2.0, 3.0, 4.5, 5.5, 6.5] and lows == [0.5, 1.5, 2.5, 4.0, 5.0, 6.0, 7.0]
    snap = stage("grid", "g", rate="1/4", catch=0)
    keys = [note_on(0.3, 0, 60, 90), note_on(4.2, 0, 62, 90)]
    struck = note_ons(run(project(strand(snap), sections=odd, tempo=60.0), keys, seconds=7.0).strands["a"])
    assert [round(event.time, 3) for event in struck] == [1.0, 4.5]


def test_polyrhythms_run_across_sections_of_one_meter():
    walk = generator("steps", "s", patterns=[[{"note": 60, "length": 0.2}]], rate="3 in 16", in_scale=False)
    same = tuple(Section(id=f"s{place}", name="S", bars=2) for place in range(4))
    plain = note_ons(run(project(strand(sources=(walk,))), [], seconds=15.0).strands["a"])
    cut = note_ons(run(project(strand(sources=(walk,)), sections=same), [], seconds=15.0).strands["a"])
    assert [event.time for event in cut] == pytest.approx([event.time for event in plain])
