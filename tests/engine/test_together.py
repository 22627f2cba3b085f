"""JACK's transport by itself: an hour of drift, starts that are asked for again, leaders that jump backwards."""

from __future__ import annotations

import pytest

from arpegon.core.notes.course import Course
from arpegon.core.time.clock import Clock
from arpegon.engine.clocks.jack_transport import ROLLING, STARTING, STOPPED, JackTransport, Place

RATE, FRAMES = 48_000, 1024
PERIOD = FRAMES / RATE
LATE = 2


class World:
    """A server whose cards run fast or slow, and a piece; the loop does at once what is asked of it."""

    def __init__(self, mode="follow", drift=0.0):
        self.clock = Clock(120.0)
        self.begun, self.asked = [], []
        self.transport = JackTransport(self, self, self.soon, LATE)
        self.transport.mode = mode
        self.transport.course = Course(tempi=((0.0, 120.0),), meters=((0.0, (4, 4), 1),))
        self.now, self.frame, self.drift = 100.0, 0, drift
        self.state, self.place_of = STOPPED, lambda frame: Place(frame)
        self.tasks, self.behind = [], 0
        """What the loop is asked for, and how many periods later it hears of it."""
        self.count = 0

    def soon(self, task):
        self.tasks.append((self.count + self.behind, task))
        self.work()

    def work(self):
        while self.tasks and self.tasks[0][0] <= self.count:
            self.tasks.pop(0)[1](self.now)

    # the piece
    def begin(self, time, beat):
        self.begun.append((time, beat))
        self.clock.start(time, beat)

    def cease(self, time):
        self.clock.stop(time)

    def place(self, time, beat):
        self.begun.append(("placed", beat))

    def nudge(self, seconds):
        self.clock.shift(seconds)

    def set_tempo(self, time, tempo):
        self.clock.set_tempo(time, tempo)

    # the server
    def start_transport(self):
        self.state = STARTING

    def stop_transport(self):
        self.state = STOPPED

    def locate_transport(self, frame):
        self.frame = frame
        self.state = STARTING if self.state != STOPPED else STOPPED

    def period(self):
        ready = False
        if self.state == STARTING:
            ready = self.transport.sync(STARTING, self.place_of(self.frame), self.now, FRAMES, RATE)
        self.transport.cycle(self.state, self.place_of(self.frame), self.now, FRAMES, RATE)
        if self.state == ROLLING:
            self.frame += FRAMES
        if ready:
            self.state = ROLLING
        self.now += PERIOD * (1.0 + self.drift)
        self.count += 1
        self.work()

    def roll(self, periods):
        for _ in range(periods):
            self.period()

    @property
    def astray(self):
        """By how many seconds what leaves now is off the transport's frame."""
        leaves = self.clock.beat_at(self.now - LATE * PERIOD)
        return (leaves - self.frame / RATE * 2.0) / 2.0


@pytest.mark.parametrize("drift", [0.0, 1e-4, -1e-4])
def test_it_does_not_drift_in_an_hour(drift):
    world = World(drift=drift)
    world.start_transport()
    world.roll(20)
    worst = 0.0
    for _ in range(round(3600.0 / PERIOD)):
        world.period()
        worst = max(worst, abs(world.astray))
    assert worst < 0.00006, "what the clock drifts between two looks"
    assert world.clock.beat_at(world.now) > 7000.0


def test_a_start_waits_until_the_piece_can_be_there():
    world = World()
    world.start_transport()
    world.roll(12)
    ((_, beat),) = world.begun
    assert beat == 0.0 and world.state == ROLLING and abs(world.astray) < 1e-9
    # The piece began before the transport rolled, by as much as it takes to leave.
    assert world.clock.time_at(0.0) == pytest.approx(world.now - world.frame / RATE - LATE * PERIOD)
    world.stop_transport()
    world.roll(2)
    assert not world.clock.playing


def test_others_wait_for_a_loop_that_hears_late_of_a_start():
    world = World()
    world.behind = 9
    world.start_transport()
    world.roll(9)
    world.behind = 1
    world.roll(30)
    assert world.state == ROLLING and abs(world.astray) < 1e-9
    ((time, beat),) = world.begun
    assert beat == 0.0 and time == pytest.approx(world.now - world.frame / RATE - LATE * PERIOD), "begun once, in time"


@pytest.mark.parametrize("said", [False, True])
def test_a_loop_that_hears_late_of_what_rolls_joins_it_where_it_is_by_then(said):
    world = World()
    if said:
        world.place_of = lambda frame: Place(frame, frame / RATE * 2.0, 120.0)
    world.behind = 9
    world.state, world.frame = ROLLING, 12_345
    world.roll(40)
    assert len(world.begun) == 1 and abs(world.astray) < 1e-9


def test_a_place_that_is_asked_for_while_it_starts_or_rolls_is_where_it_begins():
    world = World()
    world.start_transport()
    world.roll(3)
    world.locate_transport(96_000)
    world.roll(12)
    assert world.begun[-1][1] == 4.0 and abs(world.astray) < 1e-9
    world.locate_transport(48_000)
    world.roll(12)
    assert world.begun[-1][1] == 2.0 and abs(world.astray) < 1e-9


def test_while_it_stands_the_piece_goes_where_the_transport_goes():
    world = World()
    assert world.transport.sync(STOPPED, Place(24_000), world.now, FRAMES, RATE)
    assert world.begun == [("placed", 1.0)]


def test_a_server_that_did_not_wait_is_joined():
    world = World()
    world.state, world.frame = ROLLING, 12_345
    world.roll(40)
    assert abs(world.astray) < 1e-9


def test_a_leader_that_jumps_backwards_is_met_again():
    world = World()
    world.start_transport()
    world.roll(100)
    world.frame -= 90 * FRAMES
    world.roll(40)
    assert abs(world.astray) < 1e-9 and world.clock.playing


def test_what_a_leader_says_of_beats_and_tempo_is_taken_and_nonsense_is_not():
    world = World()
    world.place_of = lambda frame: Place(frame, frame / RATE * 1.5, 90.0)
    world.start_transport()
    world.roll(60)
    assert world.clock.tempo == 90.0 and world.clock.beat_at(world.now - LATE * PERIOD) == pytest.approx(
        world.frame / RATE * 1.5
    )
    world.place_of = lambda frame: Place(frame, -3.0, 0.0)
    world.roll(60)
    assert world.clock.tempo == 90.0


def test_left_alone_it_keeps_nobody_waiting():
    world = World(mode="off")
    assert world.transport.sync(STARTING, Place(0), world.now, FRAMES, RATE)
    world.state = ROLLING
    world.roll(10)
    assert not world.begun


def test_where_it_leads_bars_are_those_of_the_piece():
    world = World(mode="lead")
    world.transport.course = Course(
        tempi=((0.0, 120.0), (4.0, 60.0)), meters=((0.0, (4, 4), 1), (4.0, (3, 4), 2), (10.0, (6, 8), 4))
    )
    said = world.transport.bar_of(round(2.0 * RATE), RATE)
    assert (said["bar"], said["beat"], said["tick"], said["beats_per_minute"]) == (2, 1, 0, 60.0)
    said = world.transport.bar_of(round((2.0 + 3.5) * RATE), RATE)
    assert (said["bar"], said["beat"], said["tick"], said["beats_per_bar"]) == (3, 1, 480, 3.0)
    said = world.transport.bar_of(round((2.0 + 6.5) * RATE), RATE)
    assert (said["bar"], said["beat"], said["beat_type"]) == (4, 2, 8.0)
    for beat in (0.0, 3.25, 7.5, 11.0):
        frame = world.transport.frame_of(beat, RATE)
        assert world.transport.beat_of(Place(frame), RATE) == pytest.approx(beat, abs=1e-4)


@pytest.mark.parametrize("late", [0.0, 0.3, 0.9])
@pytest.mark.parametrize("tempo", [None, 90.0])
def test_where_the_piece_jumps_all_others_come_along_and_it_plays_on(late, tempo):
    world = World("follow")
    if tempo is not None:
        world.place_of = lambda frame: Place(frame, frame / RATE * tempo / 60.0, tempo)
    world.start_transport()
    world.roll(40)
    begun = len(world.begun)
    line = world.now - (1.0 + late) * PERIOD  # the loop hears of a period once it is over
    world.clock.start(line, 64.0)
    world.transport.ask_along(line, 64.0, RATE)
    world.roll(40)
    assert len(world.begun) == begun and world.state == ROLLING and world.clock.playing
    beats = world.frame / RATE * (tempo or 120.0) / 60.0
    assert world.clock.beat_at(world.now - LATE * PERIOD) == pytest.approx(beats, abs=1e-4)
    assert 64.0 < beats < 66.0
    before = world.clock.time_at(64.0)
    assert before == pytest.approx(line, abs=1e-4), "nobody heard that others moved"


def test_others_that_take_their_time_to_come_along_are_met():
    world = World("lead")
    world.start_transport()
    world.roll(40)
    line = world.now - PERIOD
    world.clock.start(line, 64.0)
    world.transport.ask_along(line, 64.0, RATE)
    for _ in range(4):  # another program is not ready yet
        assert world.transport.sync(STARTING, Place(world.frame), world.now, FRAMES, RATE)
        world.transport.cycle(STARTING, Place(world.frame), world.now, FRAMES, RATE)
        world.now += PERIOD
    world.roll(40)
    assert abs(world.astray) < 1e-9 and world.state == ROLLING
    # Somebody else goes elsewhere meanwhile: there it begins, as ever.
    world.transport.ask_along(world.now - PERIOD, 8.0, RATE)
    world.locate_transport(RATE)
    world.roll(40)
    assert world.begun[-1][1] == 2.0 and abs(world.astray) < 1e-9
