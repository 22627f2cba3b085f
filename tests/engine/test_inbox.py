"""What is asked for and played in the window is done in its order, and soon, whatever studio time does meanwhile."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.events import note_on
from arpegon.core.time import studio
from arpegon.engine.live.inbox import Inbox


class Clock:
    """Studio time as the server goes on, and stands still: then it steps back."""

    def __init__(self):
        self.time = 100.0

    def now(self):
        return self.time


@pytest.fixture
def clock(monkeypatch):
    made = Clock()
    monkeypatch.setattr(studio, "now", made.now)
    return made


class Loop:
    """Takes out as the engine's loop does: up to when all was heard."""

    def __init__(self):
        self.inbox = Inbox(lambda: None)
        self.numbers = itertools.count(1)
        self.given, self.done, self.times = [], [], []

    def ask(self):
        number = next(self.numbers)
        self.given.append(number)
        self.inbox.soon(lambda now: self.done.append(number))

    def play(self, stamp):
        number = next(self.numbers)
        self.given.append(number)
        self.inbox.play("surface", [note_on(stamp, 0, number % 128, 1 + number // 128)])

    def work(self, now, until):
        self.inbox.take(now)
        while (wanted := self.inbox.task(until)) is not None:
            asked, task = wanted
            self._feed(asked)
            self.times.append(asked)
            task(asked)
        self._feed(until)

    def _feed(self, until):
        for _, event in self.inbox.events(until):
            self.times.append(event.time)
            self.done.append(event.data1 + 128 * (event.data2 - 1))


def test_a_key_struck_after_a_document_came_meets_it_though_the_server_stood_still_in_between(clock):
    loop = Loop()
    loop.ask()
    clock.time -= 1.5
    loop.play(clock.time)
    loop.work(clock.time, clock.time)
    clock.time += 0.01
    loop.work(clock.time, clock.time)
    assert loop.done == [1, 2]


def test_what_waits_as_time_steps_back_is_done_at_once_and_what_comes_then_after_it(clock):
    loop = Loop()
    loop.play(clock.time)
    loop.ask()
    loop.work(clock.time, clock.time - 0.01)
    assert not loop.done
    clock.time -= 1.5
    loop.ask()
    loop.play(clock.time)
    loop.work(clock.time, clock.time)
    loop.work(clock.time + 0.001, clock.time + 0.001)
    assert loop.done == [1, 2, 3, 4] and loop.times == pytest.approx([clock.time] * 4)
    assert loop.inbox.due() == float("inf")


STEPS = st.one_of(
    st.just(("ask",)),
    st.tuples(st.just("play"), st.sampled_from([0.0, 0.0, -0.004, 5.0])),
    st.tuples(st.just("go"), st.sampled_from([0.0, 0.001, 0.3])),
    st.tuples(st.just("back"), st.sampled_from([0.1, 1.5])),
    st.tuples(st.just("work"), st.sampled_from([0.0, 0.0107])),
)


@given(steps=st.lists(STEPS, max_size=40))
def test_in_whatever_steps_time_goes_all_is_done_in_its_order_and_nothing_stays(steps):
    loop, clock = Loop(), Clock()
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(studio, "now", clock.now)
        for what, *by in steps:
            if what == "ask":
                loop.ask()
            elif what == "play":
                loop.play(clock.time + by[0])
            elif what == "work":
                loop.work(clock.time, clock.time - by[0])
            else:
                clock.time += by[0] if what == "go" else -by[0]
        loop.work(clock.time, clock.time)
        clock.time += 1e-6
        loop.work(clock.time, clock.time)
    assert loop.done == loop.given
    assert loop.inbox.due() == float("inf")
