"""Events that arrived and wait for their moment: from inputs, from files that play by themselves, from players."""

from __future__ import annotations

import math
from bisect import bisect_right
from collections import deque
from collections.abc import Callable, Sequence

from arpegon.core.events import NOTE_OFF, NOTE_ON, Event, note_off
from arpegon.core.notes.pairing import note_key
from arpegon.core.notes.pressed import Pressed, held_key, springs_back
from arpegon.core.time.clock import Clock
from arpegon.engine.graph.feeds import ALL_INPUTS
from arpegon.engine.graph.graph import Inputs
from arpegon.engine.performance.hooks import Hooks


def _time(event: Event) -> float:
    return event.time


class Score:
    """Events that arrive by themselves: offline, what a file plays.

    Args:
        events: in order, at seconds, or at quarter notes with a ``clock``.
        clock: that of the quarter notes, which are counted from 0 on over jumps and stops.
    """

    def __init__(self, name: str, events: Sequence[Event], clock: Clock | None = None) -> None:
        self.name = name
        self._events = events
        self._clock = clock
        self._place = 0
        self.lets_keys_in = True

    @property
    def next_time(self) -> float:
        """The second at which the next event arrives; infinity after the last."""
        if self._place == len(self._events):
            return math.inf
        time = self._events[self._place].time
        return time if self._clock is None else self._clock.time_passed(time)

    def take(self, until: float) -> list[Event]:
        """The events up to a time in seconds."""
        clock = self._clock
        # A nanobeat more: what is due at a second is taken at it, whichever way its beat is rounded.
        limit = until if clock is None else clock.passed_at(until) + 1e-9
        place = bisect_right(self._events, limit, lo=self._place, key=_time)
        taken = self._events[self._place : place]
        self._place = place
        if not self.lets_keys_in:
            taken = [event for event in taken if event.kind != NOTE_ON]
        if clock is None:
            return list(taken)
        return [event.at(min(until, clock.time_passed(event.time))) for event in taken]


class Arrivals:
    """What came to the feeds of an engine, in the order in which it is worked on.

    Args:
        hooks: what events are hooked up to.
        move_on: works on what came before an event that is hooked up, at the time of that event.
    """

    def __init__(self, hooks: Hooks, move_on: Callable[[Inputs, float], None]) -> None:
        self._hooks = hooks
        self._move_on = move_on
        self._arrived: deque[tuple[str, Event]] = deque()
        self._scores: list[Score] = []
        self._down: dict[str, Pressed] = {}
        """The keys that are down on each MIDI input, and what else is held there."""

    def feed(self, name: str, event: Event) -> None:
        """An event arrived at a feed."""
        self._arrived.append((name, event))

    def score(self, name: str, events: Sequence[Event], clock: Clock | None = None) -> None:
        """Let events arrive by themselves when their time comes (see :class:`Score`)."""
        self._scores.append(Score(name, events, clock))

    def keep_keys_out(self) -> None:
        """Ignore further note-ons of scores; note-offs, controllers and the like still arrive."""
        for score in self._scores:
            score.lets_keys_in = False

    def end_scores(self) -> None:
        """Drop the rest of all scores."""
        self._scores.clear()

    def next_time(self) -> float:
        """When the next one arrived, or will (infinity: never)."""
        time = self._arrived[0][1].time if self._arrived else math.inf
        for score in self._scores:
            time = min(time, score.next_time)
        return time

    def take(self, until: float, now: float) -> Inputs:
        """Take out what arrived up to a time, by feed; none of it is earlier than ``now``, up to when all is done."""
        inputs: Inputs = {}
        arrived = self._arrived
        while arrived and arrived[0][1].time <= until:
            name, event = arrived.popleft()
            if event.time < now:
                event = event.at(now)
            now = event.time
            if self._hooked(name, event, inputs):
                continue
            if name.startswith(ALL_INPUTS):
                self._let_in(name, event, inputs)
            elif name in inputs:
                inputs[name].append(event)
            else:
                inputs[name] = [event]
        for score in self._scores:
            events = score.take(until)
            if self._hooks.any:
                for event in events:
                    if not self._hooked(score.name, event, inputs):
                        inputs.setdefault(score.name, []).append(event)
            elif events:
                known = inputs.get(score.name)
                inputs[score.name] = events if known is None else sorted([*known, *events], key=_time)
        return inputs

    def let_go(self, name: str, time: float) -> Inputs:
        """A feed is gone: the ends of the keys that were down and of what else was held, if it is a MIDI input."""
        down = self._down.pop(name, None)
        if not down or not name.startswith(ALL_INPUTS):
            return {}
        pressed = set().union(*(other.held for other in self._down.values()))
        ends = down.release(time)
        rest = [event for event in ends if event.kind == NOTE_OFF or held_key(event) not in pressed]
        return {name: ends, ALL_INPUTS: rest}

    def clear(self) -> None:
        """Forget what arrived, and which keys are down; scores stay."""
        self._arrived.clear()
        self._down.clear()

    def _hooked(self, name: str, event: Event, inputs: Inputs) -> bool:
        """Whether an event goes no further than to hookups; what came before it goes first."""
        found = self._hooks.found(name, event)
        if not found:
            return False
        gathered = dict(inputs)
        inputs.clear()
        self._move_on(gathered, event.time)
        return self._hooks.take(found, event)

    def _let_in(self, name: str, event: Event, inputs: Inputs) -> None:
        """One event of a MIDI input. Its notes are kept in pairs before they meet those of other inputs."""
        kind = event.status & 0xF0
        events = inputs.setdefault(name, [])
        before = len(events)
        if kind == NOTE_ON:
            down = self._down.setdefault(name, Pressed())
            if down.end(note_key(event)):
                events.append(note_off(event.time, event.status & 0x0F, event.data1))
            down.begin(note_key(event), True)
            events.append(event)
        elif kind == NOTE_OFF:
            if name in self._down and self._down[name].end(note_key(event)):
                events.append(event)
        else:
            if springs_back(event):
                self._down.setdefault(name, Pressed()).hold(event)
            events.append(event)
        if name != ALL_INPUTS:
            inputs.setdefault(ALL_INPUTS, []).extend(events[before:])
