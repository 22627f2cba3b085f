"""Words on the board and in the readout."""

from __future__ import annotations

import pytest

from arpegon.core.document import edits
from arpegon.core.document.model import (
    AudioSource,
    ClipSource,
    Hookup,
    InstrumentDestination,
    MidiSource,
    PortDestination,
    Stage,
    StrandDestination,
    StrandSource,
    SurfaceSource,
)
from arpegon.core.events import Event, bend, control, note_off, note_on, pressure
from arpegon.core.theory.pitch import SHARP_NAMES
from arpegon.engine.wire.protocol import Passed
from arpegon.ui.bench.bench import place_words
from arpegon.ui.bench.readout import event_words, row_words, short_name
from arpegon.ui.model.hookup_words import in_own_words
from arpegon.ui.model.words import destination_words, port_words, source_words, zone_words
from building import project, stage, strand

NOW = project(strand(stage("chord", "c")), strand(strand_id="b"))


@pytest.mark.parametrize(
    ("source", "words"),
    [
        (SurfaceSource(), ("Play surface", "")),
        (SurfaceSource(low_key=48, high_key=72), ("Play surface", "C3–C5")),
        (SurfaceSource(low_key=48), ("Play surface", "from C3")),
        (SurfaceSource(high_key=47, low_velocity=90), ("Play surface", "up to B2 · vel 90–127")),
        (MidiSource(channel=9), ("All MIDI inputs", "ch 10")),
        (MidiSource(port="Keys:Keys"), ("Keys", "")),
        (ClipSource(), ("Clip: choose a file", "clip, round")),
        (ClipSource(file="fog-bank.mid", loop=False), ("Fog bank", "clip, once")),
        (StrandSource(strand="a", after="c"), ("from A", "after Chord")),
        (StrandSource(strand="x"), ("from a strand that is gone", "")),
        (AudioSource(id="e"), ("Audio input", "pitch E2–E5")),
        (AudioSource(id="e", file="stand-in:crate-taps", listen="hits"), ("Crate taps", "hits → D2")),
    ],
)
def test_sources_in_words(source, words):
    assert source_words(NOW, source) == words
    assert isinstance(zone_words(source), str)


@pytest.mark.parametrize(
    ("destination", "words"),
    [
        (InstrumentDestination(instrument="bells", channel=0), ("Glass bells", "ch 1")),
        (InstrumentDestination(instrument="harp"), ("No instrument", "")),
        (PortDestination(), ("Arpegon out", "")),
        (PortDestination(port="Synth:MIDI 1", muted=True), ("Synth: MIDI 1", "muted")),
        (StrandDestination(strand="b", channel=2), ("into B", "ch 3")),
        (StrandDestination(strand="x"), ("into a strand that is gone", "")),
    ],
)
def test_destinations_in_words(destination, words):
    assert destination_words(NOW, destination) == words


def test_ports_do_not_say_their_name_twice():
    assert [port_words(name) for name in ("Keys:out", "Keys:keys", "Keys", "Keys:B")] == [
        "Keys",
        "Keys",
        "Keys",
        "Keys: B",
    ]


@pytest.mark.parametrize(
    ("event", "words"),
    [
        (note_on(0, 0, 60, 90), ("C4", "90")),
        (note_off(0, 0, 61, 3), ("C♯4 off", "3")),
        (control(0, 0, 74, 5), ("CC 74 brightness", "5")),
        (control(0, 0, 3, 5), ("CC 3", "5")),
        (bend(0, 0, -100), ("bend", "-100")),
        (pressure(0, 0, 9), ("pressure", "9")),
        (Event(0, 0xA0, 60, 7), ("C4 press", "7")),
        (Event(0, 0xC0, 12), ("program", "12")),
        (Event(0, 0xF0, payload=b"\xf0\x01\xf7"), ("sysex", "3 bytes")),
    ],
)
def test_events_in_words(event, words):
    assert event_words(event, SHARP_NAMES) == words


def test_rows_say_what_became_of_an_event():
    struck = note_on(0, 0, 60, 90)
    chord = [struck, note_on(0, 0, 64, 45)]
    assert row_words(Passed("s", None, struck, [struck]), SHARP_NAMES) == ("C4", "90", "the same stroke", "90")
    assert row_words(Passed("s", None, struck, chord), SHARP_NAMES) == ("C4", "90", "C4 E4", "90 45")
    assert row_words(Passed("s", None, struck, []), SHARP_NAMES) == ("C4", "90", "nothing came out", "")
    assert row_words(Passed("s", None, None, chord), SHARP_NAMES) == ("made here", "", "C4 E4", "90 45")
    moved = [control(0, 0, 1, value) for value in (5, 9)]
    assert row_words(Passed("s", None, None, moved), SHARP_NAMES) == ("made here", "", "CC 1 modulation", "5 9")
    assert row_words(Passed("s", None, control(0, 0, 4, 7), moved), SHARP_NAMES)[2:] == ("CC 1 modulation", "5 9")
    assert short_name(moved[0]) == "CC 1" and short_name(struck) == ""
    ended = note_off(1, 0, 60, 5)
    assert row_words(Passed("s", None, ended, [ended, note_off(1, 0, 64, 5)]), SHARP_NAMES)[2:] == ("C4 E4", "5")


def test_the_place_of_a_stage_in_words():
    one = NOW.strands[0]
    assert place_words(one, 0) == "in A, its only stage"
    now = NOW
    for _ in range(11):
        now, _stage = edits.add_stage(now, "a", "scale")
    longest = now.strands[0]
    assert place_words(longest, 2) == "in A, third of 12"
    assert place_words(longest, 11) == "in A, number 12 of 12"


def test_captions_name_controllers_as_their_musician_does(window, strand, qtbot):
    session = window.session
    stage = Stage(id="c", kind="convert", params={"to_number": 11})
    session.edit("x", edits.set_strand(session.project, strand, stages=(stage,)))
    (bar,) = window.board.columns[strand].bars
    assert "CC 11 expression" in bar.caption
    hookup = Hookup(id="h", control="cc", number=11, name="Bellows (A\\1)", target="", param="tempo")
    session.edit("y", edits.add_hookup(session.project, hookup)[0])
    qtbot.waitUntil(lambda: "CC 11 Bellows (A\\1)" in window.board.columns[strand].bars[0].caption)
    assert in_own_words("CC 3 and CC 30", {3: "rain"}) == "CC 3 rain and CC 30"
