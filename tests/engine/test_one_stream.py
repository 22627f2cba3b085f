"""What passed every tap is what is remembered, whatever is edited, silenced, killed or late; and every note ends."""

from __future__ import annotations

import math

import msgspec
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from test_promises import edited, played, settle, sources, stages

from arpegon.core.document import edits
from arpegon.core.document.model import Held, Hookup, Section
from arpegon.core.errors import DocumentError
from arpegon.core.events import HOLD_PEDALS, NOTE_OFF, NOTE_ON, Event, control
from arpegon.core.notes.pressed import Pressed, is_pedal
from arpegon.core.notes.taps import IN, Batch, Tap
from arpegon.engine.live.keeper import MemoryKeeper
from arpegon.engine.live.reporter import BACKLOG_LIMIT, Reporter
from arpegon.engine.simulation import Engine
from arpegon.engine.wire.protocol import Telemetry
from building import project, strand


class Wire:
    """A channel to a window that may not read for a while."""

    def __init__(self, take):
        self.take = take
        self.stuck = False
        self._messages = []

    @property
    def waiting(self):
        return BACKLOG_LIMIT + 1 if self.stuck else len(self._messages)

    def send(self, message):
        self.take(message)


class Truth:
    """What passed every tap, written down where it happens, before anything is batched."""

    def __init__(self):
        self.told: dict[Tap, list[Event]] = {}
        self.fresh: list[tuple[Tap, Event]] = []
        self.mixed = False

    def passed(self, strand_id, places, events):
        self.fresh += [(Tap(strand_id, place), event) for place in places for event in events]

    def reported(self):
        for tap, event in self.fresh:
            self.told.setdefault(tap, []).append(event)
        self.fresh = []

    def went(self, taps, time):
        """Taps that are gone: what is open there ends."""
        for tap in {*self.told, *(tap for tap, _ in self.fresh)} - set(taps):
            open_here = open_notes(self.at(tap))
            self.fresh += [(tap, event) for event in open_here.release(time)]

    def at(self, tap):
        """What passed a tap, told or not."""
        return [*self.told.get(tap, ()), *(event for one, event in self.fresh if one == tap)]

    def killed(self, time):
        """What was not told went with the engine; what was told and is open ends."""
        self.fresh = []
        for events in self.told.values():
            events += open_notes(events).release(time)


def open_notes(events):
    waiting = Pressed()
    waiting.follow(events)
    return waiting


def pedals_down(events):
    return list(filter(is_pedal, open_notes(events).held))


class Run:
    """An engine with its reporter and its keeper, as the two processes have them."""

    def __init__(self, now):
        self.keeper = MemoryKeeper(lambda text: None, seconds=math.inf)
        self.keeper.begin(None)
        self.truth = Truth()
        self.revision = 0
        self.revisions = []
        self.wire = Wire(self._taken)
        self.engine = self._started()
        self.apply(now, 0.0)

    def _taken(self, message):
        assert isinstance(message, (Batch, Telemetry))
        if isinstance(message, Batch):
            self.revisions.append(message.revision)
        self.keeper.take(message)

    def _started(self):
        self.sent = []
        """What its instruments got from the engine that works."""
        self.reporter = Reporter(self.wire, lambda *_: None, lambda _, events: self.sent.extend(events), lambda _: None)
        printed, revised = self.reporter.printed, self.reporter.revised

        def watched(strand_id, places, events):
            self.truth.passed(strand_id, places, events)
            printed(strand_id, places, events)

        def went(revision, taps, time):
            self.truth.went(taps, time)
            revised(revision, taps, time)

        self.reporter.printed, self.reporter.revised = watched, went
        return Engine(self.reporter)

    def apply(self, now, time):
        self.revision += 1
        self.keeper.on_revision(now, self.revision)
        self.engine.apply(now, {}, time, revision=self.revision)
        self.now = now

    def report(self):
        if self.reporter.send_batches():
            self.truth.reported()

    def kill(self, time):
        self.wire.stuck = False
        self.truth.killed(time)
        passages = self.keeper.open_ends(time)
        if passages:
            self.keeper.take(Batch(self.revision, passages))
        engine, self.engine = self.engine, self._started()
        self.engine.now = engine.now
        self.apply(self.now, engine.now)

    def remembered(self):
        return {tap: list(events) for tap, events in self.keeper.history().events.items()}


def in_order(events):
    """Events at one moment in one order, so that the ends of several notes at a kill compare."""
    return sorted(events, key=lambda event: (event.time, event.status & 0xF0 != NOTE_OFF))


@settings(max_examples=200, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large])
@given(st.data())
def test_the_memory_holds_exactly_what_passed_each_tap_and_every_note_in_it_ends(data):
    now = project(
        strand(*data.draw(stages("s")), strand_id="a", sources=data.draw(sources("g"))),
        strand(*data.draw(stages("t", 2)), strand_id="b", sources=data.draw(sources("h"))),
    )
    holds = (Held(target="a", param="muted", value=True),)
    calm, busy = Section(id="calm", name="Calm", bars=1), Section(id="busy", name="Busy", bars=1, holds=holds)
    now = msgspec.structs.replace(now, sections=(calm, busy) if data.draw(st.booleans()) else ())
    for number, target, param in ((1, "s0", "bypass"), (7, "b", "muted"), (101, "", "tempo")):
        if data.draw(st.booleans()):
            hookup = Hookup(id="", control="cc", number=number, target=target, param=param, passes=True)
            now, _ = edits.add_hookup(now, hookup)
    run = Run(now)
    engine = run.engine
    for event in data.draw(played()):
        engine = run.engine
        time = max(event.time, engine.now)
        if data.draw(st.integers(0, 3)) == 0:
            number = data.draw(st.sampled_from(sorted(HOLD_PEDALS)))
            value = data.draw(st.sampled_from([0, 40, 90, 127]))
            engine.feed("surface", control(time, data.draw(st.integers(0, 1)), number, value))
        engine.feed("surface", event.at(time))
        engine.run(time)
        what = data.draw(st.integers(0, 16))
        if what <= 5:
            try:
                run.apply(edited(data.draw, run.now), time)
            except DocumentError:
                run.apply(run.now, time)
        elif what == 6:
            engine.all_off(time)
            for tap in run.truth.told:
                left = open_notes(run.truth.at(tap))
                assert not left.first and (tap.place != IN or not left.held), f"{tap} goes on"
        elif what == 7:
            engine.play(time, 0.0)
        elif what == 8:
            engine.stop(time)
        elif what == 9:
            engine.sections.go(data.draw(st.integers(0, 1)), time)
        elif what == 10:
            run.wire.stuck = not run.wire.stuck
        elif what == 11:
            engine.lost("surface", time)
        elif what == 12:
            run.kill(time)
        if data.draw(st.integers(0, 2)) == 0:
            run.report()
    run.wire.stuck = False
    engine = run.engine
    for key in range(128):
        for channel in range(2):
            engine.feed("surface", Event(engine.now, NOTE_OFF | channel, key, 64))
    settle(engine, run.now, run.apply)
    engine.finish(engine.now)
    run.report()
    remembered = run.remembered()
    assert {tap: in_order(events) for tap, events in remembered.items()} == {
        tap: in_order(events) for tap, events in run.truth.told.items() if events
    }
    for tap, events in remembered.items():
        assert not open_notes(events).first, f"notes hang at {tap}"
        assert tap.place != IN or not pedals_down(events), f"pedals hang at {tap}"
    assert not pedals_down(run.sent), "pedals hang at the instruments"
    assert run.revisions == sorted(run.revisions), "batches of an earlier document came after those of a later one"


def test_all_off_ends_what_was_printed_where_it_was_played_too():
    run = Run(project(strand()))
    run.engine.feed("surface", Event(0.1, NOTE_ON, 60, 90))
    run.engine.run(0.1)
    run.engine.all_off(0.2)
    run.report()
    for place in ("in", "out"):
        assert [(event.kind, event.time) for event in run.remembered()["a", place]] == [(NOTE_ON, 0.1), (NOTE_OFF, 0.2)]


def test_a_batch_never_mixes_two_documents():
    run = Run(project(strand()))
    run.engine.feed("surface", Event(0.1, NOTE_ON, 60, 90))
    run.engine.run(0.1)
    changed, _ = edits.add_stage(run.now, "a", "chord", 0)
    run.apply(changed, 0.2)
    run.engine.feed("surface", Event(0.3, NOTE_OFF, 60, 90))
    run.engine.run(0.3)
    run.report()
    assert run.revisions == [1, 2]


def test_what_is_let_go_by_an_edit_belongs_to_the_document_in_which_it_sounded():
    run = Run(project(strand(edits.add_stage(project(strand()), "a", "chord", 0)[0].strands[0].stages[0])))
    stage_id = run.now.strands[0].stages[0].id
    run.engine.feed("surface", Event(0.1, NOTE_ON, 60, 90))
    run.engine.run(0.1)
    run.apply(edits.remove_stage(run.now, stage_id), 0.2)
    run.report()
    assert run.revisions == [1]
    assert not open_notes(run.remembered()["a", stage_id]) and not open_notes(run.remembered()["a", "out"])


def test_a_window_that_does_not_read_loses_nothing_when_it_reads_again():
    run = Run(project(strand()))
    run.wire.stuck = True
    for place in range(50):
        run.engine.feed("surface", Event(place, NOTE_ON, 60, 90))
        run.engine.feed("surface", Event(place + 0.5, NOTE_OFF, 60, 90))
        run.engine.run(place + 0.6)
        run.report()
    assert run.remembered() == {}
    run.wire.stuck = False
    run.report()
    assert len(run.remembered()["a", "out"]) == 100


def test_what_passes_a_place_by_several_ways_is_remembered_in_its_order():
    run = Run(project(strand(edits.add_stage(project(strand()), "a", "chord", 0)[0].strands[0].stages[0])))
    stage_id = run.now.strands[0].stages[0].id
    times = [0.1, 0.2, 0.3, 0.4, 0.5]
    ways = [(stage_id, "out"), ("out",), (stage_id, "out"), ("in",), ("out",)]
    for time, places in zip(times, ways, strict=True):
        run.reporter.printed("a", places, [control(time, 0, 1, 9)])
    run.report()
    assert [event.time for event in run.remembered()["a", "out"]] == [0.1, 0.2, 0.3, 0.5]
    assert [event.time for event in run.remembered()["a", stage_id]] == [0.1, 0.3]
