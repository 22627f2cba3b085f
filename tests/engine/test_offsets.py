"""Time per strand and destination: early ones make all others wait, and what is kept lies where it was meant."""

from __future__ import annotations

import random
from collections import defaultdict

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from arpegon.core.document import edits
from arpegon.core.document.model import ClockSettings, Hookup, InstrumentDestination, PortDestination
from arpegon.core.errors import FileError
from arpegon.core.events import NOTE_ON, SYSEX, control, note_off, note_on
from arpegon.engine.offline import _END as END
from arpegon.engine.offline import run
from arpegon.engine.simulation import Engine
from arpegon.files.project import format_project, parse_project
from building import Quiet, assert_whole, generator, note_ons, project, stage, strand

ONE = [[{"note": 60, "length": 0.5}]]


def beats(strand_id, **changes):
    source = generator("steps", f"s-{strand_id}", patterns=ONE, rate="1/4", in_scale=False)
    port = (PortDestination(port=strand_id),)
    return strand(strand_id=strand_id, **{"sources": (source,), "destinations": port, **changes})


class Ports(Quiet):
    """What each port and instrument got, and what was printed as leaving each strand."""

    def __init__(self):
        self.sent = defaultdict(list)
        self.out = defaultdict(list)

    def port(self, name, events):
        self.sent[name] += events

    def instrument(self, name, events):
        self.sent[name] += events

    def printed(self, strand_id, places, events):
        if "out" in places:
            self.out[strand_id] += events


def at_work(document, seconds=None):
    out = Ports()
    engine = Engine(out)
    engine.apply(document, {}, 0.0)
    engine.play(0.0, 0.0)
    if seconds is not None:
        engine.run(seconds)
    return engine, out


def times(events):
    return [round(event.time, 4) for event in note_ons(events)]


def test_a_late_strand_is_late_and_the_others_are_not():
    _, out = at_work(project(beats("a"), beats("b", offset_ms=30.0)), 1.2)
    assert times(out.sent["a"]) == [0.0, 0.5, 1.0] and times(out.sent["b"]) == [0.03, 0.53, 1.03]
    assert times(out.out["b"]) == [0.03, 0.53, 1.03], "kept as it was heard"


def test_an_early_strand_makes_all_others_wait_and_is_kept_early():
    engine, out = at_work(project(beats("a"), beats("b", offset_ms=-20.0)), 1.2)
    assert engine.graph.lead == pytest.approx(0.02)
    assert times(out.sent["a"]) == [0.02, 0.52, 1.02] and times(out.sent["b"]) == [0.0, 0.5, 1.0]
    assert times(out.out["a"]) == [0.0, 0.5, 1.0] and times(out.out["b"]) == [0.0, 0.48, 0.98], "none before the start"


def test_an_offset_in_note_values_follows_the_tempo():
    hookup = Hookup(id="h", number=20, param="tempo", out_low=20.0, out_high=274.0)
    one = project(beats("a", sources=(*beats("a").sources, *strand().sources), offset="1/16"), hookups=(hookup,))
    engine, out = at_work(one, 1.1)
    engine.feed("surface", control(1.2, 0, 20, 20))  # 60 a minute
    engine.run(3.5)
    assert times(out.sent["a"])[:3] == [0.125, 0.625, 1.125]
    assert times(out.sent["a"])[3] == pytest.approx(1.2 + 0.6 + 0.25)
    early, out = at_work(project(beats("a"), beats("b", offset="-1/16")), 1.0)
    assert early.graph.lead == 0.125 and times(out.sent["a"])[0] == 0.125 and times(out.sent["b"])[0] == 0.0


def test_a_destination_waits_for_a_slow_one_and_that_is_not_kept():
    both = (PortDestination(port="quick", delay_ms=40.0), PortDestination(port="slow"))
    _, out = at_work(project(beats("a", destinations=both)), 0.9)
    assert times(out.sent["quick"]) == [0.04, 0.54] and times(out.sent["slow"]) == [0.0, 0.5]
    assert times(out.out["a"]) == [0.0, 0.5]


def test_clocks_and_takes_wait_with_all_others():
    document = project(beats("a"), beats("b", offset_ms=-50.0), clock=ClockSettings(send=("Box",)))
    engine, out = at_work(document)
    engine.takes.play({"a": [note_on(0.1, 0, 72, 90), note_off(0.2, 0, 72)]}, 0.0)
    engine.run(0.6)
    ticks = [event.time for event in out.sent["Box"] if event.status == SYSEX]
    assert ticks[0] == pytest.approx(0.05) and len(ticks) > 20
    assert next(event.time for event in note_ons(out.sent["a"]) if event.data1 == 72) == pytest.approx(0.15)


def test_a_strand_that_takes_from_a_late_one_is_not_late():
    from arpegon.core.document.model import StrandSource

    taker = strand(strand_id="t", sources=(StrandSource(strand="b"),), destinations=(PortDestination(port="t"),))
    _, out = at_work(project(beats("b", offset_ms=100.0), taker), 0.3)
    assert times(out.sent["t"]) == [0.0] and times(out.sent["b"]) == [0.1]


def test_all_off_ends_what_sounds_and_forgets_what_waits():
    engine, out = at_work(project(beats("a", offset_ms=200.0), beats("b", offset_ms=-100.0)), 0.62)
    engine.all_off(0.63)
    engine.run(3.0)
    for name in ("a", "b"):
        notes_only = [event for event in out.sent[name] if event.kind in (NOTE_ON, 0x80)]
        assert_whole(notes_only)
        assert max(event.time for event in notes_only) <= 0.63
        assert_whole(out.out[name])
    assert engine.next_due() == float("inf")


def test_less_delay_while_a_note_waits_keeps_them_in_order():
    document = project(strand(offset_ms=400.0, destinations=(PortDestination(port="a"),)))
    engine, out = at_work(document)
    engine.feed("surface", note_on(0.1, 0, 60, 90))
    engine.run(0.2)
    engine.apply(edits.set_strand(document, "a", offset_ms=0.0), {}, 0.2)
    engine.feed("surface", note_off(0.3, 0, 60))
    engine.feed("surface", note_on(0.9, 0, 62, 90))
    engine.run(1.0)
    assert [(round(event.time, 3), event.kind, event.data1) for event in out.sent["a"]] == [
        (0.5, NOTE_ON, 60),
        (0.5, 0x80, 60),
        (0.9, NOTE_ON, 62),
    ]


def test_a_render_is_as_long_as_it_takes_and_lies_on_the_beat():
    result = run(project(beats("a"), beats("b", offset_ms=-20.0)), [], seconds=1.0)
    assert times(result.strands["a"]) == [0.0, 0.5] and times(result.strands["b"]) == [0.0, 0.48]
    late = run(project(beats("a", offset_ms=300.0)), [], seconds=1.0)
    assert times(late.strands["a"]) == [0.3, 0.8]
    assert_whole(late.ports["a"])


def test_two_destinations_that_fade_the_other_way_round_are_a_crossfade():
    goals = (
        PortDestination(port="soft", silent_at=100, full_at=40),
        PortDestination(port="loud", silent_at=40, full_at=100),
    )
    engine, out = at_work(project(strand(destinations=goals)))
    for place, velocity in enumerate((10, 40, 70, 100, 127)):
        engine.feed("surface", note_on(0.1 + place, 0, 60, velocity))
        engine.feed("surface", note_off(0.6 + place, 0, 60))
    engine.run(6.0)
    heard = {
        name: {round(event.time - 0.1): event.data2 for event in note_ons(out.sent[name])} for name in ("soft", "loud")
    }
    assert heard == {"soft": {0: 10, 1: 40, 2: 49}, "loud": {2: 49, 3: 100, 4: 127}}
    for sent in out.sent.values():
        assert_whole(sent)


def test_a_fade_that_changes_while_a_note_sounds_ends_it():
    document = project(strand(destinations=(PortDestination(port="p", silent_at=1, full_at=127),)))
    engine, out = at_work(document)
    engine.feed("surface", note_on(0.1, 0, 60, 90))
    engine.run(0.2)
    ends = (PortDestination(port="p", silent_at=127, full_at=100),)
    engine.apply(edits.set_strand(document, "a", destinations=ends), {}, 0.2)
    engine.feed("surface", note_off(0.3, 0, 60))
    engine.feed("surface", note_on(0.4, 0, 62, 127))
    engine.feed("surface", note_off(0.5, 0, 62))
    engine.run(1.0)
    assert [(event.time, event.data1) for event in out.sent["p"]] == [(0.1, 60), (0.3, 60)]


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"offset_ms": 501.0}, "offset_ms of “A”"),
        ({"offset": "sideways"}, "offset of “A”.*note value"),
        ({"offset": "-2 bars"}, "longer than 4 quarter notes"),
        ({"destinations": (PortDestination(delay_ms=-1.0),)}, "delay_ms of a destination of “A”"),
        ({"destinations": (PortDestination(silent_at=3),)}, "belong together"),
        ({"destinations": (PortDestination(silent_at=3, full_at=3),)}, "must not be the same"),
        ({"destinations": (PortDestination(silent_at=3, full_at=128),)}, "full_at of a destination of “A”"),
    ],
)
def test_what_cannot_be_is_said(changes, words):
    with pytest.raises(FileError, match=words):
        parse_project(format_project(project(strand(**changes))))


def test_offsets_are_saved_and_left_out_where_there_are_none():
    document = project(strand(offset_ms=-12.5, offset="-1/32", destinations=(PortDestination(delay_ms=3.0),)))
    assert parse_project(format_project(document)) == document
    assert b"offset" not in format_project(project(strand())) and b"delay" not in format_project(project(strand()))
    assert (
        parse_project(format_project(project(strand(offset=" − 1/16 ".replace(" ", ""))))).strands[0].offset == "-1/16"
    )


ends = st.builds(
    PortDestination, port=st.sampled_from(["p", "q"]), delay_ms=st.sampled_from([0.0, 7.0, 120.0])
) | st.just(InstrumentDestination(instrument="bells", channel=0))
pasts = st.sampled_from([0.0, -500.0, -35.0, 20.0, 500.0])
moves = st.lists(
    st.tuples(st.sampled_from(["offset", "value", "mute", "stage", "tempo", "off", "gone", "stop"]), pasts), max_size=8
)


@settings(max_examples=120, deadline=None)
@given(st.lists(pasts, min_size=2, max_size=3), st.lists(ends, min_size=1, max_size=2), moves, st.integers(0, 2**16))
def test_whatever_is_moved_meanwhile_every_note_ends_in_order(offsets, goals, changes, seed):
    draw = random.Random(seed)
    strands = [
        strand(
            stage("chord", f"c{place}", offsets=[7]), strand_id=f"n{place}", offset_ms=past, destinations=tuple(goals)
        )
        for place, past in enumerate(offsets)
    ]
    document = project(*strands)
    engine, out = at_work(document)
    now = 0.0
    for change, past in [*changes, ("offset", 0.0)]:
        for _ in range(3):
            now += draw.random() * 0.2
            note = draw.randint(50, 70)
            engine.feed("surface", note_on(now, 0, note, 90) if draw.random() < 0.6 else note_off(now, 0, note))
            engine.run(now)
        name = f"n{draw.randrange(len(offsets))}"
        if change == "offset" and document.strand(name):
            document = edits.set_strand(document, name, offset_ms=past)
        elif change == "value" and document.strand(name):
            document = edits.set_strand(document, name, offset=draw.choice(["", "1/16", "-1/8"]))
        elif change == "mute" and document.strand(name):
            document = edits.set_strand(document, name, muted=not document.strand(name).muted)
        elif change == "stage":
            document = edits.set_bypass(document, f"c{name[1:]}", draw.random() < 0.5)
        elif change == "gone":
            document = edits.remove_strand(document, name)
        elif change == "tempo":
            document = edits.set_project(document, tempo=draw.choice([40.0, 250.0]))
        elif change == "off":
            engine.all_off(now)
        elif change == "stop":
            engine.stop(now)
        engine.apply(document, {}, now)
    engine.finish(now + 2.0)
    for sent in (*out.sent.values(), *out.out.values()):
        assert_whole([event for event in sent if event.kind in (NOTE_ON, 0x80)])
    assert engine.graph.sounding == 0


@settings(max_examples=60, deadline=None)
@given(st.lists(pasts, min_size=1, max_size=3), st.integers(0, 2**16))
def test_live_is_offline_with_any_offsets(offsets, seed):
    strands = [beats(f"n{place}", offset_ms=past) for place, past in enumerate(offsets)]
    document, draw = project(*strands), random.Random(seed)
    engine, out = at_work(document)
    now = 0.0
    while now < 3.0 - END:
        now = min(3.0 - END, now + draw.random() * 0.3)
        engine.run(now)
    engine.stop(3.0)
    end = 3.0 + engine.graph.longest_delay
    engine.run(3.0)
    engine.run(end)
    engine.finish(end)
    result = run(document, [], seconds=3.0)
    lead = engine.graph.lead
    meant = {name: [event.at(max(0.0, event.time - lead)) for event in events] for name, events in out.sent.items()}
    assert meant == result.ports and dict(out.out) == result.strands
