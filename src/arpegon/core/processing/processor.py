"""The protocol of a processor, and the base of those that map notes.

A processor gets a batch of events in order and appends what comes out to a list. Batches are short live
(what arrived together) and long offline; nothing may depend on how the events were cut into batches.
"""

from __future__ import annotations

import heapq
import math
import random
from collections.abc import Callable, Mapping, Sequence
from itertools import count
from typing import Any, ClassVar

import msgspec

from arpegon.core.events import NOTE_OFF, NOTE_ON, POLY_PRESSURE, Event, note_off
from arpegon.core.notes.ledger import NoteLedger
from arpegon.core.notes.pairing import Pairing, note_key
from arpegon.core.processing.parameters import Param, with_defaults
from arpegon.core.theory.scales import Key
from arpegon.core.time.clock import Clock, Moment, bar_beats


class Context(msgspec.Struct, frozen=True):
    """What a stage may know of the project around it."""

    key: Key = Key()
    identity: str = ""
    seed: int | None = None
    """Replaces the stage's own seed for a whole run (``render --seed``)."""
    meter: tuple[int, int] = (4, 4)
    clock: Clock = msgspec.field(default_factory=Clock)
    """For lengths in beats, and for stages that wait for the transport."""
    own: Clock | None = None
    """The stage's own, where it runs at a tempo of its own."""

    @property
    def pace(self) -> Clock:
        """The clock that its steps follow: its own, or the piece's."""
        return self.clock if self.own is None else self.own

    def bars_passed(self, time: float, beat: float) -> int:
        """Count the bar lines passed at a time: the piece's, or those of its own tempo, which is on ``beat`` then."""
        if self.own is None:
            return self.clock.lines_at(time)
        return math.floor(beat / bar_beats(self.meter) + 1e-6)


class Processor:
    """One stage at work: declared parameters, and a mapping of events to events.

    Subclasses set the class attributes and override :meth:`on_configure` and :meth:`process`.
    """

    kind: ClassVar[str]
    label: ClassVar[str]
    summary: ClassVar[str]
    """What it does to the music, in a sentence."""
    params: ClassVar[tuple[Param, ...]] = ()
    timed: ClassVar[bool] = False
    """Whether it emits of its own accord: then :meth:`due` and :meth:`advance` are asked for."""
    fresh: ClassVar[Mapping[str, Any]] = {}
    """What differs from the defaults where one is put in by hand: nothing falls silent before it is told otherwise."""
    cut_by_bypass: ClassVar[bool] = False
    """Whether it lets go of its notes when it is bypassed or taken back in (it holds some that no key holds)."""

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self.bypass = False
        self._works = False
        self.values: dict[str, Any] = {}
        self.context = context
        self._seed: tuple[int, int | None] | None = None
        self.configure(values, context)
        self.restart()

    def configure(self, values: Mapping[str, Any], context: Context) -> None:
        """Take new values (checked ones; those left out have their defaults) without losing held notes.

        Where it cannot work with them it raises what went wrong, and works on as before.
        """
        before = (self.values, self.context) if self._works else None
        self.values = with_defaults(self.params, values)
        self.context = context
        try:
            self.on_configure()
        except Exception:
            if before is not None:
                self.values, self.context = before
                self.on_configure()
            raise
        self._works = True

    def on_configure(self) -> None:
        """Derive from ``self.values`` whatever :meth:`process` needs at hand."""

    def restart(self) -> None:
        """Begin anew, as at the start of the piece (random draws start over)."""

    def process(self, events: Sequence[Event], out: list[Event]) -> None:
        """Append to ``out`` what ``events`` become."""
        raise NotImplementedError

    def due(self) -> float:
        """When it emits next of its own accord, in seconds (infinity: not, as things are)."""
        return math.inf

    def advance(self, until: float, out: list[Event]) -> None:
        """Emit, in order of time, what falls due up to ``until`` seconds."""

    def process_until(self, events: Sequence[Event], until: float, out: list[Event]) -> float:
        """:meth:`process` and :meth:`advance` in one; when it emits next, as :meth:`due` says."""
        if events:
            self.process(events, out)
        if not self.timed:
            return math.inf
        self.advance(until, out)
        return self.due()

    def release(self, time: float, out: list[Event]) -> None:
        """Let go of every note that this stage started and still holds."""

    def on_join(self, time: float) -> None:
        """It joins an engine that runs, at a time."""

    def on_caught_up(self, time: float) -> None:
        """All that was due up to a time was emitted: what new values make due is due from then on."""

    def on_halt(self, time: float) -> None:
        """The transport stopped, at a time."""

    def forget_launch(self) -> None:
        """Start nothing that was asked for and waits for a line."""

    def on_jump(self) -> None:
        """The beats of its own tempo were set to another place: what is due next must be found anew."""

    def command(self, act: str, value: float | None, time: float) -> None:
        """Do what a hookup or a button asks for, such as ``start`` (so many times) and ``stop``."""

    def live(self, time: float) -> list[float]:
        """What its editor shows of where it is at a time, such as the step that sounds; empty where nothing."""
        return []

    @classmethod
    def swallows(cls, values: Mapping[str, Any]) -> str | None:
        """Why no note can come out with these values, in words ("it has no voices"); ``None`` where some can."""
        return None

    @classmethod
    def lets_values(cls, values: Mapping[str, Any]) -> bool:
        """Whether controllers and the like pass on purpose where no note does."""
        return False

    @classmethod
    def waits_for_clock(cls, values: Mapping[str, Any]) -> bool:
        """Whether nothing comes out with these values while the transport stands still."""
        return False

    @classmethod
    def fit_toss(cls, values: Mapping[str, Any], pattern: list[dict[str, Any]], key: Key) -> list[dict[str, Any]]:
        """A pattern that was tossed, made to fit the other values."""
        return pattern

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        """The settings in three or four words, for the bar on the board."""
        return ""

    def new_seed(self) -> bool:
        """Whether the seed is another one than at the last call: then draws begin anew."""
        before, self._seed = self._seed, (self.values["seed"], self.context.seed)
        return before != self._seed

    @property
    def waits(self) -> bool:
        """Whether it was started and waits for its line."""
        return False

    @property
    def left_out(self) -> int:
        """How many notes it would have made were left out because there were too many at once."""
        return 0

    def generator(self, purpose: str = "") -> random.Random:
        """Random draws of this stage's own: the same seed gives the same draws, another ``purpose`` others."""
        seed = self.values["seed"] if self.context.seed is None else self.context.seed
        return random.Random(f"{seed}/{self.context.identity}{'/' if purpose else ''}{purpose}")


class NoteMaker(Processor):
    """The base of processors that start notes: the ledger ends them."""

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self.ledger = NoteLedger()
        super().__init__(values, context)

    @property
    def left_out(self) -> int:
        return self.ledger.left_out


class NoteMapper(NoteMaker):
    """A processor that answers each note on with other note ons; the ledger does the rest.

    Note offs end what their key started, poly pressure follows the key to its notes, everything else
    passes. A bypassed mapper maps each note to itself, so notes held across a bypass end properly.
    """

    def strike(self, event: Event) -> Sequence[Event]:
        """The note ons that answer a note on (none to swallow it), at the same time."""
        raise NotImplementedError

    def other(self, event: Event) -> Event | None:
        """What becomes of an event that belongs to no note (``None`` to swallow it)."""
        return event

    def process(self, events: Sequence[Event], out: list[Event]) -> None:
        if self.bypass:
            self.ledger.run(events, itself, out)
        else:
            self.ledger.run(events, self.strike, out, self.other)

    def release(self, time: float, out: list[Event]) -> None:
        self.ledger.release(time, out)


def itself(event: Event) -> Sequence[Event]:
    """A note on that is answered by itself."""
    return (event,)


class NoteGate(Processor):
    """A processor that lets events through or not. What it does to a note on it does to its end and its pressure."""

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._passed: Pairing[bool] = Pairing()
        """Whether each note on passed."""
        super().__init__(values, context)

    def lets_in(self, event: Event) -> bool:
        """Whether a note on passes."""
        raise NotImplementedError

    def lets_by(self, event: Event) -> bool:
        """Whether an event that belongs to no note passes."""
        return True

    def process(self, events: Sequence[Event], out: list[Event]) -> None:
        notes, bypass = self._passed, self.bypass
        first, again = notes.first, notes.again
        for event in events:
            kind = event.status & 0xF0
            if kind == NOTE_ON:
                key = (event.status & 0x0F) << 7 | event.data1
                passes = bypass or self.lets_in(event)
                if key in first:
                    notes.begin(key, passes)
                else:
                    first[key] = passes
                if passes:
                    out.append(event)
            elif kind == NOTE_OFF:
                key = (event.status & 0x0F) << 7 | event.data1
                if (notes.end(key) if again else first.pop(key, None)) is not False:
                    out.append(event)
            elif kind == POLY_PRESSURE:
                if notes.latest(note_key(event)) is not False:
                    out.append(event)
            elif bypass or self.lets_by(event):
                out.append(event)

    def release(self, time: float, out: list[Event]) -> None:
        out += [note_off(time, key >> 7, key & 0x7F) for key, passed in self._passed.items() if passed]
        self._passed.clear()


Task = Callable[[float, list[Event]], None]
"""Called when it is due, with that time and the list to which it appends what comes out."""

_SERIALS = 1 << 20
"""Strikes are numbered from here in the ledger, above all keys."""


class KeyBook(NoteMaker):
    """The base of stages whose notes do not simply last as long as their keys.

    Every strike has a number of its own, under which the ledger keeps what it started, so that a key can be
    struck again before its end. Subclasses say what a strike and its end do; ``timed`` ones may also put things
    off with :meth:`later`. Notes that began while it was bypassed map to themselves and end with their keys.
    """

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self.down: Pairing[int] = Pairing()
        """The strikes of each key that is down, oldest first, by channel and note."""
        self._queue: list[tuple[float, int, Task, Moment | None]] = []
        self._queued_at = -1
        """At how many changes of the clock the times in the queue were worked out; -1: they are seconds that stay."""
        self._numbers = count(_SERIALS)
        self.seen = -math.inf
        """Up to when everything was emitted: what turns out to have been due before is emitted then."""
        super().__init__(values, context)

    # -- what subclasses say -----------------------------------------------------------------------

    def on_note_on(self, strike: int, event: Event, out: list[Event]) -> None:
        """A key was struck; ``strike`` is the number of this strike."""
        raise NotImplementedError

    def on_note_off(self, strike: int, event: Event, out: list[Event]) -> None:
        """The key of a strike was let go."""
        raise NotImplementedError

    def on_pressure(self, strike: int, event: Event, out: list[Event]) -> None:
        """Poly pressure on the key of a strike: it goes to what the strike sounds."""
        self.ledger.press(self.ledger.held(strike), event, out)

    def other(self, event: Event, out: list[Event]) -> None:
        """An event that belongs to no note: it passes."""
        out.append(event)

    def forget(self) -> None:
        """Everything was let go: forget what was known of it."""

    def on_join(self, time: float) -> None:
        self.seen = time

    def on_caught_up(self, time: float) -> None:
        self.seen = max(self.seen, time)

    # -- what is due -------------------------------------------------------------------------------

    def later(self, time: float | Moment, act: Task) -> None:
        """Have something done at a time in seconds, or at a moment of the music."""
        if isinstance(time, Moment):
            if self._queued_at < 0:
                self._queued_at = self.context.clock.changes
            heapq.heappush(self._queue, (time.time, next(self._numbers), act, time))
        else:
            heapq.heappush(self._queue, (time, next(self._numbers), act, None))

    def due(self) -> float:
        if not self._queue:
            return math.inf
        if self._queued_at >= 0:
            self._follow_clock()
        return self._queue[0][0]

    def _follow_clock(self) -> None:
        """A change of tempo moves what waits for a moment of the music."""
        changes = self.context.clock.changes
        if changes != self._queued_at:
            self._queued_at = changes
            self._queue = [
                (time if moment is None else moment.time, number, act, moment)
                for time, number, act, moment in self._queue
            ]
            heapq.heapify(self._queue)

    def advance(self, until: float, out: list[Event]) -> None:
        self.do_queued(until, out)
        self.seen = max(self.seen, until)

    def do_queued(self, until: float, out: list[Event]) -> None:
        """Do what was put off to a time up to ``until``."""
        if self._queued_at >= 0:
            self._follow_clock()
        queue = self._queue
        while queue and queue[0][0] <= until:
            time, _, act, _ = heapq.heappop(queue)
            act(time, out)

    # -- events ------------------------------------------------------------------------------------

    def process(self, events: Sequence[Event], out: list[Event]) -> None:
        for event in events:
            if self.timed:
                # The end of a key goes before what its stage would begin at that moment, to end at once.
                ends = event.status & 0xF0 == NOTE_OFF
                self.advance(math.nextafter(event.time, -math.inf) if ends else event.time, out)
            self._take(event, out)

    def _take(self, event: Event, out: list[Event]) -> None:
        kind = event.status & 0xF0
        if kind not in (NOTE_ON, NOTE_OFF, POLY_PRESSURE):
            if self.bypass:
                out.append(event)
            else:
                self.other(event, out)
            return
        key = note_key(event)
        if kind == NOTE_ON and not self.bypass:
            strike = next(self._numbers)
            self.down.begin(key, strike)
            self.on_note_on(strike, event, out)
        elif kind == NOTE_ON or key not in self.down:
            self.ledger.run((event,), itself, out)
        elif kind == NOTE_OFF:
            first = self.down.end(key)
            if first is not None:
                self.on_note_off(first, event, out)
        else:
            last = self.down.latest(key)
            if last is not None:
                self.on_pressure(last, event, out)

    def release(self, time: float, out: list[Event]) -> None:
        self._queue.clear()
        self.down.clear()
        self.ledger.release(time, out)
        self.forget()
