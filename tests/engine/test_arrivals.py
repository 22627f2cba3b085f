"""What arrives at an engine, and in which order it is worked on; asked directly."""

from __future__ import annotations

import pytest

from arpegon.core.events import CONTROL, control, note_off, note_on
from arpegon.engine.performance.arrivals import Arrivals

OFF, ON = note_off(0.3, 0, 60), note_on(0.1, 0, 60, 90)


class Hooked:
    """Hookups that take the mod wheel, and let nothing of it go on."""

    any = True

    def __init__(self):
        self.took = []

    def found(self, name, event):
        return [name] if event.kind == CONTROL and event.data1 == 1 else []

    def take(self, found, event):
        self.took.append(event)
        return True


class Unhooked(Hooked):
    any = False

    def found(self, name, event):
        return []


@pytest.fixture
def moved():
    return []


@pytest.fixture
def arrivals(moved):
    return Arrivals(Unhooked(), lambda *batch: moved.append(batch))


def test_what_comes_late_is_worked_on_now_and_keeps_its_order(arrivals):
    for time in (0.1, 0.5, 0.4):
        arrivals.feed("surface", control(time, 0, 7, round(time * 10)))
    assert arrivals.next_time() == 0.1
    taken = arrivals.take(0.5, 0.2)["surface"]
    assert [(event.time, event.data2) for event in taken] == [(0.2, 1), (0.5, 5), (0.5, 4)]
    assert arrivals.take(9.0, 0.5) == {}


def test_a_key_that_is_struck_twice_is_let_go_between_and_every_input_is_one_of_all(arrivals):
    for event in (ON, ON.at(0.2), OFF, OFF.at(0.4)):
        arrivals.feed("midi:Bells", event)
    inputs = arrivals.take(1.0, 0.0)
    assert inputs["midi:Bells"] == [ON, note_off(0.2, 0, 60), ON.at(0.2), OFF]
    assert inputs["midi:"] == inputs["midi:Bells"]


def test_an_input_that_is_gone_lets_go_of_its_keys_alone(arrivals):
    arrivals.feed("midi:Bells", ON)
    arrivals.feed("surface", ON)
    arrivals.take(1.0, 0.0)
    assert arrivals.let_go("midi:Bells", 2.0) == {"midi:Bells": [OFF.at(2.0)], "midi:": [OFF.at(2.0)]}
    assert arrivals.let_go("midi:Bells", 2.0) == arrivals.let_go("surface", 2.0) == {}


def test_files_and_hands_come_in_the_order_of_time(arrivals):
    arrivals.score("surface", [ON, OFF])
    arrivals.score("surface", [])
    arrivals.feed("surface", control(0.2, 0, 7, 5))
    assert arrivals.next_time() == 0.1
    assert arrivals.take(0.2, 0.0) == {"surface": [ON, control(0.2, 0, 7, 5)]}
    arrivals.clear()
    assert arrivals.next_time() == 0.3, "what a file plays is still to come"


def test_what_came_before_a_hooked_control_is_worked_on_before_it_turns_anything(moved):
    hooks = Hooked()
    arrivals = Arrivals(hooks, lambda *batch: moved.append((*batch, len(hooks.took))))
    turn = control(0.2, 0, 1, 64)
    for event in (ON, turn, OFF):
        arrivals.feed("surface", event)
    assert arrivals.take(1.0, 0.0) == {"surface": [OFF]}
    assert moved == [({"surface": [ON]}, 0.2, 0)] and hooks.took == [turn]
