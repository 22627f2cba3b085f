"""Audio sources at work: from blocks of samples to the events of their feeds."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Mapping, Sequence
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from arpegon.core.document.model import AudioSource, Project, Strand
from arpegon.core.events import Event
from arpegon.engine.graph.feeds import feed_of
from arpegon.listen.heard import HeardNote, Sight
from arpegon.listen.hits import HitListener, Rack, Stroke
from arpegon.listen.listener import Listener
from arpegon.listen.listeners import listener

_NEAR = 1e-9
BLOCK_SECONDS = 256 / 48_000
"""How much is heard at a time. Every note sounds this much after the listener knew it, so none is early or late."""

Array = NDArray[Any]


class Ear:
    """One audio source: its listener, and where its stream lies on the engine's clock.

    Values may be given from another thread than the one that hears; they are taken up with the next block.
    """

    def __init__(self, source: AudioSource, feed: str) -> None:
        self.source = source
        self.feed = feed
        self.shift = 0.0
        """What is added to seconds of the stream to be on the engine's clock, the block included."""
        self.listener: Listener | None = None
        self._values: Mapping[str, Any] | None = None

    def configure(self, source: AudioSource) -> None:
        """Listen as another source says, from the next block on."""
        self.source = source
        self._values = source.params

    def set_params(self, values: Mapping[str, Any]) -> None:
        """The short cut for a knob that is dragged."""
        self._values = values

    def ready(self, rate: int) -> Listener:
        """Its listener, for a block of so many samples a second."""
        here, self._values = self._values, None
        heard = self.listener
        if heard is None or heard.rate != rate or heard.kind != self.source.listen:
            heard = self.listener = listener(self.source.listen, self.source.params, rate)
        elif here is not None:
            heard.configure(here)
        return heard

    def channels(self, block: Array) -> Array:
        """The channels of a block that are heard, silence where the block has too few."""
        columns = [
            block[:, number - 1] if number <= block.shape[1] else np.zeros(len(block)) for number in self.source.inputs
        ]
        return np.stack(columns, axis=1)

    def timed(self, events: Sequence[Event]) -> list[Event]:
        """Events on the engine's clock."""
        return [event.at(event.time + self.shift) for event in events]


class Block(msgspec.Struct, eq=False):
    """Samples for one ear: of shape (frames, channels), and when they begin on the engine's clock."""

    samples: Array
    rate: int
    start: float
    ends: Sequence[int] = ()
    """Of a file several blocks may be heard at once: where each of them ends, in samples."""


class _Struck(msgspec.Struct, eq=False):
    """What strokes were found in some blocks."""

    heard: HitListener
    strokes: list[Stroke]
    ends: list[float]
    """When each of the blocks ends, in seconds of the stream."""

    def by_place(self) -> dict[int, list[Stroke]]:
        """In which of the blocks they were known: what caused them may be known only later."""
        found: dict[int, list[Stroke]] = {}
        for stroke in self.strokes:
            place = min(bisect_left(self.ends, stroke.time), len(self.ends) - 1)
            found.setdefault(place, []).append(stroke)
        return found


class Ears:
    """All audio sources of a document."""

    def __init__(self) -> None:
        self.by_id: dict[str, Ear] = {}
        self._rack = Rack()

    def configure(self, project: Project) -> None:
        """Take over a document."""
        before = self.by_id
        now: dict[str, Ear] = {}
        for strand in project.strands:
            for place, source in enumerate(strand.sources):
                if isinstance(source, AudioSource) and not source.bypass:
                    now[source.id] = self._kept(before.get(source.id), strand, place, source)
        self.by_id = now

    @staticmethod
    def _kept(ear: Ear | None, strand: Strand, place: int, source: AudioSource) -> Ear:
        whose = (source.device, source.file, source.inputs, source.listen)
        if ear is None or (ear.source.device, ear.source.file, ear.source.inputs, ear.source.listen) != whose:
            return Ear(source, feed_of(strand, place) or "")
        if ear.source != source:
            ear.configure(source)
        return ear

    def set_params(self, ear_id: str, values: Mapping[str, Any]) -> None:
        """The short cut for a knob that is dragged."""
        ear = self.by_id.get(ear_id)
        if ear is not None:
            ear.set_params(values)

    def hear(self, blocks: Mapping[str, Block]) -> list[tuple[str, Event]]:
        """Listen to blocks that sound at the same time, by the ids of their ears.

        Returns:
            Feeds and their events, on the engine's clock, in order.
        """
        events: list[tuple[str, Event]] = []
        struck: dict[str, _Struck] = {}
        for ear_id, block in blocks.items():
            ear = self.by_id.get(ear_id)
            if ear is None or not len(block.samples):
                continue
            heard = ear.ready(block.rate)
            channels = ear.channels(block.samples)
            taken = heard.taken
            wait = BLOCK_SECONDS if block.ends else max(BLOCK_SECONDS, len(block.samples) / block.rate)
            ear.shift = block.start - taken / block.rate + wait
            if isinstance(heard, HitListener):
                ends = [(taken + end) / block.rate + _NEAR for end in block.ends or (len(block.samples),)]
                struck[ear_id] = _Struck(heard, heard.look(channels), ends)
            else:
                events += [(ear.feed, event) for event in ear.timed(heard.process(channels))]
        known = {ear_id: one.by_place() for ear_id, one in struck.items()}
        for place in sorted({place for by_place in known.values() for place in by_place}):
            here = {
                ear_id: (one.heard, known[ear_id].get(place, []), self.by_id[ear_id].shift)
                for ear_id, one in struck.items()
            }
            for ear_id, strokes in self._rack.clear(here).items():
                ear = self.by_id[ear_id]
                events += [(ear.feed, event) for event in ear.timed(here[ear_id][0].answer(strokes))]
        events.sort(key=lambda entry: entry[1].time)
        return events

    def quiet(self, ear_id: str) -> None:
        """The stream of an ear stopped: nothing is remembered of it."""
        ear = self.by_id.get(ear_id)
        if ear is not None and ear.listener is not None:
            ear.listener.silence()

    def marks(self) -> dict[str, list[HeardNote]]:
        """What was heard since the last call, by ear, on the engine's clock."""
        found: dict[str, list[HeardNote]] = {}
        for ear_id, ear in self.by_id.items():
            heard = ear.listener
            if heard is None or not heard.marks:
                continue
            marks, heard.marks = heard.marks, []
            found[ear_id] = [
                msgspec.structs.replace(
                    mark,
                    time=mark.time + ear.shift,
                    began=mark.began + ear.shift,
                    end=mark.end + ear.shift if mark.end else 0.0,
                )
                for mark in marks
            ]
        return found

    def sight(self, ear_id: str) -> Sight | None:
        """What the editor of an ear draws, since the last call."""
        ear = self.by_id.get(ear_id)
        if ear is None or ear.listener is None:
            return None
        seen = ear.listener.sight()
        return msgspec.structs.replace(seen, time=seen.time + ear.shift)
