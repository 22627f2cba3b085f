"""Tempi on their way into and through sections, and what sections send and begin anew."""

from __future__ import annotations

import json
import math
import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from arpegon.core.document import edits
from arpegon.core.document.model import Held, Hookup, Section, SectionMessage
from arpegon.core.errors import FileError
from arpegon.core.events import CONTROL, NOTE_ON, PROGRAM, control, note_on
from arpegon.core.notes.course import course_of
from arpegon.core.time.ramp import Ramp
from arpegon.engine.offline import _END as END
from arpegon.engine.offline import run
from arpegon.engine.simulation import Engine
from arpegon.files.midi import Track, read_midi, write_song
from arpegon.files.project import format_project, parse_project
from building import Recording, generator, note_ons, project, strand

BEATS = generator("steps", "s", patterns=[[{"note": 60, "length": 0.1}]], rate="1/4", in_scale=False)


def piece(*sections, **changes):
    return project(strand(sources=(BEATS, *strand().sources)), sections=sections, **{"tempo": 120.0, **changes})


def beat_times(document, seconds):
    return [event.time for event in note_ons([event for _, event in run(document, [], seconds=seconds).instruments])]


def slowing(beat, beats, tempo, to):
    """When a beat falls, from the beginning of a tempo that moves evenly in time: solved by hand."""
    bend = (to**2 - tempo**2) / (120.0 * beats)
    return (math.sqrt(tempo**2 + 120.0 * bend * beat) - tempo) / bend


@given(st.floats(20, 400), st.floats(20, 400), st.floats(0.5, 512))
def test_a_ramp_lasts_as_long_as_at_the_mean_of_its_tempi(tempo, to, beats):
    ramp = Ramp(0.0, beats, tempo, to)
    assert ramp.seconds(0.0, beats) == pytest.approx(120.0 * beats / (tempo + to))
    assert ramp.seconds(0.0, beats / 3) + ramp.seconds(beats / 3, beats) == pytest.approx(ramp.seconds(0.0, beats))
    assert min(tempo, to) - 1e-6 <= ramp.tempo_at(beats / 2) <= max(tempo, to) + 1e-6


def test_every_beat_of_a_section_that_slows_down_falls_where_it_should():
    document = piece(Section(id="a", name="A", bars=4, tempo_to=60.0), Section(id="b", name="B", bars=2))
    found = beat_times(document, seconds=16.0)
    wanted = [slowing(beat, 16, 120, 60) for beat in range(17)]
    assert found[:17] == pytest.approx(wanted, abs=1e-6)
    after = [wanted[-1] + 0.5 * beat for beat in range(1, 8)]
    assert found[17:24] == pytest.approx(after, abs=1e-5), "the next section is at the tempo of the piece"


def test_a_section_comes_to_its_tempo_in_some_bars():
    fast = Section(id="b", name="B", bars=4, tempo_within=2, holds=(Held(param="tempo", value=180.0),))
    document = piece(Section(id="a", name="A", bars=1), fast)
    found = beat_times(document, seconds=8.0)
    wanted = [0.0, 0.5, 1.0, 1.5, *(2.0 + slowing(beat, 8, 120, 180) for beat in range(9))]
    assert found[:13] == pytest.approx(wanted, abs=1e-5)
    assert found[13] - found[12] == pytest.approx(60 / 180)


def test_into_and_through_follow_one_another():
    section = Section(
        id="b", name="B", bars=4, tempo_within=1, tempo_to=60.0, holds=(Held(param="tempo", value=200.0),)
    )
    found = beat_times(piece(Section(id="a", name="A", bars=1), section), seconds=10.0)
    into = [2.0 + slowing(beat, 4, 120, 200) for beat in range(5)]
    through = [into[-1] + slowing(beat, 12, 200, 60) for beat in range(1, 13)]
    assert found[4:21] == pytest.approx([*into, *through], abs=1e-5)


def test_a_repeated_section_slows_down_each_time_and_its_render_is_as_long_as_it_is():
    again = piece(Section(id="a", name="A", bars=2, tempo_to=60.0, then="again"))
    found = beat_times(again, seconds=12.0)
    whole = 120.0 * 8 / 180.0
    assert found[8] == pytest.approx(whole, abs=1e-5) and found[16] == pytest.approx(2 * whole, abs=1e-4)
    assert [run(again, bars=bars).end for bars in (2, 4)] == pytest.approx([whole, 2 * whole])
    assert run(again).end == pytest.approx(whole)


def test_what_is_exported_lies_on_its_beats(tmp_path):
    document = piece(Section(id="a", name="A", bars=4, tempo_to=70.0), Section(id="b", name="B", bars=2))
    result = run(document, [], seconds=14.0)
    course = course_of(result.facts, 0.0, 14.0)
    write_song(tmp_path / "a.mid", [Track("a", course.lay(result.strands["a"]))], course)
    beats = [event.time for event in read_midi(tmp_path / "a.mid").events if event.kind == NOTE_ON]
    assert len(beats) > 20 and beats == pytest.approx(list(range(len(beats))), abs=2 / 960)


def test_from_the_middle_it_has_the_tempo_of_there():
    out = Recording()
    engine = Engine(out)
    engine.apply(piece(Section(id="a", name="A", bars=4, tempo_to=60.0)), {}, 0.0)
    engine.play(0.0, 8.0)
    engine.run(5.0)
    start = slowing(8, 16, 120, 60)
    wanted = [slowing(beat, 16, 120, 60) - start for beat in range(8, 13)]
    assert [event.time for event in note_ons(out.out)][:5] == pytest.approx(wanted, abs=1e-6)


def test_a_tempo_that_is_turned_on_the_way_stays_where_it_was_put():
    hookup = Hookup(id="h", number=20, param="tempo", out_low=20.0, out_high=274.0)
    document = edits.set_project(piece(Section(id="a", name="A", bars=8, tempo_to=60.0)), hookups=(hookup,))
    engine = Engine(Recording())
    engine.apply(document, {}, 0.0)
    engine.play(0.0, 0.0)
    engine.run(1.0)
    engine.feed("surface", control(1.0, 0, 20, 40))
    engine.run(3.0)
    assert engine.clock.tempo == 100.0


def test_an_edit_on_the_way_changes_nothing_of_it():
    fast = Section(id="a", name="A", bars=8, tempo_within=4, holds=(Held(param="tempo", value=60.0),))
    document = piece(Section(id="i", name="I", bars=1), fast)
    found = []
    for edited in (False, True):
        out = Recording()
        engine = Engine(out)
        engine.apply(document, {}, 0.0)
        engine.play(0.0, 0.0)
        engine.run(4.0)
        if edited:
            engine.apply(edits.set_strand(document, "a", name="Other"), {}, 4.0)
        engine.run(9.0)
        found.append([event.time for event in note_ons(out.out)])
    assert found[0] == pytest.approx(found[1], abs=1e-6) and len(found[0]) > 12


@settings(max_examples=30, deadline=None)
@given(
    st.lists(st.tuples(st.integers(1, 3), st.integers(0, 3), st.none() | st.floats(50, 250)), min_size=1, max_size=4),
    st.integers(0, 2**16),
)
def test_live_is_offline_on_any_way(rows, seed):
    sections = tuple(
        Section(id=f"s{place}", name="S", bars=bars, tempo_within=within, tempo_to=to)
        for place, (bars, within, to) in enumerate(rows)
    )
    document, draw = piece(*sections), random.Random(seed)
    out = Recording()
    engine = Engine(out)
    engine.apply(document, {}, 0.0)
    engine.play(0.0, 0.0)
    now, seconds = 0.0, 9.0
    while now < seconds - END:
        now = min(seconds - END, now + draw.random() * 0.3)
        engine.run(now)
    engine.stop(seconds)
    engine.run(seconds)
    engine.finish(seconds)
    assert [event for _, event in run(document, [], seconds=seconds).instruments] == out.out


# -- what a section sends, and begins anew -----------------------------------------------------------


def test_a_section_sends_programs_and_controllers_when_it_begins():
    sends = (
        SectionMessage(strand="a", kind="program", channel=2, number=5, bank=129),
        SectionMessage(strand="a", kind="cc", number=7, value=90),
        SectionMessage(strand="gone", number=1),
    )
    document = piece(Section(id="a", name="A", bars=1), Section(id="b", name="B", bars=1, sends=sends))
    result = run(document, [], seconds=3.9)
    sent = [event for event in result.strands["a"] if event.kind in (CONTROL, PROGRAM)]
    assert [(event.time, event.status, event.data1, event.data2) for event in sent] == [
        (2.0, 0xB0 | 2, 0, 1),
        (2.0, 0xB0 | 2, 32, 1),
        (2.0, 0xC0 | 2, 5, 0),
        (2.0, 0xB0, 7, 90),
    ], "and it is kept with what leaves the strand"
    heard = [event for _, event in result.instruments]
    assert heard.index(next(event for event in heard if event.kind == PROGRAM)) < heard.index(
        next(event for event in heard if event.time >= 2.0 and event.kind == NOTE_ON)
    ), "before the first note"


@pytest.mark.parametrize(
    ("anew", "notes"), [(True, [60, 61, 62, 60, 60, 61, 62, 60]), (False, [60, 61, 62] * 2 + [60, 61])]
)
def test_a_generator_begins_with_each_section_or_goes_on(anew, notes):
    ring = [{"note": 60}, {"note": 61}, {"note": 62}]
    walk = generator("steps", "s", patterns=[ring], rate="1/4", in_scale=False, with_section=anew)
    sections = (Section(id="a", name="A", bars=1), Section(id="b", name="B", bars=1))
    document = project(strand(sources=(walk,)), sections=sections)
    result = run(document, [], seconds=4.0)
    assert [event.data1 for event in note_ons(result.strands["a"])] == notes


def test_tempi_and_messages_of_sections_are_saved_with_channels_from_1_and_checked():
    sends = (
        SectionMessage(strand="a", channel=0, number=5),
        SectionMessage(strand="a", kind="cc", channel=15, number=7, value=9),
    )
    document = piece(Section(id="s", name="S", tempo_within=2, tempo_to=66.5, sends=sends))
    written = format_project(document)
    assert b'"channel": 16' in written and parse_project(written) == document
    for changes, words in (
        ({"tempo_to": 5.0}, "tempo_to of section"),
        ({"tempo_within": -1}, "tempo_within of section"),
        ({"sends": [{"strand": "a", "number": 128}]}, "number of what section"),
        ({"sends": [{"strand": "a", "channel": 17}]}, "channels run from 1 to 16"),
        ({"sends": [{"strand": "a", "bank": 99_999}]}, "bank of what section"),
        ({"sends": [{"strand": "a", "kind": "bend"}]}, "bend"),
    ):
        tree = json.loads(written)
        tree["sections"][0] |= changes
        with pytest.raises(FileError, match=words):
            parse_project(json.dumps(tree).encode())


def test_a_held_value_may_be_one_step_of_a_pattern():
    document = piece(Section(id="s", name="S", holds=(Held(target="s", param="patterns.1.1.note", value=72),)))
    assert parse_project(format_project(document)) == document
    assert {event.data1 for event in note_ons(run(document, [], seconds=2.0).strands["a"])} == {72}


def test_a_jump_of_the_tempo_makes_nothing_due_before_it():
    """Beads that are on their way would have met their walls already at the new tempo: they do so now."""
    beads = generator("rebound", "s", starts="key", speed=0.7, beads=3)
    hookup = Hookup(id="h", number=20, param="tempo", out_low=60.0, out_high=180.0)
    one = project(strand(sources=(beads, *strand().sources)), hookups=(hookup,), tempo=60.0)
    turns = [1.0 + 0.0937 * step for step in range(30)]
    found = []
    for cuts in ([], [place / 97 for place in range(500)]):
        out = Recording()
        engine = Engine(out)
        engine.apply(one, {}, 0.0)
        engine.play(0.0, 0.0)
        engine.feed("surface", note_on(0.1, 0, 60, 90))
        for time in sorted([*turns, *cuts]):
            if time in turns:
                engine.feed("surface", control(time, 0, 20, 127 * (turns.index(time) % 2)))
            engine.run(time)
        engine.run(5.5)
        found.append([(one.time, one.data1) for one in note_ons(out.out)])
    assert found[0] == found[1] and len(found[0]) > 5
