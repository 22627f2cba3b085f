"""What plays by itself: clips and metronomes with the transport, takes in seconds."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from arpegon.core.document import ClickSource, ClipSource
from arpegon.core.events import Event, note_off, note_on
from arpegon.files.midi import Clip

if TYPE_CHECKING:
    from arpegon.engine.simulation import Engine

_CLICK_SECONDS = 0.04


class ClipPlayer:
    """Plays one clip with the transport."""

    def __init__(self, engine: Engine, name: str, source: ClipSource, clip: Clip) -> None:
        self.file = source.file
        self._engine = engine
        self._name = name
        self._clip = clip
        self._loop = source.loop
        self._run = 0

    def start(self, beat: float) -> None:
        """Play on from a beat of the transport."""
        self._run += 1
        events = self._clip.events
        beat = max(0.0, beat)  # while bars are counted before the start, clips wait
        round_, inside = divmod(beat, self._clip.beats) if self._loop else (0.0, beat)
        place = next((i for i, event in enumerate(events) if event.time >= inside - 1e-9), len(events))
        self._schedule(int(round_), place)

    def stop(self, time: float) -> None:
        """Stop, and let go of what is held."""
        self._run += 1
        self._engine.lost(self._name, time)

    def _schedule(self, round_: int, place: int) -> None:
        events = self._clip.events
        if place >= len(events):
            if not self._loop or not events:
                return
            round_, place = round_ + 1, 0
        run = self._run
        beat = round_ * self._clip.beats + events[place].time
        self._engine.at_beat(beat, lambda time: self._play(run, round_, place, time))

    def _play(self, run: int, round_: int, place: int, time: float) -> None:
        if run != self._run:
            return
        events = self._clip.events
        beat = events[place].time
        together = []
        while place < len(events) and events[place].time == beat:
            together.append(events[place].at(time))
            place += 1
        self._schedule(round_, place)
        self._engine.inject(self._name, together)


class ClickPlayer:
    """Strikes the beats of the transport; the bars that are counted before its start too."""

    def __init__(self, engine: Engine, name: str, source: ClickSource) -> None:
        self._engine = engine
        self._name = name
        self._source = source
        self._run = 0

    def start(self, beat: float) -> None:
        """Click from the next beat on."""
        self._run += 1
        self._schedule(math.ceil(beat / self._length() - 1e-6))

    def stop(self, time: float) -> None:
        """Stop, and let go of what is held."""
        self._run += 1
        self._engine.lost(self._name, time)

    def _length(self) -> float:
        """The length of a beat in quarter notes."""
        return 4.0 / self._engine.graph.project.meter[1]

    def _schedule(self, number: int) -> None:
        run = self._run
        self._engine.at_beat(number * self._length(), lambda time: self._click(run, number, time))

    def _click(self, run: int, number: int, time: float) -> None:
        if run != self._run:
            return
        first = number % self._engine.graph.project.meter[0] == 0
        note = self._source.bar_note if first else self._source.beat_note
        self._engine.inject(self._name, [note_on(time, 0, note, 110 if first else 84)])
        self._engine.at_time(
            time + _CLICK_SECONDS, lambda now: self._engine.inject(self._name, [note_off(now, 0, note)])
        )
        self._schedule(number + 1)


class TakePlayer:
    """Plays recorded events straight to destinations."""

    def __init__(self, engine: Engine, parts: Mapping[str, Sequence[Event]], time: float, start: float) -> None:
        self._engine = engine
        self._strands = list(parts)
        self._began = time - start
        entries = [(event.time, strand, event) for strand, events in parts.items() for event in events]
        self._events = sorted((entry for entry in entries if entry[0] >= start), key=lambda entry: (entry[0], entry[1]))
        self._place = 0
        self.done = False
        self._schedule()

    def position(self, time: float) -> float:
        """Seconds into the take."""
        return time - self._began

    def stop(self, time: float) -> None:
        """Stop, and end what sounds."""
        self.done = True
        for strand in self._strands:
            self._engine.graph.release_direct(strand, time)

    def _schedule(self) -> None:
        if self._place < len(self._events):
            self._engine.at_time(self._began + self._events[self._place][0], self._play)
        else:
            self.stop(self._engine.now)

    def _play(self, time: float) -> None:
        if self.done:
            return
        due = self._events[self._place][0]
        while self._place < len(self._events) and self._events[self._place][0] == due:
            _, strand, event = self._events[self._place]
            self._engine.graph.play_direct(strand, [event.at(time)])
            self._place += 1
        self._schedule()
