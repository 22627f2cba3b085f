"""What the engine tells the window: the outputs of its strands, and how it is."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence

import msgspec

from arpegon.core.events import CONTROL, NOTE_ON, Event
from arpegon.core.notes.course import TimeFacts
from arpegon.core.notes.flood import thin
from arpegon.core.notes.taps import IN, Batch, OpenNotes, Passage, Tap
from arpegon.core.time import studio
from arpegon.engine.devices.lateness import Lateness
from arpegon.engine.wire import protocol
from arpegon.engine.wire.wire import Wire

_HEARD_LIMIT = 64
BACKLOG_LIMIT = 600
"""Messages that may wait for a window that does not read (ten seconds of them), before no more are sent: what was
printed is then kept here until it reads again."""
KEPT_LIMIT = 500_000
"""Events kept for a window that does not read, before controllers among them are thinned (some 50 MB)."""

_NOWHERE: dict[tuple[str, ...], list[Event]] = {}

Send = Callable[[str, Sequence[Event]], None]

_START_SECONDS = 6.0
"""While devices are opened and sounds made ready."""


class Reporter:
    """The engine's outputs, live: events go out at once, and what passed is told in batches.

    Args:
        wire: the way to the window.
        port: sends events to a MIDI output.
        instrument: plays events on a built-in instrument.
        beat: where the transport is at a time; ``None`` while it stands.
    """

    def __init__(self, wire: Wire, port: Send, instrument: Send, beat: Callable[[float], float | None]) -> None:
        self._wire = wire
        self._beat = beat
        self._instrument = instrument
        self.port = port
        self.revision = 0
        """The document at work."""
        self._batches: list[Batch] = []
        """What was printed under earlier revisions, or could not be sent."""
        self._passages: list[Passage] = []
        """What was printed since,"""
        self._goes_on: dict[str, dict[tuple[str, ...], list[Event]]] = {}
        """and to which events of it more can be added, by strand and places: as long as nothing else passed any of
        these places, where all stays in its order."""
        self._kept = 0
        self._facts: list[TimeFacts] = []
        self._open = OpenNotes()
        self._passed: list[protocol.Passed] = []
        self._heard: list[tuple[str, Event]] = []
        self._controls: dict[str, dict[int, int]] = {}
        self.lateness = Lateness()
        """Of what was worked on."""
        self.late_p99 = 0.0
        self.timing = 0.0
        """How far from its own time what left was: the 99th percentile, in seconds."""
        self.rate = 0.0
        """Events that came in a second, of late."""
        self._counted = 0
        self._rate_since = self._began = studio.now()

    # -- outputs of the graph ----------------------------------------------------------------------

    def instrument(self, instrument: str, events: Sequence[Event]) -> None:
        self._instrument(instrument, events)
        for event in events:
            if event.status & 0xF0 == CONTROL:
                self._controls.setdefault(instrument, {})[event.data1] = event.data2

    def printed(self, strand: str, places: tuple[str, ...], events: Sequence[Event]) -> None:
        known = self._goes_on.get(strand, _NOWHERE).get(places)
        if known is None:
            self._begin_passage(strand, places, events)
        else:
            known += events
        self._open.follow(strand, places, events)
        if places[0] == IN:
            self._counted += len(events)

    def _begin_passage(self, strand: str, places: tuple[str, ...], events: Sequence[Event]) -> None:
        ways = self._goes_on.setdefault(strand, {})
        for other in [other for other in ways if not set(places).isdisjoint(other)]:
            del ways[other]
        passage = Passage(strand, places, list(events))
        ways[places] = passage.events
        self._passages.append(passage)

    def revised(self, revision: int, taps: Collection[Tap], time: float) -> None:
        for tap in [tap for tap in self._open if tap not in taps]:
            # A stage that only lets notes pass has nothing to let go of, but its paper goes with it.
            ends = self._open.pop(tap).release(time)
            if ends:
                self._begin_passage(tap.strand, (tap.place,), ends)
        self._close_batch()
        self.revision = revision

    def timed(self, facts: TimeFacts) -> None:
        self._facts.append(facts)

    def passed(self, stage: str, event: Event | None, out: Sequence[Event]) -> None:
        beat = self._beat((event or out[0]).time)
        self._passed.append(protocol.Passed(stage, beat, event, list(out)))

    def heard(self, name: str, event: Event, learning: bool) -> None:
        """An event came in from outside, whether or not a strand takes it."""
        if (learning or event.status & 0xF0 == NOTE_ON) and len(self._heard) < _HEARD_LIMIT:
            self._heard.append((name, event))

    # -- reports -----------------------------------------------------------------------------------

    @property
    def waiting(self) -> bool:
        """Whether anything happened that was not told."""
        return bool(self._facts or self._passages or self._passed or self._heard or self._batches)

    def _close_batch(self) -> None:
        if self._passages or self._facts:
            self._batches.append(Batch(self.revision, self._passages, self._facts))
            self._passages, self._goes_on, self._facts = [], {}, []

    def send_batches(self) -> bool:
        """Tell what was printed; False where the window does not read: then it is kept, and nothing more is told."""
        self._close_batch()
        if self._wire.waiting > BACKLOG_LIMIT:
            self._thin_kept()
            return False
        for batch in self._batches:
            self._wire.send(batch)
        self._batches = []
        return True

    def _thin_kept(self) -> None:
        """Too much is kept: leave out controller values that others followed, never notes."""
        kept = sum(len(passage.events) for batch in self._batches for passage in batch.passages)
        if kept > max(KEPT_LIMIT, 2 * self._kept):
            for batch in self._batches:
                for passage in batch.passages:
                    passage.events = thin(passage.events, 0)
            self._kept = sum(len(passage.events) for batch in self._batches for passage in batch.passages)

    def send(self, telemetry: protocol.Telemetry) -> None:
        """Tell how things are, with what passed the watched stage and what was heard."""
        passed, self._passed = self._passed, []
        heard, self._heard = self._heard, []
        controls, self._controls = self._controls, {}
        self._wire.send(msgspec.structs.replace(telemetry, passed=passed, heard=heard, controls=controls))

    def drop(self) -> None:
        """The window does not read: what is only for the eye is left out."""
        self._passed, self._heard, self._controls = [], [], {}

    def measure(self, now: float, left: Iterable[Lateness]) -> None:
        """Reckon rates anew, once a second.

        Args:
            left: the lateness of what left, where that is known: at its frame, or later.
        """
        elapsed = now - self._rate_since
        if elapsed >= 1.0:
            self.rate = self._counted / elapsed
            self.late_p99 = self.lateness.p99(now) or 0.0
            if now - self._began < _START_SECONDS:
                left = ()  # what was late then is the start, not the music
            known = [late for one in left if (late := one.p99(now)) is not None]
            self.timing = max(known) if known else self.late_p99
            self._counted, self._rate_since = 0, now
