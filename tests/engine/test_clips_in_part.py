"""Clips by their ids: parts of files, muted, started and stopped by actions."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.document import edits
from arpegon.core.document.model import ClipSource, Hookup
from arpegon.core.document.path_check import Surroundings
from arpegon.core.errors import FileError
from arpegon.core.events import NOTE_ON, SUSTAIN, bend, control, note_off, note_on
from arpegon.engine.performance.players import part_of
from arpegon.engine.simulation import Engine
from arpegon.files.midi import Clip
from arpegon.files.project import format_project, parse_project
from arpegon.processors.actions import actions_on
from arpegon.processors.facts import check_piece
from arpegon.processors.targets import name_of
from building import Recording, assert_whole, note_ons, project, strand

EIGHT = Clip(
    tuple(
        event for beat in range(8) for event in (note_on(beat, 0, 60 + beat, 90), note_off(beat + 0.5, 0, 60 + beat))
    ),
    8.0,
)
CLIPS = {"tune.mid": EIGHT}


def tune(**values):
    return ClipSource(id="tune", file="tune.mid", **values)


def at_work(source, hookups=(), clips=None):
    document = project(strand(sources=(source, *strand().sources)), hookups=hookups)
    out = Recording()
    engine = Engine(out)
    engine.apply(document, clips or CLIPS, 0.0)
    return document, engine, out


def heard(out):
    return [(round(event.time, 4), event.data1) for event in note_ons(out.out)]


def press(engine, time, number=20):
    engine.feed("surface", control(time, 0, number, 127))
    engine.run(time)


def test_a_part_of_a_file_goes_round_and_round():
    _, engine, out = at_work(tune(first=2.0, beats=3.0))
    engine.play(0.0, 0.0)
    engine.run(2.9)
    assert heard(out) == [(0.0, 62), (0.5, 63), (1.0, 64), (1.5, 62), (2.0, 63), (2.5, 64)]


@given(
    st.lists(st.tuples(st.integers(0, 30), st.integers(58, 62), st.integers(1, 12)), max_size=10),
    st.integers(0, 28),
    st.none() | st.integers(1, 40),
)
def test_notes_of_a_part_begin_in_it_and_end_in_it(rows, first, beats):
    events = [
        event
        for start, note, length in rows
        for event in (note_on(start / 4, 0, note, 90), note_off((start + length) / 4, 0, note))
    ]
    events.sort(key=lambda event: (event.time, event.kind))
    whole = Clip(tuple(events), 12.0, ((0.0, 100.0), (3.0, 80.0)))
    part = part_of(whole, first / 4, None if beats is None else beats / 4)
    assert all(0.0 <= event.time <= part.beats for event in part.events)
    ons = [event for event in part.events if event.kind == NOTE_ON]
    wanted = [event for event in events if event.kind == NOTE_ON and first / 4 <= event.time < first / 4 + part.beats]
    assert [(event.time + first / 4, event.data1) for event in ons] == [(one.time, one.data1) for one in wanted]
    assert len(ons) == len(part.events) - len(ons)
    assert part.tempos[0] == (0.0, 100.0 if first < 12 else 80.0)


def test_a_pedal_that_is_down_as_a_part_begins_is_down_in_it_and_comes_up_with_it():
    events = (control(0.0, 1, 66, 99), control(1.0, 0, SUSTAIN, 127), note_on(1.0, 0, 60, 90), note_off(1.5, 0, 60))
    part = part_of(Clip((*events, control(3.5, 0, SUSTAIN, 0)), 4.0), 1.0, 2.0)
    assert part.events == (
        control(0.0, 1, 66, 99),
        control(0.0, 0, SUSTAIN, 127),
        note_on(0.0, 0, 60, 90),
        note_off(0.5, 0, 60),
        control(2.0, 0, SUSTAIN, 0),
        control(2.0, 1, 66, 0),
    )
    assert part_of(Clip((*events, control(3.5, 0, SUSTAIN, 0)), 4.0), 3.0, 1.0).events == (
        control(0.0, 1, 66, 99),
        control(0.0, 0, SUSTAIN, 127),
        control(0.5, 0, SUSTAIN, 0),
        control(1.0, 1, 66, 0),
    )


def test_a_part_that_ends_bent_begins_each_round_as_it_did_the_first():
    clip = Clip((bend(0.5, 0, 900), note_on(1.0, 0, 60, 90), note_off(1.5, 0, 60), bend(2.0, 0, 50)), 4.0)
    assert part_of(clip, 0.0, 1.75).events == (*clip.events[:-1], bend(1.75, 0, 0))
    assert part_of(clip, 1.5, 0.25).events == (bend(0.0, 0, 900), bend(0.25, 0, 0))


def test_a_knob_moves_the_loop_and_a_pad_mutes_it():
    hookups = (
        Hookup(id="a", number=20, target="tune", param="first", out_low=0.0, out_high=4.0),
        Hookup(id="b", number=21, target="tune", param="muted", way="toggle"),
    )
    _, engine, out = at_work(tune(beats=1.0), hookups)
    engine.play(0.0, 0.0)
    press(engine, 1.2)
    press(engine, 2.2, 21)
    engine.run(3.0)
    assert heard(out) == [(0.0, 60), (0.5, 60), (1.0, 60), (1.5, 64), (2.0, 64)]
    assert_whole(out.out[:-1] if out.out[-1].kind == NOTE_ON else out.out)
    assert engine.graph.sounding == 0


@pytest.mark.parametrize(
    ("rule", "line"), [({"change": "now"}, 1.2), ({"change": "beat"}, 1.5), ({"change": "bar"}, 2.0)]
)
def test_an_action_starts_it_for_so_many_rounds_on_its_line(rule, line):
    start = Hookup(id="a", number=20, target="tune", action="start", way="trigger")
    _, engine, out = at_work(tune(starts="action", beats=2.0, rounds=2, **rule), (start,))
    engine.play(0.0, 0.0)
    press(engine, 1.2)
    engine.run(8.0)
    assert heard(out) == [(round(line + 0.5 * beat, 4), 60 + beat % 2) for beat in range(4)]
    assert not engine.is_on("tune")
    press(engine, 8.1)
    engine.run(10.3)
    assert len(heard(out)) > 4, "and again"


def test_it_is_started_and_stopped_by_one_pad_and_its_notes_end():
    one = Hookup(id="a", number=20, target="tune", action="start-stop", way="trigger")
    _, engine, out = at_work(tune(starts="action", change="now"), (one,))
    engine.play(0.0, 0.0)
    press(engine, 0.3)
    press(engine, 0.9)
    engine.run(3.0)
    assert heard(out) == [(0.3, 60), (0.8, 61)] and engine.graph.sounding == 0
    assert_whole(out.out)


def test_what_is_started_while_the_transport_stands_begins_with_it():
    one = Hookup(id="a", number=20, target="tune", action="start", way="trigger")
    _, engine, out = at_work(tune(starts="action"), (one,))
    press(engine, 0.3)
    assert engine.is_on("tune") and heard(out) == []
    engine.play(1.0, 0.0)
    engine.run(1.6)
    assert heard(out) == [(1.0, 60), (1.5, 61)]


def test_a_copy_of_a_strand_has_a_clip_of_its_own():
    document, _, _ = at_work(tune())
    copy, _ = edits.insert_strand(document, document.strands[0], document.instruments)
    ids = [source.id for one in copy.strands for source in one.sources if isinstance(source, ClipSource)]
    assert len(set(ids)) == 2 and parse_project(format_project(copy)) == copy
    assert edits.fresh_clip(copy).id not in ids


def test_it_has_a_name_actions_and_a_place_in_the_check():
    document, _, _ = at_work(tune(starts="action"))
    assert name_of(document, "tune") == "clip tune in A" and set(actions_on(document, "tune")) >= {"start", "halt"}
    alone = edits.set_strand(document, "a", sources=(tune(starts="action"),))
    (found,) = check_piece(alone, Surroundings())
    assert "no hookup starts it" in found.reason
    (found,) = check_piece(edits.set_strand(document, "a", sources=(tune(muted=True),)), Surroundings())
    assert "is muted" in found.reason


def test_clips_of_earlier_versions_get_ids_that_nothing_else_has():
    source = {"kind": "clip", "file": "a.mid"}
    tree = {
        "format": "arpegon-project",
        "version": 2,
        "strands": [
            {"id": "a", "name": "A", "sources": [source, source], "stages": [{"id": "clip-1", "kind": "thin"}]}
        ],
    }
    read = parse_project(json.dumps(tree).encode())
    assert [one.id for one in read.strands[0].sources] == ["clip-2", "clip-3"]


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"first": -1.0}, "first of a clip"),
        ({"beats": 0.0}, "beats of a clip"),
        ({"rounds": 65}, "rounds of a clip"),
        ({"starts": "never"}, "starts"),
    ],
)
def test_what_cannot_be_is_said(changes, words):
    document, _, _ = at_work(tune())
    tree = json.loads(format_project(document))
    tree["strands"][0]["sources"][0] |= changes
    with pytest.raises(FileError, match=words):
        parse_project(json.dumps(tree).encode())
    tree = json.loads(format_project(document))
    tree["strands"].append({**tree["strands"][0], "id": "b", "name": "B"})
    with pytest.raises(FileError, match="tune"):
        parse_project(json.dumps(tree).encode())
