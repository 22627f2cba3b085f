"""Stories of pedals that several strands share, and of settings that change while something is held."""

from __future__ import annotations

import msgspec
import pytest

from arpegon.core.document import edits
from arpegon.core.document.model import (
    Held,
    Hookup,
    InstrumentDestination,
    PortDestination,
    Section,
    SectionMessage,
    SurfaceSource,
)
from arpegon.core.events import control, note_off, note_on
from arpegon.core.theory.scales import Key
from arpegon.engine.offline import run
from arpegon.engine.simulation import Engine
from arpegon.processors import GENERATORS
from arpegon.processors.facts import loose_ends
from building import Recording, pitches, project, stage, strand

PEDALS = [(0.5, 0, 127), (1.0, 1, 127), (1.5, 0, 0), (2.0, 1, 0), (3.0, 0, 127), (4.0, 0, 0)]
"""When a pedal moves, on which channel it comes in, and its value."""


def sent(engine):
    return [(one.channel, one.data1, one.data2) for one in engine.graph.outputs.out if one.kind == 0xB0]


def test_a_channel_that_is_turned_while_the_pedal_is_down_lifts_it_on_the_old_one():
    one = project(strand(destinations=(PortDestination(port="P", channel=2),)))
    engine = Engine(Recording())
    engine.apply(one, {}, 0.0)
    engine.feed("surface", control(0.5, 0, 64, 127))
    engine.run(1.0)
    other = edits.set_destination(one, "a", 0, PortDestination(port="P", channel=5))
    engine.apply(other, {}, 1.0)
    assert sent(engine) == [(2, 64, 127), (2, 64, 0)]


def test_a_pedal_that_two_strands_hold_comes_up_with_the_last():
    port = (PortDestination(port="P", channel=0),)
    strands = [
        strand(strand_id=name, sources=(SurfaceSource(channel=channel),), destinations=port)
        for name, channel in (("a", 0), ("b", 1))
    ]
    played = [control(time, channel, 64, value) for time, channel, value in PEDALS]
    events = run(project(*strands), played, seconds=6.0).ports["P"]
    assert [(one.time, one.data2) for one in events] == [(0.5, 127), (1.0, 127), (2.0, 0), (3.0, 127), (4.0, 0)]


def test_echoes_follow_a_change_of_key():
    sections = (
        Section(id="x", name="X", bars=1),
        Section(id="y", name="Y", bars=1, holds=(Held(param="key_scale", value="aeolian"),)),
    )
    echo = stage("echo", "e", repeats=1, rate="1 bar", move=2, move_by="degrees", fade=100)
    one = project(strand(echo), sections=sections, key=Key("C", "ionian"))
    assert pitches(run(one, [note_on(0.0, 0, 60, 90), note_off(0.1, 0, 60)], bars=2).strands["a"]) == [60, 63]


@pytest.mark.parametrize("bounds", [[61, 70], [60, 72], [66, 66], [1, 6]])
def test_a_toss_stays_within_its_bounds_when_it_is_put_into_the_scale(bounds):
    steps = GENERATORS["steps"]
    values = {"in_scale": True, "toss_bounds": {"note": bounds}, "follow_key": True, "root": "C", "scale": "ionian"}
    pattern = [{"note": note} for note in range(bounds[0], bounds[1] + 1)]
    made = [step["note"] for step in steps.fit_toss(values, pattern, Key("C", "ionian"))]
    assert all(bounds[0] <= note <= bounds[1] for note in made)
    inside = {0, 2, 4, 5, 7, 9, 11}
    if any(note % 12 in inside for note in range(bounds[0], bounds[1] + 1)):
        assert all(note % 12 in inside for note in made)


def test_check_tells_of_what_can_do_nothing():
    sections = (Section(id="x", name="Fog", sends=(SectionMessage(strand="gone"),)),)
    hookups = (
        Hookup(id="one", name="One", control="note", action="section", value=9),
        Hookup(id="two", name="Two", number=7, param="tempo", in_low=40, in_high=40),
    )
    told = " ".join(loose_ends(project(strand(), sections=sections, hookups=hookups)))
    assert "gone" in told and "section 9" in told and "40" in told
    good = (msgspec.structs.replace(hookups[0], value=1), msgspec.structs.replace(hookups[1], in_high=90))
    fine = (Section(id="x", name="Fog", sends=(SectionMessage(strand="a"),)),)
    assert list(loose_ends(project(strand(), sections=fine, hookups=good))) == []


def test_a_pedal_that_comes_up_at_the_end_of_what_is_played_comes_up_once():
    bells = (InstrumentDestination(instrument="bells", channel=0),)
    played = [control(0.0, 0, 64, 127), note_on(0.5, 0, 60, 90), note_off(1.0, 0, 60), control(1.0, 0, 64, 0)]
    result = run(project(strand(stage("humanize", "h"), destinations=bells)), played, tail=True)
    pedals = [event.data2 for event in result.strands["a"] if event.kind == 0xB0]
    assert pedals == [127, 0] and [one.data2 for _, one in result.instruments if one.kind == 0xB0] == [127, 0]
