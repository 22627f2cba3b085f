"""The guide's recipes over a real JACK server: a chord of three fingers, a pad without releases, a knob, a pedal."""

from __future__ import annotations

from pathlib import Path

from arpegon.core.document.model import Hookup, MidiSource, PortDestination
from building import generator, project, stage, strand
from jacking import wait_for, without_repeats

HERE = Path(".")


def at_work(live, pair, *strands, hookups=(), **changes):
    """Let a project work behind the pair's keyboard, and its own output into the pair's synthesizer."""
    live.set_project(project(*strands, hookups=hookups, **changes), HERE)
    pair.connect_to_own_output()
    wait_for(lambda: any(pair.name in port for port in live.reports.open_ports()))
    wait_for(lambda: live.reports.telemetry[-1].revision >= live.revision)


def keys(*stages, **changes):
    return strand(*stages, **{"sources": (MidiSource(),), "destinations": (PortDestination(),), **changes})


def struck(pair):
    """The notes that began, in order."""
    return [message[1] for message in without_repeats(pair.heard) if message[0] & 0xF0 == 0x90]


def strike(pair, note, velocity=90):
    """Strike a key shortly, and wait until it is heard; what sounded."""
    before = len(struck(pair))
    pair.keys.send([0x90, note, velocity])
    wait_for(lambda: len(struck(pair)) > before)
    pair.keys.send([0x80, note, 0])
    return struck(pair)[before]


def test_a_chord_of_three_fingers_does_not_stutter(live, pair):
    at_work(live, pair, keys(stage("arpeggiator", order="down", rate="1/16", gather_ms=100)))
    for note in (60, 64, 67):
        pair.keys.send([0x90, note, 90])
    wait_for(lambda: len(struck(pair)) >= 7)
    for note in (60, 64, 67):
        pair.keys.send([0x80, note, 0])
    assert struck(pair)[:7] == [67, 64, 60, 67, 64, 60, 67]


def test_a_pad_that_never_sends_its_release_goes_on_by_one_each_time(live, pair):
    hookup = Hookup(id="h", number=30, target="t", param="octaves", way="next", out_low=0, out_high=2)
    at_work(live, pair, keys(stage("transpose", "t")), hookups=(hookup,))
    found = [strike(pair, 48)]
    for _ in range(3):
        pair.keys.send([0xB0, 30, 127])
        found.append(strike(pair, 48))
    assert found == [48, 60, 72, 48]


def test_a_knob_turns_one_step_of_a_figure(live, pair):
    figure = generator(
        "steps", "s", patterns=[[{"note": 60}, {"note": 62}]], rate="1/16", in_scale=False, starts="action"
    )
    hookups = (
        Hookup(id="k", number=20, target="s", param="patterns.1.2.note", out_low=72, out_high=84),
        Hookup(id="g", number=21, target="s", action="start", way="trigger", value=4.0),
    )
    at_work(live, pair, keys(sources=(figure, MidiSource())), hookups=hookups)
    pair.keys.send([0xB0, 20, 127])
    pair.keys.send([0xB0, 21, 127])
    wait_for(lambda: len(struck(pair)) >= 8)
    assert struck(pair)[:8] == [60, 84] * 4


def test_a_pedal_that_was_converted_and_stepped_transposes_another_strand(live, pair):
    pedal = strand(
        stage("sieve", "only"),
        stage("convert", source="cc", number=4, target="cc", to_number=30),
        stage("stairs", "st", what="cc", number=30, levels=3, hysteresis=0),
        strand_id="pedal",
        sources=(MidiSource(),),
        destinations=(PortDestination(),),
    )
    hookup = Hookup(id="h", tap="pedal/st", number=30, target="t", param="semitones", out_low=0, out_high=12)
    sieve = stage("sieve", kinds=["cc"])
    at_work(live, pair, pedal, keys(stage("transpose", "t"), sieve, strand_id="keys"), hookups=(hookup,))
    found = []
    for value, stepped in ((127, 127), (60, 64), (10, 0)):
        pair.keys.send([0xB0, 4, value])
        wait_for(lambda stepped=stepped: [0xB0, 30, stepped] in pair.heard)
        found.append(strike(pair, 60))
    assert found == [72, 66, 60]
