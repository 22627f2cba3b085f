"""Takes that are played: past the stages or through them, while what plays there by itself rests."""

from __future__ import annotations

import msgspec
import pytest

from arpegon.core.document.model import ClickSource, ClipSource, Music
from arpegon.core.events import NOTE_OFF, NOTE_ON, note_off, note_on
from arpegon.engine.simulation import Engine
from building import Recording, assert_whole, generator, note_ons, pitches, project, stage, strand

STEPS = generator("steps", "s", patterns=[[{"note": 40, "length": 0.2}]], rate="1/4", in_scale=False)
MUSIC = Music(name="Fog", beats=4.0, events=(note_on(0.0, 0, 45, 90), note_off(1.0, 0, 45)))
CLIP = ClipSource(id="c", music=MUSIC)
TAKE = [note_on(0.0, 0, 60, 90), note_off(0.9, 0, 60)]


class Taps(Recording):
    def __init__(self):
        super().__init__()
        self.printed_at = {}

    def printed(self, strand_id, places, events):
        for place in places:
            self.printed_at.setdefault((strand_id, place), []).extend(events)


def at_work(one):
    out = Taps()
    engine = Engine(out)
    engine.apply(one, {}, 0.0)
    engine.play(0.0, 0.0)
    return engine, out


def begun(out, low, high):
    return sorted({event.data1 for event in note_ons(out.out) if low <= event.time < high})


@pytest.mark.parametrize("through", [False, True])
def test_what_plays_by_itself_rests_meanwhile_and_goes_on_after(through):
    one = project(
        strand(stage("transpose", "t", semitones=1), sources=(STEPS, CLIP, ClickSource(), *strand().sources)),
        strand(
            strand_id="b", sources=(generator("steps", "other", rate="1/4", patterns=[[{"note": 90}]], in_scale=False),)
        ),
    )
    engine, out = at_work(one)
    engine.run(2.1)
    before = begun(out, 0.0, 2.1)
    assert {41, 46, 77, 78} <= set(before)
    engine.takes.play({"a": TAKE}, 2.1, through=through)
    engine.run(3.0 - 1e-6)
    meanwhile = {event.data1 for event in note_ons(out.out) if 2.1 <= event.time < 3.0}
    assert 60 + through in meanwhile and not meanwhile & {41, 46, 77, 78} and 90 in meanwhile
    engine.run(5.1)
    assert {41, 77, 78} <= set(begun(out, 3.0, 5.1))
    engine.finish(5.1)
    assert engine.graph.sounding == 0
    entered = [event.data1 for event in note_ons(out.printed_at["a", "in"])]
    assert (60 in entered) is through


def test_a_take_that_is_stopped_lets_go_and_what_rested_comes_back():
    engine, out = at_work(project(strand(sources=(STEPS, *strand().sources))))
    engine.run(0.1)
    engine.takes.play({"a": [note_on(0.0, 0, 60, 90), note_off(99.0, 0, 60)]}, 0.1, through=True)
    engine.run(1.2)
    assert engine.graph.project.find_stage("s")[1].bypass
    engine.takes.stop(1.2)
    assert not engine.graph.project.find_stage("s")[1].bypass and engine.graph.sounding == 0
    engine.run(2.1)
    assert begun(out, 1.2, 2.1) == [40]
    assert_whole(sorted(out.out, key=lambda event: event.time))


def test_what_was_resting_before_rests_on():
    one = project(strand(sources=(msgspec.structs.replace(STEPS, bypass=True), *strand().sources)))
    engine, _ = at_work(one)
    engine.takes.play({"a": TAKE}, 0.1)
    engine.run(2.0)
    assert engine.graph.project.find_stage("s")[1].bypass and engine.takes.began is None


def test_music_of_the_project_plays_as_a_clip():
    engine, out = at_work(project(strand(sources=(CLIP,)), tempo=60.0))
    engine.run(5.0)
    assert [event.time for event in note_ons(out.out)] == [0.0, 4.0]


def test_a_take_of_a_strand_that_is_gone_harms_nothing():
    engine, _ = at_work(project(strand()))
    for through in (False, True):
        engine.takes.play({"gone": TAKE}, engine.now, through=through)
        engine.run(engine.now + 2.0)
    assert engine.takes.began is None


@pytest.mark.parametrize("through", [False, True])
def test_a_take_that_is_played_to_a_second_is_over_there(through):
    """Be it in the midst of a note, or where it has long been silent; until then it is told that it plays."""
    engine, out = at_work(project(strand()))
    engine.takes.play({"a": TAKE}, 0.1, start=0.0, end=0.5, through=through)
    assert engine.takes.began == 0.1
    engine.run(0.7)
    assert engine.takes.began is None
    engine.takes.play({"a": TAKE}, 1.0, start=2.0, end=3.5, through=through)
    engine.run(2.4)
    assert engine.takes.began == -1.0
    engine.run(2.6)
    assert engine.takes.began is None
    assert [(event.time, event.kind) for event in out.out] == [(0.1, NOTE_ON), (pytest.approx(0.6), NOTE_OFF)]


PAST = ClipSource(id="c", music=MUSIC, past=True)


def test_a_clip_past_the_stages_joins_what_leaves_them():
    engine, out = at_work(project(strand(stage("transpose", "t", semitones=1), sources=(PAST, *strand().sources))))
    engine.feed("surface", note_on(0.1, 0, 60, 90))
    engine.run(3.0)
    assert [event.data1 for event in note_ons(out.printed_at["a", "in"])] == [60]
    assert [event.data1 for event in note_ons(out.printed_at["a", "t"])] == [61]
    assert sorted(event.data1 for event in note_ons(out.printed_at["a", "out"])) == [45, 45, 61]
    engine.finish(3.0)
    assert_whole(sorted(out.printed_at["a", "out"], key=lambda event: event.time))
    assert_whole(out.out)


@pytest.mark.parametrize("change", ["gone", "before", "muted", "along"])
def test_what_a_clip_past_the_stages_holds_is_let_go_with_it(change):
    one = project(strand(stage("transpose", "t", semitones=1), sources=(PAST, *strand().sources)))
    engine, out = at_work(one)
    engine.run(0.2)
    sources = {
        "gone": strand().sources,
        "before": (msgspec.structs.replace(PAST, past=False), *strand().sources),
        "muted": (msgspec.structs.replace(PAST, muted=True), *strand().sources),
    }.get(change, (PAST, *strand().sources))
    other = strand(stage("transpose", "t", semitones=1), sources=sources, along=change == "along")
    engine.apply(project(other), {}, 0.2)
    ended = [event.time for event in out.printed_at["a", "out"] if event.kind == 0x80]
    assert ended == ([] if change == "along" else [0.2])
    engine.run(4.1)
    later = {event.data1 for event in note_ons(out.printed_at["a", "out"]) if event.time > 0.2}
    assert later == {"before": {46}, "along": {45}}.get(change, set())
    engine.finish(4.1)
    assert_whole(out.out)


def test_live_keys_can_be_kept_out_while_a_take_plays():
    engine, out = at_work(project(strand(), strand(strand_id="b")))
    engine.feed("surface", note_on(0.1, 0, 62, 90))
    engine.run(0.2)
    engine.takes.play({"a": TAKE}, 0.2, keys_out=True)
    assert [event.time for event in out.printed_at["a", "in"] if event.kind == 0x80] == [0.2]
    engine.feed("surface", note_on(0.3, 0, 64, 90))
    engine.run(0.4)
    # Whatever is edited meanwhile.
    engine.apply(project(strand(stage("transpose", "t", semitones=1)), strand(strand_id="b")), {}, 0.4)
    engine.feed("surface", note_on(0.5, 0, 65, 90))
    engine.run(2.0)
    assert engine.takes.began is None
    engine.feed("surface", note_off(2.0, 0, 65))
    engine.feed("surface", note_on(2.1, 0, 67, 90))
    engine.run(2.2)
    assert pitches(out.printed_at["a", "in"]) == [62, 67]
    assert pitches(out.printed_at["b", "in"]) == [62, 64, 65, 67]
    engine.finish(2.2)
    assert_whole(out.out)
