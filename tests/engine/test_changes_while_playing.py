"""Patterns that take over, clips that change, strands that play on: edits while the transport runs."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from arpegon.core.document import edits
from arpegon.core.document.model import ClickSource, ClipSource, SurfaceSource
from arpegon.core.events import NOTE_OFF, note_off, note_on
from arpegon.core.processing.patterns import CHANGES, PatternTurn
from arpegon.engine.offline import run
from arpegon.engine.simulation import Engine
from arpegon.files.midi import Clip
from arpegon.files.project import format_project, parse_project
from building import Recording, assert_whole, generator, note_ons, notes, pitches, project, stage, strand

LOW, HIGH = [{"note": note} for note in (36, 37, 38, 39)], [{"note": note} for note in (72, 73, 74)]


def playing(one, clips=None, tempo=120.0):
    engine = Engine(Recording())
    engine.apply(edits.set_project(one, tempo=tempo), clips or {}, 0.0)
    engine.play(0.0, 0.0)
    return engine


def begins(engine):
    return [(round(event.time, 3), event.data1) for event in note_ons(engine.graph.outputs.out)]


# -- patterns ----------------------------------------------------------------------------------------


def switched(change, at, anew=True, rate="1/8"):
    """What plays when the second pattern is chosen at a time, at two steps a beat and 120 beats a minute."""
    source = generator(
        "steps", "x", patterns=[LOW, HIGH], rate=rate, change=change, from_first=anew, in_scale=False, lowest=0
    )
    engine = playing(project(strand(sources=(source,))))
    engine.run(at)
    engine.apply(edits.set_params(engine.graph.project, "x", {"pattern": 2}), {}, at)
    engine.run(4.49)
    assert_whole([*engine.graph.outputs.out, *(_offs(engine))])
    return begins(engine)


def _offs(engine):
    before = len(engine.graph.outputs.out)
    engine.finish(engine.now)
    made = engine.graph.outputs.out[before:]
    del engine.graph.outputs.out[before:]
    return made


@pytest.mark.parametrize(
    ("change", "wanted"),
    [("step", 0.75), ("beat", 1.0), ("bar", 2.0), ("end", 1.0)],
)
def test_another_pattern_takes_over_when_it_should(change, wanted):
    found = switched(change, 0.6)
    assert next(time for time, note in found if note >= 72) == wanted
    assert all(note < 40 for time, note in found if time < wanted)
    after = [note for time, note in found if time >= wanted]
    assert after[:4] == [72, 73, 74, 72], "it begins at its first step"


def test_a_pattern_that_does_not_begin_anew_goes_on_at_the_same_step():
    found = switched("bar", 0.6, anew=False)
    assert [note for time, note in found if time >= 2.0][:3] == [74, 72, 73], "step 8 of three steps is the third"


def test_at_once_is_the_next_step_and_end_waits_for_the_end():
    assert next(time for time, note in switched("now", 0.6) if note >= 72) == 0.75
    assert next(time for time, note in switched("end", 1.1) if note >= 72) == 2.0


@given(st.sampled_from(sorted(CHANGES)), st.lists(st.integers(0, 7), min_size=1, max_size=12), st.integers(1, 9))
def test_a_turn_falls_only_where_it_may(change, wanted, length):
    turn = PatternTurn()
    turn.begin(0)
    for number, choice in enumerate(wanted * 3):
        beat = number / 4.0
        ended = (number - turn.since) % length == 0
        turned = turn.turn(choice, change, number, beat, int(beat // 4), ended, True)
        if turned and number:
            assert turn.playing == choice and turn.since == number
            assert change != "beat" or beat == int(beat)
            assert change != "bar" or beat % 4 == 0
            assert change != "end" or ended
        elif change in ("now", "step"):
            assert turn.playing == choice


def test_arpeggiator_and_rings_change_their_patterns_too():
    lanes = [[{"play": 1}], [{"play": 2}]]
    engine = Engine(Recording())
    arp = stage("arpeggiator", "x", patterns=lanes, rate="1/8", change="step", starts="beat")
    engine.apply(project(strand(arp), tempo=120.0), {}, 0.0)
    engine.play(0.0, 0.0)
    for note in (60, 67):
        engine.feed("surface", note_on(0.0, 0, note, 90))
    engine.run(1.1)
    engine.apply(edits.set_params(engine.graph.project, "x", {"pattern": 2}), {}, 1.1)
    engine.run(2.1)
    assert [note for _, note in begins(engine)] == [60] * 5 + [67] * 4
    rings = [[{"hits": 4, "steps": 4, "note": 40}], [{"hits": 4, "steps": 4, "note": 50}, {"hits": 1, "note": 90}]]
    engine = playing(project(strand(sources=(generator("rings", "r", patterns=rings, change="bar", lowest=0),))))
    engine.run(0.6)
    engine.apply(edits.set_params(engine.graph.project, "r", {"pattern": 2}), {}, 0.6)
    engine.run(3.05)
    found = begins(engine)
    assert {note for time, note in found if time < 2.0} == {40}
    assert (2.0, 50) in found and {time for time, note in found if note == 90} == {2.0, 3.0}


def test_other_parts_go_on_across_a_change():
    one = generator("steps", "one", patterns=[LOW, HIGH], rate="1/8", in_scale=False, lowest=0, change="beat")
    two = generator("steps", "two", patterns=[[{"note": 50}, {"note": 52}]], rate="1/8", in_scale=False)
    engine = playing(project(strand(sources=(one,)), strand(strand_id="b", sources=(two,))))
    engine.run(0.9)
    engine.apply(edits.set_params(engine.graph.project, "one", {"pattern": 2}), {}, 0.9)
    engine.run(2.9)
    other = [(time, note) for time, note in begins(engine) if 49 < note < 53]
    assert other == [(round(0.25 * step, 3), (50, 52)[step % 2]) for step in range(12)]


def test_a_rate_that_changes_in_the_middle_of_a_note_goes_on_with_the_next_line():
    source = generator("steps", "x", patterns=[LOW], rate="1/4", in_scale=False, lowest=0)
    engine = playing(project(strand(sources=(source,))))
    engine.run(8.1)
    engine.apply(edits.set_params(engine.graph.project, "x", {"rate": "1/16"}), {}, 8.1)
    engine.run(8.4)
    engine.apply(edits.set_params(engine.graph.project, "x", {"rate": "1/2"}), {}, 8.4)
    engine.run(10.5)
    assert [time for time, _ in begins(engine) if time >= 8.0] == [8.0, 8.125, 8.25, 8.375, 9.0, 10.0]
    engine.finish(11.0)
    assert_whole(engine.graph.outputs.out)


# -- clips -------------------------------------------------------------------------------------------

FIRST = Clip(tuple(notes(60, 62, 64, 65, gap=1.0, length=0.5)), 4.0, tempos=((0.0, 60.0),))
SECOND = Clip(tuple(notes(72, 74, 76, 77, gap=1.0, length=0.9)), 4.0)
CLIPS = {"a.mid": FIRST, "b.mid": SECOND}


def clip_strand(**settings_):
    return project(strand(sources=(ClipSource(file="a.mid", more=("b.mid",), **settings_),)))


def chosen(engine, at, **changes):
    import msgspec

    engine.run(at)
    source = msgspec.structs.replace(engine.graph.project.strands[0].sources[0], **changes)
    engine.apply(edits.set_source(engine.graph.project, "a", 0, source), CLIPS, at)


def test_another_clip_takes_over_on_the_bar():
    engine = playing(clip_strand(), CLIPS)
    chosen(engine, 0.7, choice=2)
    engine.run(4.4)
    assert begins(engine) == [
        *((0.0, 60), (0.5, 62), (1.0, 64), (1.5, 65)),
        *((2.0, 72), (2.5, 74), (3.0, 76), (3.5, 77), (4.0, 72)),
    ]
    chosen(engine, 4.4, choice=1, change="now")
    engine.run(4.9)
    assert begins(engine)[-1] == (4.5, 62)
    engine.finish(5.0)
    assert_whole(engine.graph.outputs.out)


def test_a_clip_begins_on_the_bar_with_its_own_first():
    engine = Engine(Recording())
    engine.apply(clip_strand(begins="bar"), CLIPS, 0.0)
    engine.play(0.0, 1.0)
    engine.run(2.6)
    assert begins(engine) == [(1.5, 60), (2.0, 62), (2.5, 64)]


def test_a_clip_keeps_its_own_tempo_when_it_should():
    engine = playing(clip_strand(follow_tempo=False), CLIPS)
    engine.run(5.1)
    assert begins(engine) == [(0.0, 60), (1.0, 62), (2.0, 64), (3.0, 65), (4.0, 60), (5.0, 62)]
    engine.apply(edits.set_project(engine.graph.project, tempo=300.0), CLIPS, 5.2)
    engine.run(7.1)
    assert [time for time, _ in begins(engine)][-2:] == [6.0, 7.0]


def test_a_choice_beyond_the_last_clip_takes_the_last_and_clips_are_saved():
    one = clip_strand(choice=9, begins="bar", change="now", follow_tempo=False)
    assert one.strands[0].sources[0].playing_file == "b.mid"
    assert parse_project(format_project(one)) == one
    assert pitches(run(one, [], CLIPS, seconds=0.4).strands["a"]) == [72]


@settings(max_examples=60)
@given(st.data())
def test_clips_and_patterns_may_change_at_any_time_and_nothing_hangs(data):
    both = project(
        strand(sources=(ClipSource(file="a.mid", more=("b.mid",)),)),
        strand(strand_id="b", sources=(generator("steps", "x", patterns=[LOW, HIGH]), SurfaceSource())),
    )
    engine = playing(both, CLIPS)
    time = 0.0
    for _ in range(data.draw(st.integers(1, 8))):
        time += data.draw(st.sampled_from([0.0, 0.13, 0.5, 1.1]))
        changes = data.draw(
            st.fixed_dictionaries(
                {"choice": st.integers(1, 3)},
                optional={
                    "change": st.sampled_from(["bar", "now"]),
                    "begins": st.sampled_from(["piece", "bar"]),
                    "follow_tempo": st.booleans(),
                    "loop": st.booleans(),
                },
            )
        )
        chosen(engine, time, **changes)
        values = {"pattern": data.draw(st.integers(1, 3)), "change": data.draw(st.sampled_from(sorted(CHANGES)))}
        engine.apply(edits.set_params(engine.graph.project, "x", values), CLIPS, time)
        if data.draw(st.booleans()):
            engine.apply(
                edits.set_project(engine.graph.project, tempo=data.draw(st.sampled_from([20.0, 400.0]))), CLIPS, time
            )
    engine.run(time + 3.0)
    engine.stop(engine.now)
    engine.run(engine.now + 20.0)
    assert engine.graph.sounding == 0
    assert_whole(engine.graph.outputs.out)


# -- strands that play on ----------------------------------------------------------------------------


def test_a_key_whose_generator_goes_and_that_is_struck_again_ends_under_another_generator():
    rings = (SurfaceSource(), generator("rings", "r", starts="key"))
    engine = playing(project(strand(sources=rings)))
    engine.feed("surface", note_on(0.3, 0, 62, 30))
    engine.run(0.3)
    engine.apply(project(strand()), {}, 0.5)
    engine.feed("surface", note_on(0.6, 0, 62, 90))  # an end was lost: the gate ends the first strike itself
    engine.run(0.6)
    assert engine.graph.sounding == 1
    engine.apply(project(strand(sources=(SurfaceSource(), generator("rebound", "b", starts="key")))), {}, 0.7)
    engine.feed("surface", note_off(0.8, 0, 62))
    engine.run(0.8)
    assert engine.graph.sounding == 0
    assert_whole(engine.graph.outputs.out)


def test_a_strand_plays_on_when_the_transport_stops_until_a_second_stop():
    on = strand(strand_id="on", plays_on=True, sources=(generator("steps", "x", patterns=[LOW], rate="1/8", lowest=0),))
    clip = strand(strand_id="clip", plays_on=True, sources=(ClipSource(file="a.mid"), ClickSource()))
    not_on = strand(strand_id="off", sources=(generator("steps", "y", patterns=[HIGH], rate="1/8"),))
    engine = playing(project(on, clip, not_on), CLIPS)
    engine.run(1.1)
    engine.stop(1.1)
    engine.run(3.0)
    late = [note for time, note in begins(engine) if time > 1.1]
    assert set(late) & {60, 62, 64, 65} and set(late) & {76, 77} and min(late) < 40 and not set(late) & {72, 73, 74}
    engine.stop(3.0)
    engine.run(6.0)
    assert all(event.time <= 3.0 for event in engine.graph.outputs.out)
    assert_whole(engine.graph.outputs.out)


def test_all_off_and_the_last_strand_that_plays_on_end_it():
    on = project(strand(plays_on=True, sources=(generator("steps", "x", patterns=[LOW]),)))
    for end in (
        lambda engine: engine.all_off(2.0),
        lambda engine: engine.apply(edits.set_strand(on, "a", plays_on=False), {}, 2.0),
    ):
        engine = playing(on)
        engine.run(1.0)
        engine.stop(1.0)
        engine.run(2.0)
        assert any(event.time > 1.5 for event in engine.graph.outputs.out)
        end(engine)
        engine.run(5.0)
        assert not [event for event in note_ons(engine.graph.outputs.out) if event.time > 2.0]
        assert engine.graph.sounding == 0


def test_play_brings_all_parts_back_in_step():
    on = project(
        strand(plays_on=True, sources=(generator("steps", "x", patterns=[LOW], rate="1/4", lowest=0, in_scale=False),))
    )
    engine = playing(on)
    engine.run(0.7)
    engine.stop(0.7)
    engine.run(5.3)
    engine.play(5.3, 0.0)
    engine.run(6.4)
    assert begins(engine)[-3:] == [(5.3, 36), (5.8, 37), (6.3, 38)]
    assert NOTE_OFF in {event.kind for event in engine.graph.outputs.out}


def test_steps_that_a_held_key_starts_after_an_edit_begin_with_the_edit_and_not_before_it():
    """The key was struck while the steps waited for the transport; only the edit lets it start them."""
    out = Recording()
    engine = Engine(out)
    waiting = generator("steps", patterns=[[{"note": 60}]], rate="1/8", transpose="held", in_scale=False)
    engine.apply(project(strand(sources=(SurfaceSource(), waiting))), {}, 0.0)
    engine.feed("surface", note_on(0.01, 0, 60, 90))
    engine.run(0.01)
    engine.run(1.0)
    assert out.out == []
    started = generator("steps", patterns=[[{"note": 60}]], rate="1/8", transpose="held", in_scale=False, starts="key")
    engine.apply(project(strand(sources=(SurfaceSource(), started))), {}, 1.0)
    engine.run(1.3)
    assert [event.time for event in note_ons(out.out)] == [1.0, 1.25]
