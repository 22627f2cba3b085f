"""By the frame: cycles of our JACK client, on a server of the test's own that is called when the test says so."""

from __future__ import annotations

import queue
import random
import threading
from itertools import pairwise

import pytest

from arpegon.core.events import note_off, note_on
from arpegon.core.time import studio
from arpegon.engine.devices import jack_client
from arpegon.engine.devices.jack_client import JackClient
from arpegon.engine.devices.jack_ports import JackInput, JackOutput

RATE, FRAMES = 48_000, 256
PERIOD = FRAMES / RATE


class Port:
    """A port of ours: what comes in in a period, and what leaves in each by its offset."""

    def __init__(self, server):
        self.server = server
        self.coming, self.left, self.room = [], [], 1000

    def incoming_midi_events(self):
        return iter(self.coming)

    def clear_buffer(self):
        self._free = self.room

    def write_midi_event(self, offset, message):
        assert 0 <= offset < FRAMES
        if not self._free:
            raise jack_client.jack.JackError("full")
        self._free -= 1
        self.left.append((self.server.last_frame_time + offset, bytes(message)))


class Server:
    """A server whose cycles begin by its frames, and wake us a little later."""

    def __init__(self, monkeypatch):
        self.last_frame_time, self.late, self.lost = 0, 0.0, 0.0
        self.draw = random.Random(3)
        monkeypatch.setattr(jack_client.time, "monotonic", lambda: self.clock)
        self.client = JackClient()
        self.client._client = self
        self.source, self.out = Port(self), Port(self)
        self.taken = []
        self.output = JackOutput(self.client, self.out, "x:y")
        self.client._outputs = (self.output,)
        self.client._inputs = (JackInput(self.client, self.source, "x:z", self.take),)

    @property
    def now(self):
        """Studio time."""
        return studio.now()

    @property
    def clock(self):
        """The computer's."""
        return 100.0 + self.last_frame_time / RATE + self.late + self.lost

    @property
    def frames_since_cycle_start(self):
        return round(self.late * RATE)

    def take(self, message, time):
        self.taken.append((bytes(message), time))

    def cycle(self, coming=(), skipped=0):
        self.last_frame_time += FRAMES * (1 + skipped)
        self.late = self.draw.uniform(0.0, 0.8) * PERIOD
        self.source.coming = list(coming)
        self.client._cycle(FRAMES)


@pytest.fixture
def server(monkeypatch):
    made = Server(monkeypatch)
    for _ in range(5):
        made.cycle()
    return made


def test_what_is_answered_at_once_leaves_one_period_after_its_frame(server):
    for offset in range(0, FRAMES, 5):
        server.cycle([(offset, b"\x90\x3c\x40")])
        came = server.last_frame_time + offset
        ((_, time),) = server.taken
        server.taken.clear()
        assert abs(time - (100.0 + (came - FRAMES) / RATE)) < 1.0 / RATE, "stamped by its frame, one period before"
        server.output.send([note_on(time, 0, 60, 64)])
        server.cycle()
        ((frame, message),) = server.out.left
        server.out.left.clear()
        assert abs(frame - came - FRAMES) <= 1 and message == b"\x90\x3c\x40"


def test_what_is_due_at_different_times_leaves_at_these_frames_two_periods_later(server):
    times = [server.now + number * 0.0007 for number in range(60)]
    server.output.send([note_on(time, 0, 1 + number, 64) for number, time in enumerate(times)])
    for _ in range(20):
        server.cycle()
    frames = [frame for frame, _ in server.out.left]
    wanted = [round((time - 100.0) * RATE) + 2 * FRAMES for time in times]
    assert len(frames) == 60 and all(abs(frame - due) <= 1 for frame, due in zip(frames, wanted, strict=True))


def test_what_is_late_leaves_at_once_and_in_the_order_in_which_it_was_sent(server):
    now = server.now
    server.output.send([note_on(now - 1.0, 0, 60, 64), note_on(now - 2.0, 0, 61, 64), note_off(now - 3.0, 0, 60)])
    server.cycle()
    assert [(frame, message[1]) for frame, message in server.out.left] == [
        (server.last_frame_time, note) for note in (60, 61, 60)
    ]


def test_how_late_something_left_is_known(server):
    start = server.now - server.late
    server.output.send([note_on(start - 0.7 * PERIOD, 0, 60, 90)])
    server.cycle()
    assert server.client.lateness.p99(server.now) == 0.0
    server.output.send([note_on(start - 6.0 * PERIOD, 0, 61, 90)])
    server.cycle()
    assert server.client.lateness.p99(server.now) == pytest.approx(6.0 * PERIOD, abs=0.02 * PERIOD)
    assert server.client.lateness.p99(server.now + 60.0) is None


def test_all_is_heard_until_a_period_begins_and_somebody_is_woken_then(server):
    client, said = server.client, []
    client._advanced = lambda: said.append(client.heard_until(server.now))
    heard = client.heard_until(server.now)
    assert heard == pytest.approx(100.0 + server.last_frame_time / RATE, abs=1e-4)
    assert not client.wakes_at(heard) and client.wakes_at(heard + 1.5 * PERIOD)
    server.cycle()
    assert not said
    server.cycle()
    server.cycle()
    assert len(said) == 1 and said[0] >= heard + 1.5 * PERIOD
    # A server that no longer calls is not waited for.
    server.last_frame_time += RATE
    assert client.heard_until(server.now) == server.now and not client.wakes_at(server.now + 1.0)


def test_a_period_that_is_full_leaves_the_rest_to_the_next(server):
    server.out.room = 7
    server.output.send([note_on(0.0, 0, 1 + number, 64) for number in range(20)])
    for _ in range(3):
        server.cycle()
    assert [message[1] for _, message in server.out.left] == list(range(1, 21))


def test_a_message_that_no_period_holds_is_left_out_and_what_follows_leaves(server, caplog):
    server.out.room = 0
    server.output.send([note_on(0.0, 0, 60, 64)])
    server.cycle()
    server.out.room = 7
    server.output.send([note_on(0.0, 0, 61, 64)])
    server.cycle()
    assert [message[1] for _, message in server.out.left] == [61] and "too long" in caplog.text


def test_after_periods_that_were_skipped_ends_are_said_again(server):
    server.output.send([note_on(0.0, 0, 60, 64), note_off(0.0, 0, 60)])
    server.cycle()
    server.out.left.clear()
    server.cycle()
    assert server.out.left == []
    server.cycle(skipped=1)
    assert [message[:2] for _, message in server.out.left] == [b"\x80\x3c"]


def test_when_the_server_says_that_a_client_was_late_ends_are_said_again_and_what_comes_is_taken(server):
    coming = [(3, b"\x90\x3c\x40")]
    server.output.send([note_on(0.0, 0, 60, 64), note_off(0.0, 0, 60)])
    server.cycle()
    server.out.left.clear()
    server.client._on_xrun(0.0)
    server.cycle(coming)
    server.cycle(coming)
    assert [message[:2] for _, message in server.out.left][:1] == [b"\x80\x3c"] and len(server.taken) == 2


def test_what_a_sender_had_no_time_to_write_anew_is_taken_once(server):
    coming = [(3, b"\x90\x3c\x40")]
    server.cycle(coming)
    server.cycle(coming, skipped=1)
    assert len(server.taken) == 1
    for _ in range(4):
        server.cycle()
    server.cycle(coming)
    server.cycle(coming)
    assert len(server.taken) == 3, "where no period was lost, the same twice is played twice"


def test_time_is_kept_to_over_periods_that_were_skipped(server):
    server.cycle(skipped=12)
    server.cycle([(0, b"\x90\x3c\x40")])
    ((_, time),) = server.taken
    assert abs(time - (100.0 + (server.last_frame_time - FRAMES) / RATE)) < 1.0 / RATE


def test_what_is_evenly_apart_leaves_evenly_however_unevenly_the_server_calls(server):
    began = server.now
    times = [began + 0.05 + number * 0.125 for number in range(60)]
    waiting = [note_on(time, 0, 60, 64) for time in times]
    for _ in range(1500):
        while waiting and waiting[0].time <= server.client.heard_until(server.now):
            server.output.send([waiting.pop(0)])
        server.lost += 0.008 * (server.draw.random() < 0.06)  # for good, as a server does that comes too late
        server.cycle([(17, b"\x90\x3c\x40")])
    frames = [frame for frame, _ in server.out.left]
    assert [after - before for before, after in pairwise(frames)] == [6000] * 59
    came = [time for _, time in server.taken]
    assert all(abs(after - before - PERIOD) < 1e-9 for before, after in pairwise(came))
    assert abs(server.clock - studio.behind() - studio.now()) < 1e-9 and studio.behind() > 0.5


def test_a_server_that_stood_still_and_calls_no_more_is_not_waited_for(server):
    server.cycle()
    server.lost += 1.5  # studio time stands still with it
    server.cycle()
    assert server.client.heard_until(server.now) < server.now
    server.lost += 0.2
    assert server.client.heard_until(server.now) == server.now


def test_a_server_that_runs_free_waits_for_a_loop_that_is_slow(server):
    client, asked = server.client, queue.SimpleQueue()
    client._advanced = lambda: asked.put(client._heard)

    def work():
        while (until := asked.get()) is not None:
            threading.Event().wait(0.003)  # it is slower than the server
            server.output.send([note_on(until, 0, 60, 64)])
            client.worked(until)

    worker = threading.Thread(target=work)
    worker.start()
    client._run_free(True)
    for _ in range(20):
        server.cycle()
    asked.put(None)
    worker.join()
    frames = [frame for frame, _ in server.out.left]
    assert len(frames) >= 17 and [after - before for before, after in pairwise(frames)] == [FRAMES] * (len(frames) - 1)
