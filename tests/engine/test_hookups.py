"""Hookups: controllers that set parameters and do things, live and offline alike."""

from __future__ import annotations

import json

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.document import edits
from arpegon.core.document.hookup_values import TakeOver, next_value, share_of, value_at
from arpegon.core.document.model import ClipSource, Hookup
from arpegon.core.errors import FileError
from arpegon.core.events import CONTROL, Event, bend, control, note_off, note_on
from arpegon.core.processing.parameters import Number
from arpegon.engine.offline import run
from arpegon.engine.simulation import Engine
from arpegon.files.midi import Clip
from arpegon.files.project import format_project, parse_project
from arpegon.processors import WORKS
from arpegon.processors.actions import ACTIONS, target_words
from arpegon.processors.targets import declared, params_of
from building import Recording, assert_whole, generator, note_ons, notes, pitches, project, stage, strand, working

KNOB = Number(name="knob", label="Knob", default=64, low=0, high=127, help="A knob.")


def hook(**settings):
    return Hookup(**{"id": "h", "number": 20, **settings})


def at_work(one):
    engine = Engine(Recording())
    engine.apply(one, {}, 0.0)
    return engine


def value(engine, name, key):
    return engine.graph.find(name).values[key]


def turn(engine, amount, number=20, feed="surface", channel=0):
    engine.feed(feed, control(engine.now, channel, number, amount))
    engine.run(engine.now + 0.01)


def hooked(*hookups, **changes):
    return project(strand(stage("transpose", "t"), stage("humanize", "m")), hookups=hookups, **changes)


# -- values ------------------------------------------------------------------------------------------


def test_a_knob_follows_over_its_range_and_does_not_reach_the_strands():
    engine = at_work(hooked(hook(target="t", param="semitones", out_low=-12, out_high=12)))
    for amount, wanted in ((0, -12), (127, 12), (64, 0)):
        turn(engine, amount)
        assert value(engine, "t", "semitones") == wanted
    assert engine.graph.outputs.out == []
    engine = at_work(hooked(hook(target="t", param="semitones", passes=True, in_low=127, in_high=0)))
    turn(engine, 127)
    assert value(engine, "t", "semitones") == -24 and len(engine.graph.outputs.out) == 1


def test_a_tempo_on_a_knob_from_50_to_200():
    clip = Clip(tuple(notes(*range(40, 60), gap=1.0, length=0.5)), 20.0)
    one = project(strand(sources=(ClipSource(file="c.mid"),)), hookups=(hook(param="tempo", out_low=50, out_high=200),))
    engine = Engine(Recording())
    engine.apply(one, {"c.mid": clip}, 0.0)
    engine.play(0.0, 0.0)
    engine.run(1.0)
    turn(engine, 127)
    assert engine.clock.tempo == 200.0
    turn(engine, 0)
    assert engine.clock.tempo == 50.0
    engine.run(30.0)
    assert pitches(engine.graph.outputs.out)[:20] == list(range(40, 60))
    assert engine.overlay.done["", ("", "tempo")] == (50.0, False)


@pytest.mark.parametrize("kind", sorted(WORKS))
def test_every_hookable_parameter_takes_every_share(kind):
    one = project(working(kind, {}))
    for key, param in params_of(one, "s").items():
        for share in (0.0, 0.31, 0.5, 1.0):
            made = value_at(param, share, hook())
            assert param.check(made) == made
            assert value_at(param, share_of(param, made, hook()), hook()) == made
        assert param.check(next_value(param, param.default, hook())) is not None
        assert declared(one, hook(target="s", param=key)) is param


def test_ways_toggle_held_trigger_and_next():
    def engine_for(**settings):
        return at_work(hooked(hook(target="t", param="octaves", out_low=0, out_high=2, **settings)))

    toggle = engine_for(way="toggle")
    assert [(turn(toggle, amount), value(toggle, "t", "octaves"))[1] for amount in (127, 0, 127, 0)] == [2, 2, 0, 0]
    held = engine_for(way="held")
    assert [(turn(held, amount), value(held, "t", "octaves"))[1] for amount in (127, 0, 100)] == [2, 0, 2]
    trigger = engine_for(way="trigger")
    assert [(turn(trigger, amount), value(trigger, "t", "octaves"))[1] for amount in (127, 0)] == [2, 2]
    follow = engine_for(way="next")
    found = []
    for _ in range(4):
        turn(follow, 127)
        turn(follow, 0)
        found.append(value(follow, "t", "octaves"))
    assert found == [1, 2, 0, 1]


def test_notes_bends_pressure_and_programs_are_controls_too():
    cases = [
        (hook(control="note", number=40, way="held"), note_on(0, 0, 40, 90), 24),
        (hook(control="bend"), bend(0, 0, 8191), 24),
        (hook(control="pressure"), Event(0, 0xD0, 127), 24),
        (hook(control="program", number=7, way="trigger"), Event(0, 0xC0, 7), 24),
    ]
    for one, event, wanted in cases:
        one = msgspec.structs.replace(one, target="t", param="semitones")
        engine = at_work(hooked(one))
        engine.feed("surface", event)
        engine.run(0.1)
        assert value(engine, "t", "semitones") == wanted
    engine.feed("surface", note_on(0.2, 0, 41, 90))
    engine.run(0.3)
    assert pitches(engine.graph.outputs.out), "a note that is not hooked up passes"


def test_a_bend_at_rest_stands_in_the_middle_of_a_range():
    for amount, wanted in ((0, 120.0), (8191, 180.0), (-8192, 60.0)):
        engine = at_work(hooked(hook(control="bend", param="tempo", out_low=60.0, out_high=180.0)))
        engine.feed("surface", bend(0.1, 0, 8191 if amount < 0 else -8192))
        engine.feed("surface", bend(0.2, 0, amount))
        engine.run(0.3)
        assert engine.graph.project.tempo == wanted


def test_channel_and_feed_are_asked_for():
    engine = at_work(hooked(hook(target="t", param="octaves", channel=3, feed="midi:Box")))
    turn(engine, 127)
    turn(engine, 127, channel=3)
    turn(engine, 127, feed="midi:Box")
    assert value(engine, "t", "octaves") == 0
    turn(engine, 127, feed="midi:Box", channel=3)
    assert value(engine, "t", "octaves") == 5


def test_one_control_moves_several_and_several_move_one():
    two = (
        hook(target="t", param="semitones"),
        hook(id="i", target="m", param="low"),
        hook(id="j", number=21, target="m", param="low"),
    )
    engine = at_work(hooked(*two))
    turn(engine, 127)
    assert value(engine, "t", "semitones") == 24 and value(engine, "m", "low") == 127
    turn(engine, 0, number=21)
    assert value(engine, "m", "low") == 1


# -- taking over -------------------------------------------------------------------------------------


def test_a_knob_picks_up_where_it_meets_the_value():
    engine = at_work(hooked(hook(target="m", param="low", takeover="pick-up")))
    engine.apply(edits.set_params(engine.overlay.document, "m", {"low": 64}), {}, 0.0)
    found = [(turn(engine, amount), value(engine, "m", "low"))[1] for amount in (10, 40, 70, 100)]
    assert found == [64, 64, 70, 100]
    engine.apply(edits.set_params(engine.overlay.document, "m", {"low": 20}), {}, engine.now)
    turn(engine, 105)
    assert value(engine, "m", "low") == 20, "the value was moved elsewhere: it must be met again"


@given(st.lists(st.floats(0, 1), min_size=2, max_size=20), st.floats(0, 1))
def test_scaled_takeover_stays_in_range_and_reaches_the_ends_with_the_knob(moves, here):
    rule = TakeOver()
    for knob in [*moves, 1.0]:
        made = rule.moved("scale", knob, here)
        here = here if made is None else made
        assert 0.0 <= here <= 1.0
    assert here == pytest.approx(1.0) or moves[-1] == 1.0
    rule.moved("scale", 0.0, here)
    assert rule.moved("scale", 0.5, 0.0) == pytest.approx(0.5)


# -- documents ---------------------------------------------------------------------------------------


def test_an_edit_elsewhere_does_not_set_a_knob_back_but_one_of_the_value_does():
    engine = at_work(hooked(hook(target="t", param="semitones")))
    turn(engine, 127)
    engine.apply(edits.set_project(engine.overlay.document, title="Other"), {}, 0.1)
    assert value(engine, "t", "semitones") == 24
    engine.apply(edits.set_params(engine.overlay.document, "t", {"semitones": 3}), {}, 0.2)
    assert value(engine, "t", "semitones") == 3


def test_a_target_that_is_gone_leaves_its_hookup_and_comes_back():
    one = hooked(hook(target="t", param="semitones"))
    engine = at_work(one)
    gone = edits.remove_stage(one, "t")
    assert (
        target_words(gone, gone.hookups[0]) is None
        and target_words(one, one.hookups[0]) == "Semitones · Transpose in A"
    )
    engine.apply(gone, {}, 0.0)
    turn(engine, 127)
    engine.apply(one, {}, 0.1)
    turn(engine, 127)
    assert value(engine, "t", "semitones") == 24


def test_hookups_are_saved_and_read_with_their_channels_from_1():
    one = hooked(hook(target="t", param="semitones", channel=4, out_low=-5.0), hook(id="a", action="play"))
    assert b'"channel": 5' in format_project(one)
    assert parse_project(format_project(one)) == one
    for bad, words in (
        ({"id": "x", "action": "dance"}, "no action “dance”"),
        ({"id": "x"}, "either a param or an action"),
        ({"id": "x", "param": "low", "number": 200}, "number of hookup"),
        ({"id": "x", "param": "low", "in_low": -3}, "in_low"),
        ({"id": "x", "param": "low", "way": "sideways"}, "way"),
    ):
        with pytest.raises(FileError, match=words):
            parse_project(json.dumps({"format": "arpegon-project", "version": 1, "hookups": [bad]}).encode())


# -- actions -----------------------------------------------------------------------------------------


def pressed(engine, number=20):
    turn(engine, 127, number)
    turn(engine, 0, number)


def test_transport_patterns_mutes_and_sources_are_worked_from_pads():
    patterns = [[{"note": 40}], [{"note": 50}], [{"note": 60}]]
    source = generator("steps", "s", patterns=patterns, rate="1/16", in_scale=False, change="step")
    actions = ("play-stop", "pattern-next", "pattern-previous", "mute", "bypass", "all-off", "tap", "to-start")
    targets = {"pattern-next": "s", "pattern-previous": "s", "mute": "a", "bypass": "s"}
    hooks = tuple(
        hook(id=action, control="note", number=36 + place, action=action, target=targets.get(action, ""))
        for place, action in enumerate(actions)
    )
    engine = at_work(project(strand(sources=(source,)), hookups=hooks))

    def pad(action):
        key = 36 + actions.index(action)
        engine.feed("surface", note_on(engine.now, 9, key, 100))
        engine.feed("surface", note_off(engine.now, 9, key))
        engine.run(engine.now + 0.5)

    pad("play-stop")
    assert engine.clock.playing and set(pitches(engine.graph.outputs.out)) == {40}
    pad("pattern-next")
    assert value(engine, "s", "pattern") == 2 and 50 in pitches(engine.graph.outputs.out)
    pad("pattern-previous")
    pad("pattern-previous")
    assert value(engine, "s", "pattern") == 3, "round and round"
    pad("mute")
    assert engine.graph.project.strand("a").muted
    count = len(engine.graph.outputs.out)
    engine.run(engine.now + 1.0)
    assert len(engine.graph.outputs.out) == count
    pad("mute")
    pad("bypass")
    assert engine.graph.project.strand("a").generators[0].bypass
    pad("tap")
    pad("tap")
    assert engine.clock.tempo == pytest.approx(120.0, abs=0.5)
    pad("play-stop")
    assert not engine.clock.playing
    pad("to-start")
    assert engine.clock.beat == 0.0
    assert_whole(engine.graph.outputs.out)


def test_a_step_source_is_started_so_many_times_and_while_held():
    source = generator("steps", "s", patterns=[[{"note": 60}, {"note": 62}]], starts="action", in_scale=False)
    twice = hook(action="start", target="s", value=2)
    engine = at_work(
        project(
            strand(sources=(source,)), hookups=(twice, hook(id="w", number=21, action="start", target="s", way="held"))
        )
    )
    pressed(engine)
    engine.run(5.0)
    assert pitches(engine.graph.outputs.out) == [60, 62, 60, 62]
    turn(engine, 127, 21)
    engine.run(7.0)
    turn(engine, 0, 21)
    count = len(note_ons(engine.graph.outputs.out))
    assert count > 10
    engine.run(9.0)
    assert len(note_ons(engine.graph.outputs.out)) == count


def test_what_only_the_window_can_do_is_asked_of_it():
    engine = at_work(project(hookups=(hook(action="keep"), hook(id="r", number=21, action="record"))))
    first = engine.now
    pressed(engine)
    second = engine.now
    pressed(engine, 21)
    assert engine.hooks.asked == [("h", first), ("r", second)]
    assert {name for name, action in ACTIONS.items() if action.window} == {"keep", "record", "toss"}


# -- LFOs and contours -------------------------------------------------------------------------------


def test_a_contour_chooses_patterns_over_bars_offline_as_live():
    contour = stage("contour", "c", steps=[0, 127, 0, 64], length="4 bars", target="none", most=20)
    patterns = [[{"note": 40}], [{"note": 50}], [{"note": 60}]]
    source = generator("steps", "s", patterns=patterns, rate="1/4", in_scale=False, change="now")
    by_bar = hook(control="stage", stage="c", target="s", param="pattern", out_low=1, out_high=3)
    one = project(strand(contour, sources=(source,)), hookups=(by_bar,), tempo=240.0)
    made = run(one, seconds=4.0)
    assert pitches(made.strands["a"]) == [40] * 4 + [60] * 4 + [40] * 4 + [50] * 4
    engine = at_work(one)
    engine.play(0.0, 0.0)
    for number in range(400):
        engine.run(number * 0.01)
    live = note_ons(engine.graph.outputs.out)
    assert [(round(event.time, 6), event.data1) for event in live] == [
        (round(event.time, 6), event.data1) for event in note_ons(made.strands["a"])
    ]


def test_two_waves_that_drive_each_other_do_no_harm():
    both = (stage("lfo", "x", target="none", starts="free"), stage("lfo", "y", target="cc", starts="free"))
    hooks = (
        hook(control="stage", stage="x", target="y", param="hz"),
        hook(id="i", control="stage", stage="y", target="x", param="hz"),
    )
    made = run(project(strand(*both), hookups=hooks), seconds=3.0).strands["a"]
    assert 10 < len([event for event in made if event.kind == CONTROL]) < 200


@given(st.lists(st.tuples(st.sampled_from([0.0, 0.05, 0.4]), st.integers(0, 127)), max_size=20))
def test_hookups_offline_are_hookups_live(moves):
    time, played = 0.1, []
    for gap, amount in moves:
        time += gap
        played += [control(time, 0, 20, amount), note_on(time, 0, 60, 90), note_off(time, 0, 60)]
    one = hooked(hook(target="t", param="semitones"), hook(id="i", number=20, target="m", param="high", passes=False))
    whole = run(one, played, seconds=20.0).instruments
    engine = at_work(one)
    engine.play(0.0, 0.0)
    for event in played:
        engine.feed("surface", event)
        engine.run(event.time)
    engine.run(20.0)
    assert [event for _, event in whole] == engine.graph.outputs.out


@pytest.mark.parametrize(
    ("came", "presses"),
    [
        ([(0.0, 127), (1.0, 127), (1.1, 127)], 3),  # a pad that sends nothing else
        ([(0.0, 127), (0.1, 0), (0.2, 127), (0.3, 0)], 2),  # a button with its release
        ([(0.0, 60), (0.02, 70), (0.04, 80), (0.06, 90), (0.08, 100)], 1),  # a knob over the middle
        ([(0.0, 100), (2.0, 101), (2.05, 102)], 2),  # another touch after a rest
        ([(0.0, 20), (1.0, 20)], 0),
    ],
)
def test_presses_are_told_from_whatever_a_button_sends(came, presses):
    engine = at_work(hooked(hook(target="t", param="semitones", way="next", out_low=0, out_high=24)))
    start = value(engine, "t", "semitones")
    for time, amount in came:
        engine.feed("surface", control(time, 0, 20, amount))
        engine.run(time + 0.001)
    assert value(engine, "t", "semitones") - start == presses


@pytest.mark.parametrize("count", [1, 2, 3, 8])
def test_a_knob_chooses_among_the_patterns_that_there_are(count):
    source = generator("steps", "s", patterns=[[{"note": 60 + number}] for number in range(count)])
    one = project(strand(sources=(source,)), hookups=(hook(target="s", action="pattern"),))
    engine = at_work(one)
    for amount, wanted in ((127, count), (0, 1)):
        turn(engine, amount)
        assert value(engine, "s", "pattern") == wanted


@pytest.mark.parametrize("ends", [(-1e308, 1e308), (1e308, -1e308), (0.0, 1e308)])
def test_a_range_beyond_all_bounds_ends_where_the_parameter_does(ends):
    engine = at_work(hooked(hook(target="t", param="semitones", out_low=ends[0], out_high=ends[1])))
    for amount in (0, 64, 127):
        turn(engine, amount)
        assert -60 <= value(engine, "t", "semitones") <= 60
