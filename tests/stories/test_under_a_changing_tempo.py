"""Stories of pieces whose tempo changes: what waits for a line, or counts from a key, stays on its beats."""

from __future__ import annotations

from itertools import pairwise

import pytest

from arpegon.core.document.model import Held, Hookup, Section
from arpegon.core.events import note_off, note_on
from arpegon.core.notes.course import course_of
from arpegon.engine.offline import run
from building import assert_whole, generator, note_ons, project, stage, strand

FASTER = (Section(id="x", name="X", bars=4, tempo_to=240.0),)
SLOWER = (Section(id="x", name="X", bars=4, tempo_to=30.0),)


def keys_on(*beats, length=0.5):
    return sorted(
        (
            one
            for place, beat in enumerate(beats)
            for one in (note_on(beat, 0, 60 + place, 90), note_off(beat + length, 0, 60 + place))
        ),
        key=lambda event: event.time,
    )


def beats(one, played=(), bars=4):
    result = run(one, list(played), on_beats=True, bars=bars)
    events = result.strands["a"]
    assert_whole(events)
    course = course_of(result.facts, 0.0, result.seconds)
    return [course.beat_at(event.time) for event in note_ons(events)]


@pytest.mark.parametrize(("sections", "tempo"), [(FASTER, 60.0), (SLOWER, 160.0)])
@pytest.mark.parametrize("length", [0.2, 0.5, 2.0])
def test_grid_lets_notes_begin_on_its_lines(sections, tempo, length):
    one = project(strand(stage("grid", "g", rate="1/1", catch=0)), sections=sections, tempo=tempo)
    assert beats(one, keys_on(4.3, 5.3, 6.3, 7.3, length=length)) == pytest.approx([8.0] * 4, abs=1e-3)


@pytest.mark.parametrize(("sections", "tempo"), [(FASTER, 60.0), (SLOWER, 160.0)])
@pytest.mark.parametrize(
    "one",
    [
        stage("repeat", "r", rate="1/4"),
        stage("arpeggiator", "p", rate="1/4"),
    ],
)
def test_what_a_key_starts_keeps_its_distance_in_beats(sections, tempo, one):
    played = [note_on(4.25, 0, 60, 90), note_off(12.2, 0, 60)]
    found = beats(project(strand(one), sections=sections, tempo=tempo), played)
    apart = [later - earlier for earlier, later in pairwise(found)]
    assert len(found) >= 7 and apart == pytest.approx([1.0] * len(apart), abs=1e-3)


@pytest.mark.parametrize("kind", ["steps", "rings"])
def test_a_source_that_a_key_starts_keeps_its_distance_in_beats(kind):
    settings = {"steps": {"patterns": [[{"note": 60}]], "rate": "1/4"}, "rings": {}}[kind]
    source = generator(kind, "s", starts="key", in_time=False, in_scale=False, **settings)
    one = strand(*(), sources=(source, *strand().sources))
    played = [note_on(4.0, 0, 60, 90), note_off(12.2, 0, 60)]
    found = beats(project(one, sections=FASTER, tempo=60.0), played)
    assert len(found) >= 4 and all(abs(4 * beat - round(4 * beat)) < 1e-3 for beat in found)


@pytest.mark.parametrize("rate", ["1/2", "1/4", "1 bar"])
@pytest.mark.parametrize("target", ["none", "cc", "bend"])
@pytest.mark.parametrize("tempo", [120.0, 97.0, 61.7])
def test_a_square_wave_turns_what_it_is_hooked_up_to_before_the_notes_of_its_beat(rate, target, tempo):
    steps = generator("steps", "st", rate="1/8", patterns=[[{"note": 60}]], in_scale=False)
    fixed = stage("velocity", "v", mode="fixed")
    wave = stage("lfo", "l", wave="square", rate=rate, target=target)
    hookup = Hookup(id="h", control="stage", stage="l", target="v", param="fixed", out_low=20, out_high=100)
    one = project(strand(fixed, wave, sources=(steps,)), hookups=(hookup,), tempo=tempo)
    found = [event.data2 for event in note_ons(run(one, bars=4).strands["a"])]
    half = {"1/2": 2, "1/4": 1, "1 bar": 4}[rate]
    assert found == ([100] * half + [20] * half) * (16 // half)


@pytest.mark.parametrize("ahead", [1, 2, 3, 4, 7])
@pytest.mark.parametrize("then", ["again", "on"])
def test_a_start_some_bars_later_counts_the_bars_that_are_heard(ahead, then):
    """Four bars ahead in a section of two that repeats never came; over a change of meter it came off the line."""
    three = () if then == "again" else (Held(param="meter_beats", value=3),)
    sections = (Section(id="x", name="X", bars=2, then=then), Section(id="y", name="Y", bars=16, holds=three))
    steps = generator(
        "steps", "st", rate="1/4", patterns=[[{"note": 60}]], starts="action", launch="bar", launch_bars=ahead
    )
    start = Hookup(id="h", control="note", number=36, action="start", target="st")
    one = project(strand(sources=(steps,)), sections=sections, hookups=(start,))
    lines = [4.0 * bar for bar in range(12)] if then == "again" else [0.0, 4.0, *(8.0 + 3.0 * bar for bar in range(9))]
    assert beats(one, [note_on(1.5, 0, 36, 90)], bars=10)[0] == pytest.approx(lines[ahead], abs=1e-3)


@pytest.mark.parametrize("ahead", [1, 2, 3, 5])
def test_a_pattern_that_is_chosen_some_bars_later_comes_then_and_not_at_the_section(ahead):
    patterns = [[{"note": 60}], [{"note": 72}]]
    steps = generator("steps", "st", rate="1/4", patterns=patterns, change="bar", change_bars=ahead, in_scale=False)
    choose = Hookup(id="h", control="note", number=36, action="pattern", target="st", value=2)
    sections = (Section(id="x", name="X", bars=2, then="again"),)
    one = project(strand(sources=(steps,)), sections=sections, hookups=(choose,))
    result = run(one, [note_on(1.5, 0, 36, 90)], on_beats=True, bars=8)
    first = next(event.time for event in note_ons(result.strands["a"]) if event.data1 == 72)
    assert first == pytest.approx(2.0 * ahead, abs=1e-3)
