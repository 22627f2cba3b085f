"""A tempo of its own: generators, arpeggiators and clips beside the piece, free or brought back into step."""

from __future__ import annotations

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.document.model import ClipSource, Held, Hookup, Section
from arpegon.core.events import control, note_off, note_on
from arpegon.engine.simulation import Engine
from arpegon.files.midi import Clip
from building import Recording, assert_whole, generator, note_ons, project, stage, strand

RING = [[{"note": 60 + step, "length": 0.5} for step in range(16)]]


def walk(**values):
    return generator("steps", "s", patterns=RING, rate="1/4", in_scale=False, **values)


def alone(source, **changes):
    return project(strand(sources=(source,)), **changes)


def at_work(one, clips=None):
    out = Recording()
    engine = Engine(out)
    engine.apply(one, clips or {}, 0.0)
    return engine, out


def times(out):
    return [round(event.time, 4) for event in note_ons(out.out)]


def played(one, seconds, clips=None, turns=()):
    engine, out = at_work(one, clips)
    engine.play(0.0, 0.0)
    for time, number, value in turns:
        engine.feed("surface", control(time, 0, number, value))
        engine.run(time)
    engine.run(seconds)
    engine.finish(seconds)
    return times(out), [event.data1 - 60 for event in note_ons(out.out)]


def test_a_number_of_its_own_whatever_the_piece_does():
    found, _ = played(alone(walk(own_tempo="bpm", own_bpm=90.0)), 4.0)
    assert found == [round(step * 60.0 / 90.0, 4) for step in range(6)]
    faster = alone(walk(own_tempo="bpm", own_bpm=90.0), tempo=200.0)
    assert played(faster, 4.0)[0] == found


def test_a_share_of_the_piece_goes_with_its_tempo():
    found, _ = played(alone(walk(own_tempo="ratio", own_ratio=150.0)), 2.0)
    assert found == [round(step / 3.0, 4) for step in range(6)]
    slower = alone(walk(own_tempo="ratio", own_ratio=150.0), tempo=60.0)
    assert played(slower, 4.0)[0] == pytest.approx([2.0 * time for time in found], abs=2e-4)


def test_it_is_brought_back_into_step_on_a_bar():
    # Three quarters of the tempo: three steps in a bar of four, and the next bar begins with its own step.
    found, steps = played(alone(walk(own_tempo="ratio", own_ratio=75.0, own_bars=1)), 5.9)
    assert found == [0.0, 0.6667, 1.3333, 2.0, 2.6667, 3.3333, 4.0, 4.6667, 5.3333]
    assert steps == [0, 1, 2, 4, 5, 6, 8, 9, 10]
    found, steps = played(alone(walk(own_tempo="ratio", own_ratio=150.0, own_bars=2)), 7.9)
    assert found == [round(bar + step / 3.0, 4) for bar in (0.0, 4.0) for step in range(12)]
    assert steps == [*range(12), *range(8, 16), *range(4)]


def test_a_number_is_brought_back_into_step_too():
    found, _ = played(alone(walk(own_tempo="bpm", own_bpm=100.0, own_bars=1)), 3.9)
    assert found == [0.0, 0.6, 1.2, 1.8, 2.0, 2.6, 3.2, 3.8]


def test_the_piece_s_own_tempo_said_as_a_share_changes_nothing():
    plain = played(alone(walk()), 7.9)
    for bars in (0, 1, 3):
        assert played(alone(walk(own_tempo="ratio", own_ratio=100.0, own_bars=bars)), 7.9) == plain


def test_set_down_in_the_middle_it_is_where_it_would_have_been():
    one = alone(walk(own_tempo="ratio", own_ratio=75.0, own_bars=1))
    engine, out = at_work(one)
    engine.play(0.0, 5.0)
    engine.run(1.4)
    # The bar began at beat 4: steps on 4, 5.333 and 6.667.
    assert times(out) == [round((4.0 + 4.0 / 3.0 - 5.0) / 2.0, 4), round((4.0 + 8.0 / 3.0 - 5.0) / 2.0, 4)]


@pytest.mark.parametrize("kind", ["steps", "rings", "rebound"])
def test_all_generators_run_at_it(kind):
    plain = played(alone(generator(kind, "s")), 8.0)
    own = played(alone(generator(kind, "s", own_tempo="ratio", own_ratio=50.0)), 16.0)
    assert len(plain[0]) > 3
    assert own[0] == pytest.approx([2.0 * time for time in plain[0]], abs=2e-4) and own[1] == plain[1]


@pytest.mark.parametrize("starts", ["key", "beat"])
def test_an_arpeggiator_runs_at_it(starts):
    arp = stage("arpeggiator", "s", rate="1/4", starts=starts, gather_ms=0, own_tempo="bpm", own_bpm=240.0)
    engine, out = at_work(project(strand(arp)))
    engine.play(0.0, 0.0)
    engine.run(0.1)
    engine.feed("surface", note_on(0.1, 0, 60, 90))
    engine.run(1.3)
    first = 0.1 if starts == "key" else 0.25
    assert times(out) == [round(first + 0.25 * step, 4) for step in range(5)]


QUARTERS = Clip(
    tuple(
        event
        for beat in range(4)
        for event in (note_on(float(beat), 0, 60 + beat, 90), note_off(beat + 0.5, 0, 60 + beat))
    ),
    4.0,
)


def clip(**values):
    return ClipSource(id="c", file="q.mid", **values)


def test_a_clip_runs_at_it():
    found, notes = played(alone(clip(own_tempo="ratio", own_ratio=150.0)), 1.9, {"q.mid": QUARTERS})
    assert found == [round(step / 3.0, 4) for step in range(6)] and notes == [0, 1, 2, 3, 0, 1]
    found, notes = played(alone(clip(own_tempo="bpm", own_bpm=90.0, own_bars=1)), 3.9, {"q.mid": QUARTERS})
    assert found == [0.0, 0.6667, 1.3333, 2.0, 2.6667, 3.3333] and notes == [0, 1, 2, 0, 1, 2]


def test_a_clip_begins_on_the_bar_of_the_piece():
    one = alone(
        clip(own_tempo="bpm", own_bpm=90.0, starts="action"),
        hookups=(Hookup(id="go", number=20, target="c", action="start", way="trigger"),),
    )
    found, _ = played(one, 4.0, {"q.mid": QUARTERS}, turns=[(0.3, 20, 127)])
    assert found[:3] == [2.0, 2.6667, 3.3333]


def test_a_start_waits_for_the_bar_of_the_piece():
    one = alone(
        walk(own_tempo="bpm", own_bpm=90.0, starts="action", launch="bar"),
        hookups=(Hookup(id="go", number=20, target="s", action="start", way="trigger"),),
    )
    assert played(one, 4.0, turns=[(0.3, 20, 127)])[0][:2] == [2.0, 2.6667]


def test_a_knob_turns_it_from_now_on():
    one = alone(
        walk(own_tempo="ratio", own_ratio=100.0),
        hookups=(Hookup(id="h", number=20, target="s", param="own_ratio", out_low=100.0, out_high=200.0),),
    )
    found, _ = played(one, 2.2, turns=[(1.1, 20, 127)])
    # At 1.1 s it was at beat 2.2; from there on it goes twice as fast.
    assert found == [0.0, 0.5, 1.0, *(round(1.1 + 0.2 + 0.25 * step, 4) for step in range(4))]


def test_a_section_gives_it_another_tempo():
    held = Held(target="s", param="own_tempo", value="ratio"), Held(target="s", param="own_ratio", value=200.0)
    one = alone(walk(), sections=(Section(id="a", name="A", bars=1), Section(id="b", name="B", bars=1, holds=held)))
    found, _ = played(one, 3.9)
    assert found == [0.0, 0.5, 1.0, 1.5, *(round(2.0 + 0.25 * step, 4) for step in range(8))]


def test_what_a_key_starts_on_the_beat_goes_on_after_a_jump_back():
    one = project(
        strand(sources=(walk(starts="key", in_time=True), *strand().sources)),
        sections=(Section(id="a", name="A", bars=1, then="again"),),
    )
    engine, out = at_work(one)
    engine.play(0.0, 0.0)
    engine.feed("surface", note_on(0.1, 0, 60, 90))
    engine.run(4.9)
    assert times(out) == [round(0.5 * step, 4) for step in range(1, 10)]


def test_a_strand_that_plays_on_takes_its_tempo_from_what_plays_on():
    one = alone(walk(own_tempo="bpm", own_bpm=60.0))
    one = msgspec.structs.replace(one, strands=(msgspec.structs.replace(one.strands[0], plays_on=True),))
    engine, out = at_work(one)
    engine.play(0.0, 0.0)
    engine.run(1.5)
    engine.stop(1.5)
    engine.run(3.5)
    assert times(out) == [0.0, 1.0, 2.0, 3.0]


@given(
    way=st.sampled_from(["bpm", "ratio"]),
    bpm=st.floats(20.0, 400.0),
    ratio=st.floats(12.5, 800.0),
    bars=st.integers(0, 3),
    tempo=st.floats(40.0, 300.0),
    cuts=st.lists(st.floats(0.01, 6.0), max_size=12),
    kind=st.sampled_from(["steps", "rings", "rebound", "clip"]),
)
def test_nothing_depends_on_where_time_is_cut(way, bpm, ratio, bars, tempo, cuts, kind):
    values = {"own_tempo": way, "own_bpm": bpm, "own_ratio": ratio, "own_bars": bars}
    source = clip(**values) if kind == "clip" else generator(kind, "s", **values)
    one = alone(source, tempo=tempo)
    engine, out = at_work(one, {"q.mid": QUARTERS})
    engine.play(0.0, 0.0)
    for time in sorted(cuts):
        engine.run(time)
    engine.run(6.0)
    engine.finish(6.0)
    whole, other = at_work(one, {"q.mid": QUARTERS})
    whole.play(0.0, 0.0)
    whole.run(6.0)
    whole.finish(6.0)
    assert out.out == other.out
    assert_whole(out.out)
    # In a bar there are as many beats as its tempo has.
    lasted = 6.0 * (bpm if way == "bpm" else tempo * ratio / 100.0) / 60.0
    if kind == "clip" and not bars:
        assert abs(len(note_ons(out.out)) - lasted) <= 2


@pytest.mark.parametrize("walk_kind", ["drift", "random", "round"])
@pytest.mark.parametrize("kind", ["steps", "rings"])
def test_what_a_key_started_goes_on_by_one_step_after_a_jump_back(kind, walk_kind):
    if kind == "steps":
        source = walk(starts="key", in_time=True, walk=walk_kind)
    else:
        source = generator("rings", "s", starts="key", in_time=True)
    one = project(
        strand(sources=(source, *strand().sources)), sections=(Section(id="a", name="A", bars=1, then="again"),)
    )
    engine, out = at_work(one)
    engine.play(0.0, 0.0)
    engine.feed("surface", note_on(0.1, 0, 60, 90))
    engine.run(9.9)
    assert len(note_ons(out.out)) >= 19
    if (kind, walk_kind) == ("steps", "round"):
        assert [event.data1 - 60 for event in note_ons(out.out)] == [step % 16 for step in range(19)]


def test_a_knob_that_takes_its_own_tempo_away_leaves_nothing_of_it():
    """Its lines for coming back into step are no more."""
    one = alone(
        walk(own_tempo="bpm", own_bpm=400.0, own_bars=1),
        hookups=(Hookup(id="h", number=20, target="s", param="own_tempo"),),
    )
    found, _ = played(one, 6.2, turns=[(1.05, 20, 0)])
    later = [time for time in found if time > 1.05]
    assert later == [round(0.5 * step, 4) for step in range(3, 13)]
