"""What a hookup turns stands where it was turned: in the section that holds it, else in the project."""

from __future__ import annotations

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.document import edits
from arpegon.core.document.model import Held, Hookup, Section
from arpegon.core.events import control
from arpegon.engine.simulation import Engine
from arpegon.processors.holding import turned
from building import Recording, generator, note_ons, pitches, project, stage, strand

BAR = 2.0
"""Seconds of a bar at 120 in 4/4."""
UP, LESS, TEMPO = ("up", "semitones"), ("less", "offset"), ("", "tempo")
STEPS = {"rate": "1/4", "patterns": [[{"note": 60}]]}


def section(name, *holds, then="on"):
    return Section(id=name, name=name.title(), bars=1, then=then, holds=holds)


def held(value, target=UP):
    return Held(target=target[0], param=target[1], value=value)


def played(*sections, **changes):
    """A note on every beat, moved by so many semitones and softened; a knob turns each of these, and the tempo."""
    stages = (stage("transpose", "up", semitones=1), stage("velocity", "less", offset=0))
    knobs = (
        Hookup(id="k1", control="cc", number=20, target=UP[0], param=UP[1], out_low=0, out_high=12),
        Hookup(id="k2", control="cc", number=21, target=LESS[0], param=LESS[1], out_low=-20, out_high=20),
        Hookup(id="k3", control="cc", number=22, target=TEMPO[0], param=TEMPO[1], out_low=60, out_high=240),
    )
    walk = strand(*stages, sources=(generator("steps", "walk", params=STEPS),))
    return project(walk, sections=sections, hookups=knobs, **changes)


def at_work(document):
    engine = Engine(Recording())
    engine.apply(document, {}, 0.0)
    engine.play(0.0, 0.0)
    return engine


def turn(engine, time, value, number=20):
    engine.run(time)
    engine.feed("surface", control(time, 0, number, value))
    engine.run(time)


def heard(engine, bars):
    engine.run(bars * BAR - 0.01)
    found = pitches(note_ons(engine.graph.outputs.out))
    assert len(found) == 4 * bars
    return [found[4 * bar + 3] - 60 for bar in range(bars)]


def test_a_value_that_the_section_holds_is_turned_there_and_stays_elsewhere():
    engine = at_work(played(section("a", held(3)), section("b"), section("c", held(5)), section("d", then="top")))
    turn(engine, 1.0, 127)
    assert heard(engine, 8) == [12, 1, 5, 1, 12, 1, 5, 1]


def test_a_value_of_the_project_is_turned_there_though_a_section_holds_its_own():
    engine = at_work(played(section("a"), section("b", held(3), then="top")))
    turn(engine, 1.0, 127)
    assert heard(engine, 4) == [12, 3, 12, 3]


def test_what_is_turned_stays_where_a_section_is_played_again_and_again():
    engine = at_work(played(section("a", held(3), then="again")))
    turn(engine, 1.0, 127)
    engine.run(BAR + 0.6)
    assert pitches(engine.graph.outputs.out)[-2:] == [72, 72]


def test_what_is_turned_stands_when_the_piece_is_played_from_its_start_again():
    engine = at_work(played(section("a", held(3)), section("b")))
    turn(engine, 1.0, 127)
    engine.run(BAR + 0.6)
    engine.locate(BAR + 0.6, 0.0)
    engine.run(BAR + 0.9)
    assert pitches(engine.graph.outputs.out)[-1] == 72


def test_an_edit_of_the_project_leaves_what_the_section_holds():
    document = played(section("a", held(3)), section("b"))
    engine = at_work(document)
    engine.run(0.7)
    engine.apply(edits.set_params(document, "up", {"semitones": 7}), {}, 0.7)
    assert heard(engine, 2) == [3, 7]


def test_a_value_that_a_section_is_let_go_of_is_the_projects_own_again():
    document = played(section("a", held(3)), section("b"))
    engine = at_work(document)
    turn(engine, 0.6, 127)
    engine.apply(edits.let_go(document, "a", *UP), {}, 0.7)
    assert heard(engine, 2) == [1, 1]


def test_a_turned_value_is_the_one_that_holds_when_others_before_it_are_let_go_of():
    document = played(section("a", held(5, LESS), held(5), then="again"))
    engine = at_work(document)
    turn(engine, 0.6, 127)
    document = edits.let_go(document, "a", *LESS)
    engine.apply(document, {}, 0.7)
    assert heard(engine, 2) == [12, 12]


def test_what_a_pad_has_muted_is_muted_when_a_take_is_over():
    pad = Hookup(id="p", control="cc", number=23, target="a", action="mute", way="toggle")
    document = played()
    engine = at_work(msgspec.structs.replace(document, hookups=(*document.hookups, pad)))
    turn(engine, 0.6, 127, 23)
    sounded = len(note_ons(engine.graph.outputs.out))
    engine.takes.play({"a": [control(0.0, 0, 7, 100)]}, 0.7)
    engine.run(4.0)
    assert engine.takes.began is None and len(note_ons(engine.graph.outputs.out)) == sounded


_TURNS = st.tuples(st.just("turn"), st.integers(0, 127), st.sampled_from((20, 21, 22)), st.booleans())
_GOES = st.tuples(st.just("go"), st.integers(0, 2), st.just(0), st.booleans())
_HELD = st.sampled_from((held(3), held(7), held(-9, LESS), held(11, LESS), held(150.0, TEMPO), held(90.0, TEMPO)))
_HOLDS = st.lists(st.lists(_HELD, max_size=3, unique_by=lambda one: one.place), min_size=1, max_size=3)


@given(
    acts=st.lists(st.tuples(st.integers(1, 30), _TURNS | _GOES), min_size=1, max_size=9),
    holds=_HOLDS,
    last=st.sampled_from(("again", "top", "on")),
    tempo_within=st.sampled_from((0, 1)),
)
def test_when_what_was_turned_becomes_an_edit_is_not_heard(acts, holds, last, tempo_within):
    """With a window it soon does, without one it never does."""
    sections = [section(name, *some) for name, some in zip("abc", holds, strict=False)]
    sections[-1] = msgspec.structs.replace(sections[-1], then=last, tempo_within=tempo_within)
    document = played(*sections)
    with_window, without = at_work(document), at_work(document)
    for at, (what, value, number, rests) in sorted(acts, key=lambda one: one[0]):
        time = 0.37 * at
        for engine in (with_window, without):
            if what == "turn":
                turn(engine, time, value, number)
            else:
                engine.run(time)
                engine.sections.go(value, time)
        if rests:
            for one, (made, _) in with_window.overlay.done.items():
                document = turned(document, one, made)
            with_window.overlay.done.clear()
            with_window.apply(document, {}, time)
    for engine in (with_window, without):
        engine.finish(14.0)
    ours, theirs = with_window.graph.outputs.out, without.graph.outputs.out
    assert [event.at(0.0) for event in ours] == [event.at(0.0) for event in theirs]
    assert [event.time for event in ours] == pytest.approx([event.time for event in theirs], abs=1e-9)
