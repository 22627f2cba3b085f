"""Sections: the piece goes from one to the next, each holds its values, and pads go to any of them on a bar line."""

from __future__ import annotations

import io
import json
from itertools import accumulate, pairwise

import mido
import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.document import edits
from arpegon.core.document.model import ClipSource, Held, Hookup, InstrumentDestination, Section
from arpegon.core.document.sections import section_at, starts
from arpegon.core.errors import FileError
from arpegon.core.events import note_off, note_on
from arpegon.core.notes.course import course_of
from arpegon.engine.offline import run
from arpegon.engine.simulation import Engine
from arpegon.files.midi import Clip, Track, format_song
from arpegon.files.project import format_project, parse_project
from building import Recording, assert_whole, generator, note_ons, notes, pitches, project, stage, strand

BAR = 2.0
"""Seconds of a bar at 120 in 4/4."""
STEPS = {"rate": "1/4", "patterns": [[{"note": 60}], [{"note": 72}]]}


def held(target, param, value):
    return Held(target=target, param=param, value=value)


def section(name, bars, *holds, then="on"):
    return Section(id=name, name=name.title(), bars=bars, then=then, holds=holds)


def walking(*sections, plays_on=False, **changes):
    """Steps on every beat: 60 in their first pattern, 72 in the second."""
    walk = strand(sources=(generator("steps", "walk", params=STEPS),), plays_on=plays_on)
    return project(walk, sections=sections, **changes)


def at_work(one, clips=None):
    engine = Engine(Recording())
    engine.apply(one, clips or {}, 0.0)
    return engine


def sounded(one, seconds, **settings):
    return note_ons(run(one, seconds=seconds, **settings).strands["a"])


# -- the row of sections ---------------------------------------------------------------------------------


def test_where_sections_begin_and_which_one_holds():
    one = walking(section("a", 2), section("b", 3), meter=(3, 4))
    assert starts(one) == [0.0, 6.0, 15.0]
    assert [section_at(one, beat) for beat in (-4.0, 0.0, 5.9, 6.0, 14.0, 15.0, 99.0)] == [0, 0, 0, 1, 1, 1, 1]
    assert section_at(walking(), 3.0) == -1


@pytest.mark.parametrize(
    ("sections", "bars", "seconds"),
    [
        ((), 4, 8.0),
        ((section("a", 2, held("", "tempo", 60.0)), section("b", 2)), 4, 12.0),
        ((section("a", 2, held("", "tempo", 60.0)), section("b", 2)), None, 12.0),
        ((section("a", 1), section("b", 1, held("", "tempo", 240.0), then="top")), 5, 8.0),
        ((section("a", 1, held("", "tempo", 60.0), then="again"), section("b", 4)), 3, 12.0),
        ((section("a", 1, then="again"), section("b", 4)), None, 10.0),
        ((section("a", 2, held("", "tempo", 60.0)),), 3, 12.0),
    ],
)
def test_how_long_bars_last_at_the_tempi_of_their_sections(sections, bars, seconds):
    assert run(walking(*sections), bars=bars).end == pytest.approx(seconds)


# -- what holds ------------------------------------------------------------------------------------------


def test_a_section_holds_its_values_from_its_first_step_and_the_next_one_takes_them_back():
    one = walking(section("a", 1), section("b", 1, held("walk", "pattern", 2)), section("c", 1))
    assert pitches(sounded(one, 3 * BAR)) == [60] * 4 + [72] * 4 + [60] * 4


def test_tempo_key_mute_and_bypass_hold():
    chain = strand(stage("transpose", "up", semitones=1), sources=(generator("steps", "walk", params=STEPS),))
    one = project(
        chain,
        sections=(
            section("a", 1, held("", "tempo", 240.0)),
            section("b", 1, held("up", "bypass", True)),
            section("c", 1, held("a", "muted", True)),
        ),
    )
    events = sounded(one, 1.0 + BAR)
    assert pitches(events) == [61] * 4 + [60] * 4
    gaps = [round(b.time - a.time, 5) for a, b in pairwise(events)]
    assert gaps == [0.25] * 4 + [0.5] * 3
    whole = run(one, seconds=1.0 + 2 * BAR)
    assert len(whole.strands["a"]) == 24 and len(whole.instruments) == 16
    assert_whole([event for _, event in whole.instruments])


@pytest.mark.parametrize(
    ("then", "wanted"),
    [("on", [60] * 4 + [72] * 8), ("again", [60] * 4 + [72] * 8), ("top", [60, 60, 60, 60, 72, 72, 72, 72] + [60] * 4)],
)
def test_what_follows_a_section(then, wanted):
    one = walking(section("a", 1), section("b", 1, held("walk", "pattern", 2), then=then))
    assert pitches(sounded(one, 3 * BAR)) == wanted


def test_a_section_after_which_the_transport_stops_rests_at_the_next_one():
    engine = at_work(walking(section("a", 1, then="stop"), section("b", 1, then="stop")))
    engine.play(0.0, 0.0)
    engine.run(5.0)
    assert not engine.clock.playing and engine.clock.beat == 4.0 and engine.sections.place == 1
    assert len(note_ons(engine.graph.outputs.out)) == 4
    assert_whole(engine.graph.outputs.out)
    engine.play(5.0)
    engine.run(9.0)
    assert not engine.clock.playing and engine.clock.beat == 0.0 and engine.sections.place == 0


def test_the_bars_of_a_loop_fall_where_they_would_without_it():
    one = walking(section("a", 1, then="again"), tempo=97.0)
    looped, straight = sounded(one, 40.0), sounded(walking(tempo=97.0), 40.0)
    assert [event.time for event in looped] == pytest.approx([event.time for event in straight], abs=1e-7)


# -- going to one ----------------------------------------------------------------------------------------


def test_a_pad_goes_to_a_section_on_the_next_bar_line_and_a_clip_goes_along():
    clip = Clip(tuple(notes(*range(40, 56), gap=1.0, length=0.5)), 16.0)
    pad = Hookup(id="p", control="note", number=36, action="section", value=3, way="trigger")
    one = project(
        strand(sources=(ClipSource(file="c.mid"),)),
        sections=(section("a", 1), section("b", 1), section("c", 2)),
        hookups=(pad,),
    )
    engine = at_work(one, {"c.mid": clip})
    engine.play(0.0, 0.0)
    engine.feed("surface", note_on(0.7, 0, 36, 90))
    engine.run(1.0)
    assert engine.sections.place == 0 and engine.sections.wanted == 2
    engine.run(BAR + 1.9)
    assert engine.sections.place == 2 and engine.sections.wanted is None
    assert pitches(engine.graph.outputs.out) == [40, 41, 42, 43, 48, 49, 50, 51]
    engine.finish(BAR + 1.9)
    assert_whole(engine.graph.outputs.out)


def test_while_the_transport_stands_a_section_is_gone_to_at_once():
    engine = at_work(walking(section("a", 2), section("b", 2, held("", "tempo", 90.0))))
    engine.sections.go(1, 0.0)
    assert (engine.clock.beat, engine.clock.tempo, engine.sections.place) == (8.0, 90.0, 1)
    engine.sections.go(7, 0.0)
    assert engine.sections.place == 1


def test_next_and_previous_count_from_what_was_asked_for():
    hooks = [
        Hookup(id=way, number=at, action=f"section-{way}", way="trigger")
        for at, way in ((20, "next"), (21, "previous"))
    ]
    engine = at_work(walking(*(section(name, 1) for name in "abcd"), hookups=tuple(hooks)))
    engine.play(0.0, 0.0)
    for number, wanted in ((20, 1), (20, 2), (20, 3), (20, 3), (21, 2)):
        for amount in (127, 0):
            engine.feed(
                "surface", msgspec.structs.replace(note_on(0.1, 0, number, amount or 1), status=0xB0, data2=amount)
            )
            engine.run(0.1)
        assert engine.sections.wanted == wanted


def test_a_strand_that_plays_on_does_not_notice_a_jump():
    on = walking(section("a", 1), section("b", 1), section("c", 1, then="again"), plays_on=True)
    both = msgspec.structs.replace(
        on, strands=(*on.strands, strand(sources=(ClipSource(file="c.mid"),), strand_id="b", destinations=()))
    )
    engine = at_work(both, {"c.mid": Clip(tuple(notes(*range(40, 44), gap=1.0, length=3.0)), 4.0)})
    engine.play(0.0, 0.0)
    engine.run(0.3)
    engine.sections.go(2, 0.3)
    engine.run(3 * BAR)
    struck = [event.time for event in note_ons(engine.graph.outputs.out)]
    assert struck == pytest.approx([0.5 * place for place in range(len(struck))]) and len(struck) >= 11


def test_a_key_that_is_held_sounds_on_across_sections_and_stages_that_hold_notes_let_go():
    one = project(
        strand(stage("transpose", "up", octaves=1)),
        strand(stage("arpeggiator", "arp"), strand_id="b"),
        sections=(section("a", 1, held("up", "octaves", 0)), section("b", 1, held("b", "muted", True), then="top")),
    )
    engine = at_work(one)
    engine.play(0.0, 0.0)
    engine.feed("surface", note_on(0.1, 0, 60, 90))
    engine.run(7.0)
    engine.feed("surface", note_off(7.1, 0, 60))
    engine.run(8.5)
    engine.finish(8.5)
    assert_whole(engine.graph.outputs.out)


# -- what is written -------------------------------------------------------------------------------------


def test_the_tempo_track_of_what_is_rendered_has_every_tempo_so_that_notes_lie_on_their_beats():
    one = walking(
        section("a", 1, held("", "tempo", 90.0)),
        section("b", 2),
        section("c", 1, held("", "tempo", 143.0), then="top"),
        tempo=110.0,
    )
    result = run(one, bars=7)
    seconds = result.end
    course = course_of(result.facts, 0.0, seconds)
    midi = mido.MidiFile(file=io.BytesIO(format_song([Track("a", course.lay(result.strands["a"]))], course)))
    ticks = accumulate(message.time for message in midi.tracks[1])
    struck = [tick for tick, message in zip(ticks, midi.tracks[1], strict=True) if message.type == "note_on"]
    assert struck == [960 * beat for beat in range(28)]
    head = list(zip(accumulate(message.time for message in midi.tracks[0]), midi.tracks[0], strict=True))
    tempi = [(tick // 3840, round(mido.tempo2bpm(m.tempo))) for tick, m in head if m.type == "set_tempo"]
    assert tempi == [(0, 90), (1, 110), (3, 143), (4, 90), (5, 110)]
    assert midi.length == pytest.approx(seconds, abs=0.3)
    markers = [(tick // 3840, m.text) for tick, m in head if m.type == "marker"]
    assert markers == [(0, "A"), (1, "B"), (3, "C"), (4, "A"), (5, "B")]


# -- edits -----------------------------------------------------------------------------------------------


def test_a_value_that_is_edited_in_the_section_that_holds_is_heard_at_once():
    one = walking(section("a", 4, held("", "tempo", 100.0)))
    engine = at_work(one)
    engine.play(0.0, 0.0)
    engine.run(1.0)
    engine.apply(edits.hold(one, "a", held("", "tempo", 150.0)), {}, 1.0)
    assert engine.clock.tempo == 150.0
    engine.apply(edits.let_go(one, "a", "", "tempo"), {}, 1.5)
    assert engine.clock.tempo == 120.0
    engine.apply(edits.remove_section(one, "a"), {}, 1.7)
    assert engine.sections.place == -1


def test_a_section_cut_short_ends_on_the_next_bar_line():
    one = walking(section("a", 8, then="again"))
    engine = at_work(one)
    engine.play(0.0, 0.0)
    engine.run(2.5 * BAR)
    engine.apply(edits.set_section(one, "a", bars=1), {}, 2.5 * BAR)
    engine.run(3 * BAR + 0.1)
    assert engine.clock.beat_at(3 * BAR + 0.1) == pytest.approx(0.2)


def test_what_is_asked_for_is_found_again_after_sections_were_moved():
    one = walking(section("a", 1), section("b", 1), section("c", 1))
    engine = at_work(one)
    engine.play(0.0, 0.0)
    engine.run(0.1)
    engine.sections.go(2, 0.1)
    engine.apply(edits.move_section(one, "c", 1), {}, 0.2)
    assert engine.sections.wanted == 1
    engine.apply(edits.remove_section(one, "c"), {}, 0.3)
    assert engine.sections.wanted is None and engine.sections.due() == pytest.approx(BAR, abs=1e-5)


def test_edits_of_sections():
    one, first = edits.add_section(walking())
    one, second = edits.add_section(one)
    one, third = edits.add_section(one, edits.hold(one, first, held("", "tempo", 90.0)).section(first), 1)
    assert [s.name for s in one.sections] == ["Section 1", "Section 1 2", "Section 2"]
    assert one.section(third).holds == (held("", "tempo", 90.0),)
    one = edits.hold(one, third, held("", "tempo", 80.0))
    assert one.section(third).holds == (held("", "tempo", 80.0),)
    assert edits.let_go(one, third, "", "tempo").section(third).holds == ()
    assert [s.id for s in edits.move_section(one, second, 0).sections] == [second, first, third]
    assert edits.hold(one, "none", held("", "tempo", 1.0)) == edits.move_section(one, "none", 0) == one


# -- files -----------------------------------------------------------------------------------------------


def test_sections_in_files_come_back_and_what_is_gone_stays():
    one = walking(
        section("a", 4, held("walk", "pattern", 2), held("", "key_root", "D"), then="again"),
        section("b", 8, held("gone", "low", "anything")),
    )
    assert parse_project(format_project(one)).sections == one.sections
    engine = at_work(one)
    engine.play(0.0, 16.0)
    assert engine.sections.place == 1


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"bars": 0}, "bars of section “a” cannot be 0: it takes 1 to 128"),
        ({"then": "never"}, "sections[0].then"),
        ({"holds": [{"param": "tempo", "value": "fast"}]}, "section “a”: Tempo (tempo) cannot be “fast”"),
        ({"holds": [{"target": "walk", "param": "pattern", "value": 1}] * 2}, "“pattern of walk” stands twice"),
        ({"colour": "red"}, "unknown key “colour”"),
        ({"id": "b"}, "the section id “b” stands twice"),
    ],
)
def test_bad_sections_are_told(change, words):
    tree = json.loads(format_project(walking(section("a", 1), section("b", 1))))
    tree["sections"][0] |= change
    with pytest.raises(
        FileError, match=".*" + words.replace("(", r"\(").replace(")", r"\)").replace("[", r"\[").replace("]", r"\]")
    ):
        parse_project(json.dumps(tree).encode())


# -- promises --------------------------------------------------------------------------------------------

HOLDS = st.lists(
    st.sampled_from(
        [
            held("", "tempo", 75.0),
            held("", "key_root", "E"),
            held("walk", "pattern", 2),
            held("walk", "bypass", True),
            held("chord", "bypass", True),
            held("up", "octaves", 2),
            held("arp", "rate", "1/32"),
            held("a", "muted", True),
            held("b", "solo", True),
            held("bells", "level_db", -20.0),
        ]
    ),
    unique_by=lambda one: one.place,
    max_size=5,
).map(tuple)
SECTIONS = st.lists(
    st.tuples(st.integers(1, 2), st.sampled_from(["on", "again", "top", "stop"]), HOLDS), min_size=1, max_size=4
)
ACTS = st.lists(
    st.tuples(st.floats(0.0, 0.9), st.sampled_from(["go", "down", "up", "play", "stop", "cut"]), st.integers(0, 3)),
    max_size=14,
)


def lively(rows):
    sections = tuple(
        Section(id=f"s{place}", name=str(place), bars=bars, then=then, holds=holds)
        for place, (bars, then, holds) in enumerate(rows)
    )
    free = strand(
        stage("chord", "chord", offsets=[4, 7]),
        stage("transpose", "up"),
        sources=(generator("steps", "walk", params=STEPS | {"rate": "1/8T"}),),
        plays_on=True,
    )
    played = strand(
        stage("arpeggiator", "arp"), strand_id="b", destinations=(InstrumentDestination(instrument="bells", channel=1),)
    )
    return project(free, played, sections=sections, tempo=200.0)


@given(SECTIONS, ACTS)
def test_whatever_is_done_with_sections_every_note_ends(rows, acts):
    one = lively(rows)
    engine = at_work(one)
    engine.play(0.0, 0.0)
    now = 0.0
    for wait, act, number in acts:
        now += wait
        engine.run(now)
        match act:
            case "go":
                engine.sections.go(number, now)
            case "down" | "up":
                engine.feed(
                    "surface", (note_on(now, 0, 60 + number, 90) if act == "down" else note_off(now, 0, 60 + number))
                )
            case "play":
                engine.play(now)
            case "stop":
                engine.halt(now)
            case "cut":
                engine.apply(msgspec.structs.replace(one, sections=one.sections[:number]), {}, now)
    engine.run(now + 3.0)
    engine.finish(now + 3.0)
    assert_whole(engine.graph.outputs.out)


@given(SECTIONS, st.lists(st.floats(0.01, 0.7), min_size=1, max_size=8))
def test_in_short_runs_sections_sound_as_in_one(rows, cuts):
    one = lively(rows)
    whole, cut = at_work(one), at_work(one)
    whole.play(0.0, 0.0)
    cut.play(0.0, 0.0)
    now = 0.0
    while now < 6.0:
        for step in cuts:
            now += step
            cut.run(now)
    whole.run(now)
    assert cut.graph.outputs.out == whole.graph.outputs.out
