"""With JACK the loop never goes beyond what was heard: a message that is told of late is worked on at its own time."""

from __future__ import annotations

import math
import os
import threading
import time
from collections import deque
from itertools import cycle

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from arpegon.core.document.model import MidiSource, PortDestination, SurfaceSource
from arpegon.core.events import NOTE_ON, note_off, note_on
from arpegon.core.time import studio
from arpegon.engine.devices.lateness import Lateness
from arpegon.engine.live import loop
from arpegon.engine.live.commands import DO
from arpegon.engine.offline import run
from arpegon.engine.wire import protocol
from building import generator, project, stage, strand
from jacking import wait_for


class Channel:
    """A window that keeps what it hears."""

    waiting = 0

    def __init__(self):
        self.told = []

    def send(self, message):
        self.told.append(message)
        return True


class Jack:
    """A server that tells of a period once it is over."""

    told_at = -math.inf
    latency = 0.0

    def __init__(self):
        self.heard = -math.inf
        self.lateness = Lateness()

    def heard_until(self, now):
        return min(now, self.heard)

    def wakes_at(self, time):
        return self.heard < time

    def worked(self, until):
        pass

    def set_lead(self, seconds):
        pass


@pytest.fixture
def live(monkeypatch):
    made = loop.LiveEngine(Channel())
    made.jack = made.periods = Jack()
    made.sent = []
    monkeypatch.setattr(made.ports, "send", lambda port, events: made.sent.extend(events))
    made.reporter.port = made.ports.send
    walk = strand(
        strand_id="w",
        sources=(generator("steps", "s", rate="1/16", patterns=[[{"note": 40}]], in_scale=False),),
        destinations=(PortDestination(),),
    )
    keys = strand(sources=(SurfaceSource(), MidiSource()), destinations=(PortDestination(),))
    one = project(keys, walk)
    made.set_project(protocol.SetProject(one, "", 1), 0.0)
    made.start_stop.play(0.0, 0.0)
    yield made
    made.hearing.close()
    os.close(made._wake)


def reports(live):
    return sum(isinstance(message, protocol.Telemetry) for message in live.wire.told)


def begun(live, note):
    return [event.time for event in live.sent if event.kind == NOTE_ON and event.data1 == note]


def test_a_message_told_of_late_is_worked_on_at_its_own_time(live):
    period = 0.02
    for number in range(40):
        start = number * period
        live.jack.heard = start
        if number:
            # What came in the last period is told now, in any order; the loop was woken in between by what is due.
            stamp = start - period * 0.7
            live.inbox.put("midi:Keys", note_off(stamp + 0.3 * period, 0, 60))
            live.inbox.put("midi:Keys", note_on(stamp, 0, 60, 90))
        for share in (0.001, 0.5, 0.9):
            live._work(start + share * period)
    stamps = [number * period - period * 0.7 for number in range(1, 40)]
    assert begun(live, 60) == pytest.approx(stamps, abs=1e-9)
    steps = begun(live, 40)
    assert steps == pytest.approx([place * 0.125 for place in range(len(steps))], abs=1e-6) and len(steps) >= 6


def test_what_is_stamped_later_waits_until_all_before_it_was_heard(live):
    live.jack.heard = 1.0
    live.inbox.put("surface", note_on(1.005, 0, 72, 90))
    live._work(1.01)
    assert not begun(live, 72) and live.next_due() <= 1.005
    live.jack.heard = 1.02
    live.inbox.put("midi:Keys", note_on(1.001, 0, 71, 90))
    live._work(1.021)
    assert begun(live, 71) == [1.001] and begun(live, 72) == [1.005]


def test_what_is_played_in_the_window_comes_after_what_was_asked_for_before_it(live):
    studio.set_behind(time.monotonic() - 2.0)  # it is two seconds since the engine began
    done = []
    live.soon(lambda now: done.append(len(begun(live, 72))))
    live.inbox.play("surface", [note_on(0.5, 0, 72, 90), note_off(0.6, 0, 72)])
    live.soon(lambda now: done.append(len(begun(live, 72))))
    live.jack.heard = math.inf
    live._work(studio.now())
    live._work(studio.now())
    assert done == [0, 1], "stamped before the document that it is to meet"


def test_what_is_started_after_a_report_begins_after_what_it_says_is_done(live):
    """Also where studio time goes back meanwhile: whoever looks for what was started then finds its first note."""
    live.jack.heard = 1.4
    live._work(1.42)
    live._tell(1.42)
    told = live.wire.told[-1]
    live.start_stop.play(0.0, 1.41)
    live.jack.heard = 2.0
    live._work(2.0)
    first = next(time for time in begun(live, 40) if time >= told.worked_until)
    assert told.now > first == pytest.approx(1.41) and told.worked_until == pytest.approx(1.4)


@pytest.mark.parametrize("command", [protocol.PlayTake({"a": [note_on(9.0, 0, 60, 90)]}, 0.0), protocol.Sync(7)])
def test_what_is_told_at_once_comes_after_what_passed_until_then(live, command):
    live.jack.heard = 1.0
    live._work(1.0)
    live.wire.told.clear()
    DO[type(command)](live, command, 1.0)
    (batch, told, *answer) = live.wire.told
    passed = [event for passage in batch.passages for event in passage.events]
    assert max(event.time for event in passed) <= told.worked_until == 1.0
    assert {event.time for event in passed if event.kind == NOTE_ON} == set(begun(live, 40))
    assert answer == ([protocol.Synced(7, 1.0)] if isinstance(command, protocol.Sync) else [])
    assert told.take_began == (None if answer else 1.0)


def test_reports_go_on_while_studio_time_goes_back(live, monkeypatch):
    monkeypatch.setattr(loop, "ask_for_realtime", lambda: False)
    live.jack.heard = 1.0
    studio.set_behind(time.monotonic() - 1.0)
    running = threading.Thread(target=live.run)
    running.start()
    try:
        for _ in range(3):
            studio.set_behind(studio.behind() + 100.0)
            before = reports(live)
            wait_for(lambda before=before: reports(live) >= before + 2)
    finally:
        live._running = False
        live._wake_up()
        running.join()


def test_a_command_is_done_at_the_moment_at_which_it_was_given(live):
    live.jack.heard = 1.0
    done = []
    live.inbox._asked.append((1.005, done.append))
    live.inbox.put("midi:Keys", note_on(1.004, 0, 70, 90))
    live._work(1.02)
    assert not done and live.next_due() <= 1.005, "what came before it may not have been told yet"
    live.jack.heard = 1.02
    live.inbox.put("midi:Keys", note_on(1.003, 0, 69, 90))
    live.inbox.put("midi:Keys", note_on(1.006, 0, 71, 90))
    live._work(1.021)
    assert done == [1.005] and [begun(live, note) for note in (69, 70, 71)] == [[1.003], [1.004], [1.006]]


PERIODS = st.lists(st.sampled_from([0.001, 0.0053, 0.0213, 0.17]), min_size=1, max_size=8)
KEYS = st.lists(
    st.tuples(st.floats(0.0, 1.2), st.integers(60, 63), st.integers(1, 127), st.floats(0.001, 0.3)), max_size=25
)
CHAIN = (stage("humanize", "h"), stage("grid", "g", rate="1/16"), stage("chord", "c", offsets=[7]))
WALK = generator("steps", "s", rate="1/8", patterns=[[{"note": 40}, {"note": 43}]], in_scale=False)
BOTH = project(strand(*CHAIN, sources=(MidiSource(), WALK), destinations=(PortDestination(),)))
SECONDS = 2.0


@settings(deadline=None)
@given(keys=KEYS, periods=PERIODS, looks=st.lists(st.floats(0.0, 1.0), max_size=3))
def test_in_whatever_periods_keys_are_told_of_they_sound_as_offline(keys, periods, looks):
    """Through stages that draw and put off, mixed with what a generator makes, at any wake-ups in between."""
    played = []
    for start, note, velocity, length in keys:
        played += [note_on(start, 0, note, velocity), note_off(start + length, 0, note)]
    played.sort(key=lambda event: event.time)

    live, sent = loop.LiveEngine(Channel()), []
    live.jack = live.periods = Jack()
    live.reporter.port = lambda port, events: sent.extend(events)
    live.jack.heard = 0.0
    live.set_project(protocol.SetProject(BOTH, "", 1), 0.0)
    live.start_stop.play(0.0, 0.0)
    start, waiting = 0.0, deque(played)
    for period in cycle(periods):
        live.jack.heard = start
        while waiting and waiting[0].time < start:
            live.inbox.put("midi:Keys", waiting.popleft())
        for look in (0.0, *looks):
            live._work(start + look * period)
        if start > SECONDS:
            break
        start += period
    live.hearing.close()
    os.close(live._wake)

    alike = run(BOTH, played, seconds=9.0).ports[""]
    heard = [event for event in sent if event.time < SECONDS]
    assert heard == [event for event in alike if event.time < SECONDS]
