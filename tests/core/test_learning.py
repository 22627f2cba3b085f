"""Learning takes what is moved on purpose."""

from __future__ import annotations

import pytest

from arpegon.core.document.learning import Learner
from arpegon.core.events import Event, bend, control, note_off, note_on, pressure


def learnt(*events, feed="surface"):
    learner = Learner()
    for event in events:
        found = learner.take(feed, event)
        if found is not None:
            return found.control, found.number, found.channel, found.feed
    return None


def test_a_knob_is_learnt_once_it_has_gone_some_way():
    assert learnt(*(control(place / 50, 2, 20, 40 + place) for place in range(9))) is None
    assert learnt(*(control(place / 50, 2, 20, 40 + place) for place in range(30))) == ("cc", 20, 2, "surface")


def test_a_jittering_knob_elsewhere_is_not_taken():
    trembling = [control(place / 50, 0, 7, 64 + place % 3) for place in range(60)]
    moved = [control(place / 50, 0, 21, 10 + place) for place in range(20)]
    assert learnt(*trembling) is None
    assert learnt(*trembling, *moved) == ("cc", 21, 0, "surface")


def test_a_pedal_is_learnt_at_its_first_step():
    assert learnt(control(0, 0, 64, 127)) == ("cc", 64, 0, "surface")
    assert learnt(control(0, 0, 4, 3), control(0.1, 0, 4, 120)) == ("cc", 4, 0, "surface")


def test_a_held_note_before_aftertouch_is_not_mistaken_for_it():
    press = [pressure(0.5 + place / 50, 0, place * 3) for place in range(30)]
    assert learnt(note_on(0, 0, 60, 90), *press, note_off(1.5, 0, 60)) == ("pressure", 0, 0, "surface")
    poly = [Event(0.5 + place / 50, 0xA0, 60, place * 3) for place in range(30)]
    assert learnt(note_on(0, 0, 60, 90), *poly, note_off(1.5, 0, 60)) == ("poly", 60, 0, "surface")


def test_a_pad_that_is_struck_is_a_note_whatever_its_pressure_does():
    press = [Event(0.01 + place / 100, 0xA9, 36, 100 - place * 5) for place in range(12)]
    found = learnt(note_on(0, 9, 36, 100), *press, note_off(0.2, 9, 36), feed="midi:Pads")
    assert found == ("note", 36, 9, "midi:Pads")
    assert learnt(note_on(0, 0, 60, 90), note_off(3.0, 0, 60)) == ("note", 60, 0, "surface")


def test_wheels_and_programs():
    assert learnt(bend(0, 0, 0), bend(0.1, 0, 3000)) == ("bend", 0, 0, "surface")
    assert learnt(Event(0, 0xC3, 12)) == ("program", 12, 3, "surface")


@pytest.mark.parametrize("step", [3, 40, 300, 2000])
def test_a_knob_of_fourteen_bits_is_learnt_as_one(step):
    """Its low half, CC 33, was taken for the knob."""
    listener, found, value, time = Learner(), None, 5000, 0.0
    while found is None and value < 16384:
        for number, half in ((1, value >> 7), (33, value & 0x7F)):
            found = found or listener.take("midi:Keys", control(time, 2, number, half))
            time += 0.0005
        value, time = value + step, time + 0.05
    assert found is not None and (found.control, found.number, found.channel) == ("cc14", 1, 2)


def test_two_knobs_that_lie_32_apart_stay_two():
    listener, found = Learner(), None
    for place in range(4):
        listener.take("midi:Keys", control(float(place), 0, 1, 60))
        found = listener.take("midi:Keys", control(place + 0.5, 0, 33, 20 + 30 * place)) or found
    assert found is not None and (found.control, found.number) == ("cc", 33)
