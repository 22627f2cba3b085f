"""Together with JACK's transport: at its frame, whoever starts it, and back."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

import jack
import msgspec
import pytest
from tools.jack_devices import leave
from tools.jack_server import jack_server as server

from arpegon.core.document.model import ClockSettings, Held, PortDestination, Section
from arpegon.engine.devices.jack_calls import call_in_periods
from arpegon.engine.wire import protocol
from building import generator, project, strand
from jacking import wait_for

HERE = Path(".")
RATE = 48_000
STEP = RATE * 60 // (120 * 4)
"""Frames of a sixteenth at 120."""
NEAR = 2
"""Frames: what leaves in time leaves at its frame, but for what is rounded."""
SETTLED = 10
"""Periods after which a document that was taken up is at work."""


class Player:
    """Another program: it moves JACK's transport, and hears at which of its frames notes come."""

    def __init__(self, tempo=None):
        self.client = jack.Client("Other player", no_start_server=True)
        self.port = self.client.midi_inports.register("in")
        self.notes, self.frames = [], []
        self.seen = []
        self.tempo = tempo
        self._calls = call_in_periods(self.client, self._process)
        if tempo is not None:
            assert self.client.set_timebase_callback(self._bars, conditional=True)
        self.client.activate()
        self.rest()

    def _process(self, frames):
        state, position = self.client.transport_query_struct()
        self.seen.append((int(state), position.frame))
        for offset, message in self.port.incoming_midi_events():
            message = bytes(message)
            if message[0] & 0xF0 == 0x90:
                self.notes.append((int(state), position.frame + offset, message[1]))
                self.frames.append(self.client.last_frame_time + offset)

    def _bars(self, state, frames, position, new):
        beats = position.frame / RATE * self.tempo / 60.0
        position.bar, position.beat = 1 + int(beats // 4), 1 + int(beats % 4)
        position.tick, position.ticks_per_beat = int(beats % 1 * 1920), 1920.0
        position.beats_per_bar = position.beat_type = 4.0
        position.beats_per_minute = self.tempo
        position.valid = 0x10

    def connect(self):
        found = wait_for(lambda: self.client.get_ports("^Arpegon:out$"))

        def connected():
            try:
                self.client.connect(found[0], self.port)
            except jack.JackError:
                return False
            return True

        wait_for(connected)

    @property
    def state(self):
        return 1 if self.client.transport_state == jack.ROLLING else 0

    def rest(self):
        """Stop, at the start: the server outlives a test."""
        self.client.transport_stop()
        wait_for(lambda: self.client.transport_state == jack.STOPPED)
        self.client.transport_frame = 0
        wait_for(lambda: self.client.transport_frame == 0)

    def close(self):
        self.rest()
        if self.tempo is not None:
            self.client.release_timebase()
            last = len(self.seen) + 2
            wait_for(lambda: len(self.seen) > last)  # JACK's thread is not amid a call of ours
        leave(self.client, self._calls)


@pytest.fixture
def jack_server():
    """One with long periods: what is worked on within one leaves at its frame, also on a busy machine."""
    with server("arpegon-test", 2048, waits=True) as name:
        yield name


@pytest.fixture
def other(jack_server):
    made = Player()
    yield made
    made.close()


def walking(mode, **changes):
    steps = generator("steps", "s", rate="1/16", patterns=[[{"note": 40}]], in_scale=False)
    walk = strand(sources=(steps,), destinations=(PortDestination(),))
    return project(walk, clock=ClockSettings(jack=mode), **changes)


def at_work(live, other, one):
    """Have a document taken up."""
    revision = live.set_project(one, HERE)
    wait_for(lambda: live.reports.telemetry and live.reports.telemetry[-1].revision == revision)
    seen = len(other.seen)
    wait_for(lambda: len(other.seen) >= seen + SETTLED)


def begins(other, low=0, note=40):
    return [frame for state, frame, one in list(other.notes) if state == 1 and one == note and frame >= low]


def on_steps(frames, step=STEP):
    """Whether notes are on the sixteenths of the transport: four of five at their frame, and none before it. On a busy
    machine one may leave late."""
    late = [(frame + NEAR) % step - NEAR for frame in frames]
    return sum(frames_late <= NEAR for frames_late in late) >= 0.8 * len(late) and max(late) < step // 2


def in_step(other, low=0, step=STEP):
    """Wait until eight notes in a row are on the sixteenths: what is joined while it rolls may at first be late."""

    def last_are():
        found = begins(other, low)
        return len(found) >= 8 and on_steps(found[-8:], step)

    wait_for(last_are)


def started(other, step):
    """Where the first notes come when another program starts at a step. Where the server loses a period just then, the
    piece joins what rolls a little later; so it may be tried again."""
    for _ in range(5):
        other.client.transport_frame = step * STEP
        wait_for(lambda: other.client.transport_frame == step * STEP)
        count = len(other.notes)
        other.client.transport_start()
        wait_for(lambda count=count: len(other.notes) >= count + 8)
        found = [frame for state, frame, _ in other.notes[count:] if state == 1]
        if abs(found[0] - step * STEP) <= NEAR and on_steps(found):
            break
        other.rest()
    return found


def test_another_program_that_takes_the_lead_is_reported_and_it_can_be_taken_back(live, other):
    """JACK tells nobody that it lost the lead."""
    document = walking("lead")
    at_work(live, other, document)

    def leads():
        return bool(other.client.transport_query_struct()[1].valid & 0x10)

    live.send(protocol.Play(0.0))
    wait_for(leads)
    other.tempo = 90.0
    other.client.set_timebase_callback(other._bars, conditional=False)
    wait_for(lambda: any("Another program now gives JACK" in notice.text for notice in live.reports.notices))
    for mode in ("off", "lead"):
        live.set_project(msgspec.structs.replace(document, clock=ClockSettings(jack=mode)), HERE)
    wait_for(lambda: other.client.transport_query_struct()[1].beats_per_minute == 120.0)
    other.tempo = None  # it leads no longer


@pytest.mark.parametrize("mode", ["follow", "lead"])
def test_another_program_starts_and_stops_it_at_the_very_frame(live, other, mode):
    at_work(live, other, walking(mode))
    other.connect()
    found = started(other, 0)
    assert found[0] <= NEAR and on_steps(found), found
    assert live.reports.telemetry[-1].playing
    other.client.transport_stop()
    wait_for(lambda: not live.reports.telemetry[-1].playing)
    # Goes to another place, and on from there.
    other.client.transport_frame = 7 * STEP
    wait_for(lambda: abs(live.reports.telemetry[-1].beat - 7 / 4) < 1e-6)
    again = started(other, 7)
    assert abs(again[0] - 7 * STEP) <= NEAR and on_steps(again), again


def test_it_jumps_while_it_rolls(live, other):
    at_work(live, other, walking("follow"))
    other.connect()
    other.client.transport_start()
    wait_for(lambda: len(begins(other)) >= 6)
    other.client.transport_frame = 400 * STEP
    in_step(other, 399 * STEP)
    assert live.reports.telemetry[-1].beat > 100.0


def test_play_and_stop_here_start_and_stop_all_others(live, other):
    at_work(live, other, walking("follow"))
    other.connect()
    live.send(protocol.Play(2.0))
    in_step(other)
    assert 8 * STEP - NEAR <= begins(other)[0] < 9 * STEP, begins(other)
    live.send(protocol.Stop())
    wait_for(lambda: other.state == 0 and not live.reports.telemetry[-1].playing)
    live.send(protocol.Locate(4.0))
    wait_for(lambda: other.client.transport_frame == 16 * STEP)
    live.send(protocol.Act("play"))  # as a pad that is hooked up does
    wait_for(lambda: other.state == 1)


def test_a_section_that_is_gone_to_takes_all_others_along(live, other):
    at_work(
        live, other, walking("lead", sections=(Section(id="a", name="A", bars=64), Section(id="b", name="B", bars=64)))
    )
    other.connect()
    live.send(protocol.Play(0.0))
    wait_for(lambda: len(begins(other)) >= 6)
    live.send(protocol.GoToSection(1))
    there = 64 * 16 * STEP
    in_step(other, there)
    assert begins(other, there)[0] < there + 3 * STEP
    gaps = [after - before for before, after in pairwise(other.frames)]
    assert sum(abs(gap - STEP) <= NEAR for gap in gaps) >= 0.7 * len(gaps), gaps  # it was heard to play on
    live.send(protocol.Stop())
    wait_for(lambda: other.state == 0 and not live.reports.telemetry[-1].playing)
    # While it stands, too.
    live.send(protocol.GoToSection(1))
    wait_for(lambda: other.client.transport_frame == there)
    assert other.state == 0 and not live.reports.telemetry[-1].playing


def test_bars_and_tempo_are_said_where_it_leads(live, other):
    sections = (
        Section(id="a", name="A", bars=1),
        Section(id="b", name="B", bars=8, holds=(Held(param="tempo", value=60.0), Held(param="meter_beats", value=3))),
    )
    at_work(live, other, walking("lead", sections=sections))
    other.connect()
    other.client.transport_start()
    wait_for(lambda: len(begins(other)) >= 3)

    def bar():
        position = other.client.transport_query_struct()[1]
        if not position.valid & 0x10:
            return None
        return position.bar, position.beats_per_minute, position.beats_per_bar

    assert wait_for(bar) == (1, 120.0, 4.0)
    wait_for(lambda: bar() == (3, 60.0, 3.0))
    at_work(live, other, walking("off"))
    wait_for(lambda: not other.client.transport_query_struct()[1].valid & 0x10)


def test_what_rolls_already_is_joined(live, other):
    other.client.transport_start()
    wait_for(lambda: other.state == 1)
    at_work(live, other, walking("follow"))
    other.connect()
    in_step(other)


def test_while_the_server_runs_free_every_note_leaves_at_its_frame(live, other):
    """As where another program bounces what it hears: there is no time to be late in."""
    at_work(live, other, walking("follow"))
    other.connect()
    other.client.transport_start()
    in_step(other)
    other.client.set_freewheel(True)
    try:
        first = len(begins(other))
        wait_for(lambda: len(begins(other)) >= first + 400)
        found = begins(other)[first + 8 : first + 400]
    finally:
        other.client.set_freewheel(False)
    assert [after - before for before, after in pairwise(found)] == [STEP] * 391
    assert found[0] % STEP <= NEAR
    count = len(begins(other))
    wait_for(lambda: len(begins(other)) >= count + 16 and on_steps(begins(other)[-8:]))  # and on, in time again


def test_the_tempo_of_whoever_leads_is_followed(live, jack_server):
    other = Player(tempo=90.0)
    try:
        at_work(live, other, walking("follow"))
        other.connect()
        other.client.transport_start()
        in_step(other, step=RATE * 60 // (90 * 4))
        assert live.reports.telemetry[-1].tempo == pytest.approx(90.0)
        at_work(live, other, walking("follow", title="edited"))
        wait_for(lambda: len(begins(other)) >= 16)
        assert live.reports.telemetry[-1].tempo == pytest.approx(90.0)
        at_work(live, other, walking("off"))
        wait_for(lambda: live.reports.telemetry[-1].tempo == 120.0)
    finally:
        other.close()


def test_left_alone_nothing_moves_either(live, other):
    at_work(live, other, walking("off"))
    other.connect()
    other.client.transport_start()
    wait_for(lambda: other.state == 1)
    live.send(protocol.Locate(3.0))
    wait_for(lambda: live.reports.telemetry and live.reports.telemetry[-1].beat == 3.0)
    assert not live.reports.telemetry[-1].playing and not other.notes
    other.client.transport_stop()
    wait_for(lambda: other.state == 0)
    live.send(protocol.Play(0.0))
    wait_for(lambda: other.notes)
    assert other.state == 0
