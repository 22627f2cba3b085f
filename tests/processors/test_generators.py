"""The sources that make notes by themselves: steps, rings, rebound."""

from __future__ import annotations

from itertools import pairwise

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from arpegon.core.document import edits
from arpegon.core.document.model import SurfaceSource
from arpegon.core.errors import ParameterError
from arpegon.core.events import NOTE_OFF, note_off, note_on
from arpegon.core.processing.parameters import check_params
from arpegon.core.theory.scales import Key
from arpegon.engine.offline import run
from arpegon.engine.simulation import Engine
from arpegon.processors import WORKS
from arpegon.processors.facts import stage_facts
from building import Recording, assert_whole, generator, note_ons, notes, pitches, project, strand
from strategies import SOURCES


def plays(source, *more, seconds=4.0, played=(), **changes):
    """What leaves a strand that is fed by a generator, at 120 quarter notes a minute."""
    return run(project(strand(sources=(source, *more)), **changes), list(played), seconds=seconds).strands.get("a", [])


def ring(*pitches_, **fields):
    return [{"note": pitch, **fields} for pitch in pitches_]


def times(events):
    return [round(event.time, 4) for event in note_ons(events)]


# -- steps -------------------------------------------------------------------------------------------


def test_steps_go_round_with_the_transport():
    made = plays(generator("steps", patterns=[ring(60, 64, 67)], rate="1/4", in_scale=False), seconds=3.0)
    assert pitches(made) == [60, 64, 67, 60, 64, 67] and times(made) == [0.0, 0.5, 1.0, 1.5, 2.0, 2.5]
    assert_whole(made)


def test_a_skip_is_left_out_and_a_rest_takes_its_time():
    steps = [{"note": 60}, {"play": "skip"}, {"note": 64}, {"play": "rest"}]
    made = plays(generator("steps", patterns=[steps], rate="1/4", in_scale=False), seconds=3.0)
    assert list(zip(times(made), pitches(made), strict=True)) == [(0.0, 60), (0.5, 64), (1.5, 60), (2.0, 64)]


def test_a_tie_lengthens_the_note_before():
    steps = [{"note": 60, "length": 0.5}, {"play": "tie"}, {"note": 64, "length": 0.5}]
    made = plays(generator("steps", patterns=[steps], rate="1/4", in_scale=False), seconds=1.4)
    offs = [event.time for event in made if event.kind == NOTE_OFF]
    assert times(made) == [0.0, 1.0] and offs == pytest.approx([0.75, 1.25])


def test_strides_mirrors_and_starts():
    eight = ring(*range(60, 68))

    def walked(**settings):
        return [
            note - 60
            for note in pitches(plays(generator("steps", patterns=[eight], in_scale=False, **settings), seconds=1.0))
        ]

    assert walked(stride=3) == [0, 3, 6, 1, 4, 7, 2, 5]
    assert walked(stride=2, shift=False) == [0, 2, 4, 6, 0, 2, 4, 6]
    assert walked(stride=3, mirrored=True) == [0, 5, 2, 7, 4, 1, 6, 3]
    assert walked(first=4) == [3, 4, 5, 6, 7, 0, 1, 2]
    assert walked(walk="there-back")[:8] == [0, 1, 2, 3, 4, 5, 6, 7]
    assert walked(stride=8) == [0, 1, 2, 3, 4, 5, 6, 7], "a stride of the whole ring moves on by one"
    assert walked(stride=8, shift=False) == [0] * 8


def test_degrees_follow_the_key_and_the_range_folds():
    steps = [{"degree": degree} for degree in (1, 3, 5, 8, 0)]
    source = generator("steps", patterns=[steps], reads="degree", base=62, rate="1/4")
    assert pitches(plays(source, seconds=2.5, key=Key("D", "dorian"))) == [62, 65, 69, 74, 60]
    assert pitches(plays(source, seconds=2.5, key=Key("D", "ionian"))) == [62, 66, 69, 74, 61]
    narrow = generator("steps", patterns=[steps], reads="degree", base=62, rate="1/4", lowest=60, highest=71)
    assert pitches(plays(narrow, seconds=2.5, key=Key("D", "dorian"))) == [62, 65, 69, 62, 60]


@pytest.mark.parametrize(
    ("low", "high", "in_scale", "notes_"),
    [
        (60, 65, False, [60, 62, 65, 65, 60]),
        (61, 66, True, [62, 62, 65, 65, 62]),
        (61, 61, True, [61, 61, 61, 61, 61]),
    ],
)
def test_a_range_under_an_octave_takes_every_note_in_as_its_nearest(low, high, in_scale, notes_):
    steps = ring(60, 62, 65, 68, 71)
    source = generator("steps", patterns=[steps], rate="1/4", in_scale=in_scale, lowest=low, highest=high)
    assert pitches(plays(source, seconds=2.5)) == notes_


def turned(source, change, seconds):
    """The notes of a source of which a value changes after 1.1 s, with their times."""
    engine = Engine(Recording())
    now = project(strand(sources=(source,)))
    engine.apply(now, {}, 0.0)
    engine.play(0.0, 0.0)
    engine.run(1.1)
    engine.apply(edits.set_params(now, "s", change), {}, 1.1)
    engine.run(seconds)
    return [(round(event.time, 4), event.data1) for event in note_ons(engine.graph.outputs.out)]


@pytest.mark.parametrize(("anew", "rest"), [(True, [70, 71, 72, 73]), (False, [73, 70, 71, 72])])
def test_a_pattern_that_changes_at_once_begins_at_its_first_step_or_goes_on(anew, rest):
    patterns = [ring(60, 61, 62, 63), ring(70, 71, 72, 73)]
    source = generator("steps", "s", patterns=patterns, rate="1/4", in_scale=False, change="now", from_first=anew)
    found = turned(source, {"pattern": 2}, 3.2)
    assert [note for _, note in found] == [60, 61, 62, *rest]


@pytest.mark.parametrize("anew", [True, False])
@pytest.mark.parametrize("change", ["now", "step"])
def test_rings_that_change_begin_together_or_go_on_in_step(anew, change):
    one = {"steps": 4, "hits": 1, "rate": "1/4"}
    patterns = [[{**one, "note": 60}, {**one, "note": 61}], [{**one, "note": 70}, {**one, "note": 71, "rate": "1/8"}]]
    found = turned(generator("rings", "s", patterns=patterns, change=change, from_first=anew), {"pattern": 2}, 4.4)
    after = [entry for entry in found if entry[0] > 1.1]
    if anew:
        assert after == [(1.5, 70), (1.5, 71), (2.5, 71), (3.5, 70), (3.5, 71)]
    else:
        assert [entry for entry in after if entry[1] == 70] == [(2.0, 70), (4.0, 70)]


def test_only_notes_of_the_scale_can_sound():
    made = plays(
        generator("steps", patterns=[ring(*range(48, 72))], rate="1/16"), seconds=4.0, key=Key("Eb", "aeolian")
    )
    assert {note % 12 for note in pitches(made)} <= Key("Eb", "aeolian").pitch_classes


def test_swing_delays_every_second_step_by_its_share():
    made = plays(generator("steps", patterns=[ring(60, 64)], rate="1/8", swing=66, in_scale=False), seconds=1.0)
    assert times(made) == pytest.approx([0.0, 0.33, 0.5, 0.83])


def test_five_steps_in_four_beats_and_bars_as_rates():
    made = plays(generator("steps", patterns=[ring(60)], rate="5 in 4", in_scale=False), seconds=2.0)
    assert times(made) == pytest.approx([0.0, 0.4, 0.8, 1.2, 1.6])
    assert times(plays(generator("steps", patterns=[ring(60)], rate="2 bars"), seconds=9.0)) == [0.0, 4.0, 8.0]


def test_two_sources_of_different_lengths_run_against_each_other_on_their_channels():
    one = generator("steps", "one", patterns=[ring(60, 62, 64)], in_scale=False, to_channel=3)
    two = generator("steps", "two", patterns=[ring(72, 74, 76, 77)], in_scale=False, to_channel=5, rate="1/8")
    free = strand(sources=(one, two), destinations=())
    made = run(project(free), seconds=2.0).strands["a"]
    assert pitches([event for event in made if event.channel == 2])[:6] == [60, 62, 64, 60, 62, 64]
    assert pitches([event for event in made if event.channel == 4])[:5] == [72, 74, 76, 77, 72]
    assert_whole(made)


def test_a_key_starts_it_at_its_first_step_and_stops_it():
    source = generator("steps", patterns=[ring(60, 64, 67)], rate="1/8", starts="key", in_scale=False)
    played = [*notes(36, length=0.6), note_on(1.1, 0, 40, 90), note_off(1.5, 0, 40)]
    made = plays(source, SurfaceSource(), played=played)
    assert pitches(made) == [60, 64, 67, 60, 64], "the keys that play it do not sound"
    assert times(made) == pytest.approx([0.0, 0.25, 0.5, 1.1, 1.35], abs=1e-3)


def test_held_keys_move_it_while_held_or_for_good():
    played = [note_on(0.6, 0, 65, 90), note_off(1.1, 0, 65)]

    def moved(way):
        source = generator("steps", patterns=[ring(60)], rate="1/4", transpose=way, in_scale=False)
        return pitches(plays(source, SurfaceSource(), played=played, seconds=2.0))

    assert moved("held") == [60, 60, 65, 60] and moved("last") == [60, 60, 65, 65]
    assert sorted(moved("no")) == [60, 60, 60, 60, 65], "where no key is wanted, it sounds"


def test_its_zone_says_which_keys_play_it():
    source = generator("steps", patterns=[ring(60)], rate="1/4", transpose="last", in_scale=False, high_key=59)
    made = plays(source, SurfaceSource(), played=notes(48, 72, gap=0.6, length=0.2), seconds=1.4)
    assert pitches(made) == [48, 48, 72, 48], "a key of this moment counts, one beyond the zone sounds"


@pytest.mark.parametrize(
    ("params", "reason"),
    [
        ({"patterns": [[{"play": "skip"}] * 4]}, "all its steps are skipped"),
        ({"patterns": [[{"play": "rest"}, {"play": "tie"}]]}, "none of its steps plays a note"),
        ({"patterns": [[{"note": 60, "chance": 0}] * 3]}, "none of its steps has a chance"),
        ({"patterns": []}, "it has no steps"),
        ({"lowest": 70, "highest": 60}, "its lowest note lies above its highest"),
    ],
)
def test_steps_that_cannot_sound_say_why_and_are_silent(params, reason):
    source = generator("steps", params=params)
    assert stage_facts(source.stage).swallows == reason
    assert plays(source, seconds=8.0) == []


def test_a_pattern_without_steps_and_more_than_eight_are_refused():
    with pytest.raises(ParameterError, match="pattern 2: it has no steps"):
        check_params(WORKS["steps"].params, {"patterns": [[{}], []]}, "here")
    with pytest.raises(ParameterError, match="up to 8 patterns"):
        check_params(WORKS["steps"].params, {"patterns": [[{}]] * 9}, "here")
    with pytest.raises(ParameterError, match=r"pattern 1: Steps .steps., step 2: Note .note. cannot be “H2”"):
        check_params(WORKS["steps"].params, {"patterns": [[{}, {"note": "H2"}]]}, "here")


def test_a_place_in_the_piece_sounds_the_same_however_it_is_reached():
    source = generator("steps", patterns=[ring(*range(60, 76), chance=60)], walk="drift", in_scale=False)
    whole = [event for event in note_ons(plays(source, seconds=8.0)) if event.time >= 4.0]
    recording = Recording()
    engine = Engine(recording)
    engine.apply(project(strand(sources=(source,))), {}, 0.0)
    engine.play(0.0, 8.0)
    engine.run(3.99)
    assert [(round(event.time + 4.0, 6), event.data1) for event in note_ons(recording.out)] == [
        (round(event.time, 6), event.data1) for event in whole
    ]


# -- rings -------------------------------------------------------------------------------------------


def test_rings_play_their_rhythms_against_each_other():
    rings = [{"hits": 3, "steps": 8, "note": 36}, {"hits": 2, "steps": 5, "note": 50, "rate": "1/8", "channel": 7}]
    made = plays(generator("rings", patterns=[rings]), seconds=2.0)
    low = [event for event in made if event.data1 == 36]
    assert times(low) == pytest.approx([0.0, 0.375, 0.75, 1.0, 1.375, 1.75])
    high = [event for event in made if event.data1 == 50]
    assert times(high) == pytest.approx([0.0, 0.5, 1.25, 1.75]) and {event.channel for event in high} == {6}


def test_a_turned_ring_accents_its_first_hit():
    rings = [{"hits": 2, "steps": 4, "turn": 1, "velocity": 80, "accent": 20, "note": 40}]
    made = note_ons(plays(generator("rings", patterns=[rings]), seconds=1.0))
    assert [(round(event.time, 3), event.data2) for event in made] == [
        (0.125, 100),
        (0.375, 80),
        (0.625, 100),
        (0.875, 80),
    ]


def test_rings_without_hits_say_so():
    assert stage_facts(generator("rings", patterns=[[{"hits": 0}]]).stage).swallows == "none of its rings has a hit"
    assert (
        stage_facts(generator("rings", patterns=[[{"chance": 0}]]).stage).swallows == "none of its rings has a chance"
    )


# -- rebound -----------------------------------------------------------------------------------------


def test_rebound_repeats_with_its_seed_and_not_with_another():
    first, again = plays(generator("rebound", seed=5)), plays(generator("rebound", seed=5))
    assert first == again and len(note_ons(first)) > 8
    assert pitches(first) != pitches(plays(generator("rebound", seed=6)))


def test_a_bead_that_goes_straight_sounds_two_walls_in_even_time():
    source = generator("rebound", sides=4, beads=1, speed=2.0, angle=45, scatter=0, touch=0, base=60, in_scale=False)
    made = plays(source, seconds=4.0)
    gaps = [round(b - a, 3) for a, b in pairwise(times(made))]
    assert set(gaps) == {0.353} or set(gaps) == {0.354} or set(gaps) == {0.353, 0.354}
    assert len(set(pitches(made))) == 2


def test_on_a_grid_its_notes_fall_on_the_lines():
    made = plays(generator("rebound", time="grid", grid="1/16", beads=4), seconds=8.0)
    assert made and all(abs(time / 0.125 - round(time / 0.125)) < 1e-4 for time in times(made))


def test_silent_walls_are_silent():
    walls = [{"silent": True}] * 4
    assert plays(generator("rebound", sides=4, walls=walls)) == []
    assert stage_facts(generator("rebound", sides=4, walls=walls).stage).swallows == "all its walls are silent"
    some = plays(generator("rebound", sides=5, beads=3, walls=[{"silent": True}, {"degree": 8}] * 2), seconds=20.0)
    assert {note % 12 for note in pitches(some)} <= {0, 7}, "walls 2 and 4 sound the octave, wall 5 the fifth"


# -- all of them -------------------------------------------------------------------------------------


@pytest.mark.parametrize("kind", sorted(SOURCES))
def test_whatever_it_is_set_to_its_notes_are_whole_and_in_range(kind):
    @settings(max_examples=60)
    @given(SOURCES[kind], st.sampled_from([0.7, 5.0]))
    def holds(params, seconds):
        source = generator(kind, params=params)
        played = notes(48, 60, 67, gap=0.3, length=0.5)
        result = run(project(strand(sources=(source, SurfaceSource()))), played, seconds=seconds)
        assert_whole([event for _, events in result.batches for event in events])

    holds()


@pytest.mark.parametrize("kind", sorted(SOURCES))
def test_an_action_starts_it_for_so_many_rounds_and_stops_it(kind):
    recording = Recording()
    engine = Engine(recording)
    engine.apply(project(strand(sources=(generator(kind, "x", starts="action"),))), {}, 0.0)
    engine.run(1.0)
    assert not recording.out
    engine.command("x", "start", 1, 1.0)
    engine.run(30.0)
    once = len(note_ons(recording.out))
    assert 0 < once < 60, "one round, whether or not the transport runs"
    engine.command("x", "start", 2, 30.0)
    engine.run(90.0)
    assert len(note_ons(recording.out)) == once * 3 or kind == "rebound"
    before = len(recording.out)
    engine.command("x", "start", 0, 90.0)
    engine.run(95.0)
    assert len(recording.out) > before
    engine.command("x", "stop", None, 95.0)
    engine.run(97.0)
    assert_whole(recording.out)
    ended = len(recording.out)
    engine.run(120.0)
    assert len(recording.out) == ended


@pytest.mark.parametrize("kind", sorted(SOURCES))
def test_bypass_and_removal_in_the_middle_let_go(kind):
    from arpegon.core.document import edits

    recording = Recording()
    engine = Engine(recording)
    before = project(strand(sources=(generator(kind, "x"),)))
    engine.apply(before, {}, 0.0)
    engine.play(0.0, 0.0)
    engine.run(2.01)
    engine.apply(edits.set_bypass(before, "x", True), {}, 2.01)
    count = len(recording.out)
    engine.run(4.0)
    assert_whole(recording.out)
    assert len(recording.out) == count
    engine.apply(before, {}, 4.0)
    engine.run(4.0001)
    assert len(recording.out) - count <= 6, "what it missed is not made up for"
    engine.run(6.0)
    assert len(recording.out) > count
    engine.apply(edits.remove_stage(before, "x"), {}, 6.0)
    engine.run(9.0)
    assert_whole(recording.out)
    assert {event.time for event in recording.out if event.time > 6.0} == set()


def test_generators_are_edited_like_stages():
    made, place = edits.add_generator(project(strand()), "a", "steps")
    source = made.strands[0].sources[place]
    changed = edits.set_params(made, source.id, {"rate": "1/8"})
    assert changed.strands[0].sources[place].params == {"rate": "1/8"}
    assert edits.move_stage(changed, source.id, "a", 0) is changed, "it is no stage that could be moved among them"
    twice, _ = edits.add_generator(made, "a", "steps")
    assert len({one.id for one in twice.strands[0].generators}) == 2
    copied, strand_id = edits.insert_strand(twice, twice.strands[0], ())
    ids = [stage.id for _, stage in copied.stages()]
    assert len(ids) == len(set(ids)) == 4 and strand_id != "a"
    assert msgspec.structs.replace(source, params={"rate": "1/8"}) == changed.strands[0].sources[place]
