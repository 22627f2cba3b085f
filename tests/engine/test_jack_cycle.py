"""By the frame: cycles of our JACK client, on a server of the test's own that is called when the test says so."""

from __future__ import annotations

import ctypes
import math
import queue
import random
import threading
import time
from itertools import pairwise

import numpy as np
import pytest

from arpegon.core.events import control, note_off, note_on
from arpegon.core.time import studio
from arpegon.engine.devices import compiled_relay, jack_calls, jack_periods
from arpegon.engine.devices.compiled_relay import CYCLE, CompiledRelay
from arpegon.engine.devices.jack_audio import JackAudio, JackError
from arpegon.engine.devices.jack_periods import Periods
from arpegon.engine.devices.jack_ports import JackInput, JackOutput
from arpegon.engine.devices.plain_relay import PlainRelay

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
            raise JackError("full")
        self._free -= 1
        self.left.append((self.server.last_frame_time + offset, bytes(message)))


class Speaker:
    """A port of ours where something sounds."""

    def __init__(self):
        self.period = np.zeros(FRAMES, dtype=np.float32)

    def get_array(self):
        return self.period


class Counted:
    """What sounds: a sample says its number; silent where it is told to be."""

    silent = False

    def __init__(self, number=1):
        self.number = number
        self.starts, self.rested = [], []

    def __call__(self, frames, start, latency, apart):
        self.starts.append(start)
        self.number += frames
        return np.tile(np.arange(self.number - frames, self.number, dtype=np.float32), (2, 1))

    def rest(self, frames):
        self.rested.append(frames)


class Event(ctypes.Structure):
    """As the library hands it over."""

    _fields_ = (("time", ctypes.c_uint32), ("size", ctypes.c_size_t), ("bytes", ctypes.c_char_p))


class Library:
    """JACK's functions as compiled code calls them; a port, and its buffer, is known by its number."""

    def __init__(self, server):
        self.server = server
        self.ports = [None, server.source, server.out, *server.speakers]
        number, place = ctypes.c_uint32, ctypes.c_void_p
        self.calls = [
            ctypes.CFUNCTYPE(place, place, number)(self.buffer),
            ctypes.CFUNCTYPE(None, place)(lambda port: self.ports[port].clear_buffer()),
            ctypes.CFUNCTYPE(number, place)(lambda port: len(self.ports[port].coming)),
            ctypes.CFUNCTYPE(ctypes.c_int, ctypes.POINTER(Event), place, number)(self.get),
            ctypes.CFUNCTYPE(ctypes.c_int, place, number, place, ctypes.c_size_t)(self.write),
            ctypes.CFUNCTYPE(number, place)(lambda client: server.last_frame_time),
            ctypes.CFUNCTYPE(number, place)(lambda client: server.frames_since_cycle_start),
            ctypes.CFUNCTYPE(ctypes.c_int, place, place)(lambda client, position: 0),
            ctypes.CFUNCTYPE(ctypes.c_int64)(lambda: round(server.clock * 1e9)),
        ]

    def buffer(self, port, frames):
        found = self.ports[port]
        return found.period.ctypes.data if isinstance(found, Speaker) else port

    def get(self, event, port, place):
        event[0].time, event[0].bytes = self.ports[port].coming[place]
        event[0].size = len(self.ports[port].coming[place][1])
        return 0

    def write(self, port, offset, message, size):
        try:
            self.ports[port].write_midi_event(offset, ctypes.string_at(message, size))
        except JackError:
            return -1
        return 0


class Server:
    """A server whose cycles begin by its frames, and wake us a little later."""

    samplerate = RATE

    def __init__(self, monkeypatch, compiled, periods=None):
        self.again = lambda: Server(monkeypatch, compiled, self.periods)
        self.last_frame_time, self.late, self.lost = 0, 0.0, 0.0
        self.draw = random.Random(3)
        monkeypatch.setattr(jack_periods.time, "monotonic", lambda: self.clock)
        self.said = []
        self.audio = JackAudio(self)
        self.periods = periods or Periods(self.audio, self.advanced)
        self.source, self.out = Port(self), Port(self)
        self.speakers = [Speaker(), Speaker()]
        self.taken = []
        if compiled:
            self.library = Library(self)
            calls = [ctypes.cast(call, ctypes.c_void_p).value for call in self.library.calls]
            relay = CompiledRelay(0, RATE, calls)
            relay._state.patience = 10**8  # nanoseconds a frame: as long as it takes
            monkeypatch.setattr(compiled_relay, "address", lambda port: self.library.ports.index(port))
            self.process = lambda: CYCLE(FRAMES, relay.address)
        else:
            monkeypatch.setattr(jack_calls, "GATE", None)  # nobody calls
            relay = PlainRelay(self)
            self.process = lambda: relay.cycle(FRAMES)
        self.relay = relay
        self.output = JackOutput(self, relay.add_messages(self.out, out=True), "x:y", self.periods.out_at)
        self.periods.outputs = (self.output,)
        self.periods.inputs = (JackInput(self, relay.add_messages(self.source, out=False), "x:z", self.take),)
        self.audio._relay = relay
        self.audio._speakers = [relay.add_samples(speaker, out=True) for speaker in self.speakers]
        self.rate = RATE
        self.periods.begin(relay, RATE, FRAMES)

    def advanced(self):
        """A loop that works at once."""
        self.said.append(self.periods.heard_until(self.now))
        self.periods.worked(self.periods._heard)

    def set_process_callback(self, callback):
        pass

    def transport_query_struct(self):
        return 0, None

    def close(self):
        self.periods.end()

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
        """A period begins, and is worked on."""
        self.last_frame_time += FRAMES * (1 + skipped)
        self.late = self.draw.uniform(0.0, 0.8) * PERIOD
        self.source.coming = list(coming)
        self.process()
        while not self.relay.idle:
            time.sleep(0.0)

    def cycles(self, count):
        """Several; what each sounded, on each side."""
        heard = [[], []]
        for _ in range(count):
            self.cycle()
            for side, speaker in zip(heard, self.speakers, strict=True):
                side.extend(speaker.period.tolist())
        return heard


@pytest.fixture(params=["compiled", "plain"])
def server(request, monkeypatch):
    if request.param == "compiled" and CYCLE is None:
        pytest.skip("no compiler was there")
    made = Server(monkeypatch, request.param == "compiled")
    for _ in range(5):
        made.cycle()
    yield made
    made.close()


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
    assert server.periods.lateness.p99(server.now) == 0.0
    server.output.send([note_on(start - 6.0 * PERIOD, 0, 61, 90)])
    server.cycle()
    assert server.periods.lateness.p99(server.now) == pytest.approx(6.0 * PERIOD, abs=0.02 * PERIOD)
    assert server.periods.lateness.p99(server.now + 60.0) is None


def test_all_is_heard_until_a_period_begins_and_somebody_is_woken_then(server):
    periods, said = server.periods, server.said
    said.clear()
    heard = periods.heard_until(server.now)
    assert heard == pytest.approx(100.0 + server.last_frame_time / RATE, abs=1e-4)
    assert not periods.wakes_at(heard) and periods.wakes_at(heard + 1.5 * PERIOD)
    server.cycle()
    assert not said
    server.cycle()
    server.cycle()
    assert len(said) == 1 and said[0] >= heard + 1.5 * PERIOD
    # A server that no longer calls is not waited for.
    server.last_frame_time += RATE
    assert periods.heard_until(server.now) == server.now and not periods.wakes_at(server.now + 1.0)


def test_a_period_that_is_full_leaves_the_rest_to_the_next(server):
    server.out.room = 7
    server.output.send([note_on(0.0, 0, 1 + number, 64) for number in range(20)])
    for _ in range(3):
        server.cycle()
    assert [message[1] for _, message in server.out.left] == list(range(1, 21))


def test_what_finds_no_room_while_the_server_stands_still_leaves_later_in_order(server):
    server.out.room = 5000
    server.output.send([note_on(0.0, 0, 60, 64)])
    turned = [control(0.0, 0, 7, number % 128) for number in range(30_000)]
    server.output.send(turned)
    server.output.send([note_off(0.0, 0, 60)])
    for _ in range(10):
        server.cycle()
    left = [message for _, message in server.out.left]
    assert left[0] == note_on(0.0, 0, 60, 64).to_bytes() and left[-1] == note_off(0.0, 0, 60).to_bytes()
    assert left[1:-1] == [one.to_bytes() for one in turned] and not server.output.waiting


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
    server.cycle()
    assert [message[:2] for _, message in server.out.left] == [b"\x80\x3c"]


def test_when_the_server_says_that_a_client_was_late_ends_are_said_again_and_what_comes_is_taken(server):
    coming = [(3, b"\x90\x3c\x40")]
    server.output.send([note_on(0.0, 0, 60, 64), note_off(0.0, 0, 60)])
    server.cycle()
    server.out.left.clear()
    server.periods.may_be_missed()
    server.cycle(coming)
    server.cycle(coming)
    assert [message[:2] for _, message in server.out.left][:1] == [b"\x80\x3c"] and len(server.taken) == 2


def rest(server):
    """Have it that not every period is told."""
    server.periods.wakes_at(server.now + 1000.0)
    for _ in range(20):
        server.cycle()
    assert server.periods._rests


def sent_again(server, cycles):
    """How often a note off is said again, once somebody may have missed it some cycles after it left."""
    server.output.send([note_on(0.0, 0, 60, 64), note_off(0.0, 0, 60)])
    for _ in range(cycles):
        server.cycle()
    assert [message[0] for _, message in server.out.left] == [0x90, 0x80]
    server.periods.may_be_missed()
    for _ in range(40):
        server.cycle()
    assert {message[:2] for _, message in server.out.left[2:]} <= {b"\x80\x3c"}
    return len(server.out.left) - 2


def test_what_leaves_last_is_said_in_each_period_before_a_port_is_closed(server):
    for _ in range(2):
        server.periods.may_be_missed()
        for _ in range(3):
            server.cycle()
    server.output.send([note_on(0.0, 0, 60, 64), note_off(0.0, 0, 60)])
    server.cycle()
    server.output.leaves()
    server.periods.may_be_missed()
    for _ in range(6):
        server.cycle()
    assert [message[0] for _, message in server.out.left] == [0x90, 0x80, 0x80, 0x80]


@pytest.mark.parametrize("cycles", [1, 2, 5, 12])
def test_it_is_said_again_too_where_nothing_comes_or_sounds_and_where_it_is_heard_of_late(server, cycles):
    rest(server)
    assert 2 <= sent_again(server, cycles) <= 3


def test_the_end_of_a_note_is_said_once_more_where_that_is_heard_of_very_late(server):
    assert sent_again(server, 40) == 1


def test_nothing_is_said_again_that_nobody_can_have_missed(server):
    assert sent_again(server, round(2.5 * RATE / FRAMES)) == 0


def test_what_is_yet_to_leave_is_not_said_before_its_time(server):
    now = 100.0 + server.last_frame_time / RATE
    server.output.send([note_on(now, 0, 60, 64), note_off(now + 4 * PERIOD, 0, 60)])
    server.periods.may_be_missed()
    for _ in range(12):
        server.cycle()
    (on, first), (off, second) = server.out.left[:2]
    assert first[0] == 0x90 and second[0] == 0x80 and off - on == 4 * FRAMES


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


def test_what_comes_anew_after_empty_periods_is_taken_though_one_was_lost_just_then(server):
    coming = [(3, b"\xf8")]
    rest(server)
    server.cycle(coming)
    for _ in range(5):
        server.cycle()  # of which nothing is told
    server.cycle(coming, skipped=1)
    assert len(server.taken) == 2


def test_what_one_server_lost_says_nothing_of_the_next(server):
    for _ in range(40):
        server.cycle()
    server.periods.may_be_missed()
    server.close()
    other = server.again()
    for _ in range(6):
        other.cycle()
    other.output.send([note_on(0.0, 0, 60, 64), note_off(0.0, 0, 60)])
    for _ in range(4):
        other.cycle()
    other.close()
    assert len(other.out.left) == 2


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
        while waiting and waiting[0].time <= server.periods.heard_until(server.now):
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
    assert server.periods.heard_until(server.now) < server.now
    server.lost += 0.2
    assert server.periods.heard_until(server.now) == server.now


def test_while_nothing_happens_hardly_any_period_is_told_of(server):
    periods, told, beat = server.periods, [], server.periods._beat
    periods._beat = lambda *more: (told.append(more[0]), beat(*more))
    periods.wakes_at(math.inf)
    for _ in range(200):
        server.cycle()
        assert periods.heard_until(server.now) == pytest.approx(100.0 + server.last_frame_time / RATE, abs=1e-3)
    assert 10 < len(told) < 30 and not any(one.lost for one in told)
    server.cycle([(17, b"\x90\x3c\x40")])
    ((_, time),) = server.taken
    assert time == pytest.approx(100.0 + (server.last_frame_time - FRAMES + 17) / RATE, abs=1e-3)
    server.said.clear()
    due = periods.heard_until(server.now) + 3.5 * PERIOD
    periods.wakes_at(due)
    for _ in range(4):
        assert not server.said
        server.cycle()
    assert server.said and server.said[0] >= due - 1 / RATE


def test_what_sounds_goes_on_over_periods_that_were_skipped(server):
    periods = server.periods
    server.audio._fill = fill = Counted()
    periods.worked(0.0)
    server.cycle()
    left, right = server.cycles(20)
    assert left == right == list(range(1, 1 + 20 * FRAMES))
    server.cycle(skipped=3)
    assert server.speakers[0].period[0] == 1 + 20 * FRAMES, "what was ready sounds now"
    assert server.cycles(5)[0] == list(range(1 + 21 * FRAMES, 1 + 26 * FRAMES))
    assert periods._missing == 0
    starts = np.diff(fill.starts) / PERIOD
    assert np.allclose(np.delete(starts, 20), 1.0, atol=1e-3) and starts[20] == pytest.approx(4.0, abs=1e-3)


def test_what_sounds_for_days_goes_on(server):
    """Frames begin anew after 2 ** 32: what began to sound is not remembered for so long."""
    port, frame = server.audio._speakers[0], 2**32 - 5 * 8192
    for _ in range(40):
        port.fill(frame, np.zeros(8192, dtype=np.float32))
        frame = (frame + 8192) % 2**32
    first, last = (port._port.read, port._port.written) if hasattr(port, "_port") else (port._first, port._last)
    assert last == frame and 8192 <= (last - first) % 2**32 <= 2**15


def test_silence_costs_nothing_and_ends_when_something_is_played(server):
    periods = server.periods
    server.audio._fill = fill = Counted()
    periods.worked(0.0)
    server.cycles(4)
    fill.silent = True
    server.cycle()
    made = len(fill.starts)
    assert not any(server.cycles(30)[0]) and len(fill.starts) == made and periods._missing == 0
    fill.silent = False
    periods.worked(server.now)  # the loop played something
    assert (
        any(server.cycles(3)[0])
        and fill.rested[0] == 0
        and sum(fill.rested) == pytest.approx(31 * FRAMES, abs=2 * FRAMES)
    )


def test_a_period_waits_for_sound_that_is_still_being_made(server):
    periods = server.periods
    slow, goes_on = Counted(), threading.Event()

    def fill(*words):
        assert goes_on.wait(20.0)
        return slow(*words)

    server.audio._fill = type("Slow", (), {"silent": False, "__call__": staticmethod(fill), "rest": slow.rest})()
    server.relay.set_sounding(True)
    periods.worked(0.0)
    goes_on.set()
    server.cycle()
    server.cycle()
    goes_on.clear()
    server.last_frame_time += FRAMES
    server.process()  # nothing of what comes next is ready at its end
    server.last_frame_time += FRAMES
    waiting = threading.Thread(target=server.process)
    waiting.start()
    threading.Timer(0.05, goes_on.set).start()
    waiting.join()
    assert server.speakers[0].period.tolist() == list(range(1 + 2 * FRAMES, 1 + 3 * FRAMES))


def test_a_server_that_runs_free_waits_for_a_loop_that_is_slow(server):
    periods, asked = server.periods, queue.SimpleQueue()
    periods._advanced = lambda: asked.put(periods._heard)

    def work():
        while (until := asked.get()) is not None:
            threading.Event().wait(0.003)  # it is slower than the server
            server.output.send([note_on(until, 0, 60, 64)])
            periods.worked(until)

    worker = threading.Thread(target=work)
    worker.start()
    periods.set_free(True)
    for _ in range(20):
        server.cycle()
    asked.put(None)
    worker.join()
    frames = [frame for frame, _ in server.out.left]
    assert len(frames) >= 17 and [after - before for before, after in pairwise(frames)] == [FRAMES] * (len(frames) - 1)
