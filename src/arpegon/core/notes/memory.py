"""The memory: what passed every tap in the last minutes, without being asked.

It keeps records as they came, encoded: that is small (some twenty bytes an event) and costs next to nothing while music
plays; what is some seconds old is packed, which leaves a seventh of it. They are decoded when somebody wants to know.
The same records are what :mod:`arpegon.files.spool` writes.
"""

from __future__ import annotations

import math
import zlib
from collections import deque
from collections.abc import Collection, Iterable, Iterator, Sequence
from itertools import chain
from operator import attrgetter

import msgspec

from arpegon.core.events import NOTE_OFF, NOTE_ON, POLY_PRESSURE, Event
from arpegon.core.notes.course import TimeFacts, in_order
from arpegon.core.notes.taps import IN, OUT, Batch, OpenNotes, Passage, Tap

MEMORY_SECONDS = 600.0
MEMORY_BYTES = 256 * 2**20
"""More than ten minutes of the densest playing that sixty MIDI cables carry; past this the oldest records go first."""
TAKE_PLACES = (IN, OUT)
"""Where passes what a take is made of."""
_PACK_SECONDS = 10.0
_PACK_BYTES = 2**18
"""Records that span so much are packed: enough to be packed well, little enough to be done in some milliseconds."""


class PieceFacts(msgspec.Struct, tag=True, array_like=True, frozen=True):
    """What a revision of the document says of what is remembered: names, and how seconds lie on beats."""

    revision: int
    tempo: float = 120.0
    meter: tuple[int, int] = (4, 4)
    strands: tuple[tuple[str, str], ...] = ()
    """Ids and names of the strands, in order."""
    title: str = ""
    file: str = ""
    """The project's file; empty where it has none."""
    time: TimeFacts | None = None
    """What held of time before all that is remembered."""


class Doubt(msgspec.Struct, tag=True, array_like=True, frozen=True):
    """A note that was played at a time, in seconds, which an audio source may have heard falsely."""

    strand: str
    time: float
    note: int


Record = PieceFacts | Batch | Doubt

encode = msgspec.msgpack.Encoder().encode
decode = msgspec.msgpack.Decoder(Record).decode
_pack = msgspec.msgpack.Encoder().encode
_unpack = msgspec.msgpack.Decoder(list[bytes]).decode


class Memory:
    """Records of the last ``seconds``, and which notes are open at every tap."""

    def __init__(self, seconds: float = MEMORY_SECONDS) -> None:
        self.seconds = seconds
        self.held_since = math.inf
        """All that came since then is remembered, too, however long ago that was."""
        self._pack_seconds = min(_PACK_SECONDS, seconds / 20.0)
        self._records: deque[tuple[float, bytes]] = deque()
        """Each with the time of its newest event; pieces count as old as what came before them."""
        self._packed: deque[tuple[float, bytes]] = deque()
        """What came before them, in packs, each with the time of its newest event."""
        self._bytes = 0
        """How much all that is, as it is kept."""
        self._loose = 0
        """How much of it is not packed."""
        self._newest = 0.0
        self._latest = 0.0
        """The moment of the last event, or of what was last said of time: by it records are forgotten."""
        self._times: deque[TimeFacts] = deque()
        """What held of time: the last that is older than all else, and what came after it."""
        self._open = OpenNotes()
        self._piece: PieceFacts | None = None

    # -- as it happens -----------------------------------------------------------------------------

    def remember(self, record: Record, encoded: bytes | None = None) -> None:
        """Remember a record, of which ``encoded`` is the coded form if that is at hand."""
        if isinstance(record, PieceFacts):
            self._piece = record
        elif isinstance(record, Batch):
            for passage in record.passages:
                self._open.follow(passage.strand, passage.places, passage.events)
                for event in passage.events:
                    if event.time > self._newest:
                        self._newest = event.time
            self._times.extend(record.facts)
            self._latest = max(self._newest, self._latest, *(fact.second for fact in record.facts))
            while len(self._times) > 1 and self._times[1].second < self.oldest:
                self._times.popleft()
        if encoded is None:
            encoded = encode(record)
        if self._loose > _PACK_BYTES or (self._records and self._latest - self._records[0][0] > self._pack_seconds):
            self._pack()
        self._records.append((self._latest, encoded))
        self._bytes += len(encoded)
        self._loose += len(encoded)
        oldest = self.oldest
        for kept in (self._packed, self._records):
            while kept and (kept[0][0] < oldest or self._bytes > MEMORY_BYTES):
                size = len(kept.popleft()[1])
                self._bytes -= size
                if kept is self._records:
                    self._loose -= size

    def _pack(self) -> None:
        """Pack all records that are loose."""
        pack = zlib.compress(_pack([encoded for _, encoded in self._records]), level=6)
        self._packed.append((self._records[-1][0], pack))
        self._bytes += len(pack) - self._loose
        self._loose = 0
        self._records.clear()

    def ends(self, time: float) -> list[Passage]:
        """The ends of all that is still open, for whoever lets go of everything (an engine that is gone).

        They are not remembered by this: they come back as a batch like any other.
        """
        return [Passage(tap.strand, (tap.place,), waiting.ends(time)) for tap, waiting in self._open.items() if waiting]

    @property
    def open(self) -> bool:
        """Whether any note waits for its end, at any tap."""
        return any(self._open.values())

    # -- afterwards --------------------------------------------------------------------------------

    @property
    def oldest(self) -> float:
        """From when on all is remembered, in seconds."""
        return min(self._newest - self.seconds, self.held_since)

    @property
    def newest(self) -> float:
        """When the last event passed a tap, in seconds; 0 where none did."""
        return self._newest

    @property
    def size(self) -> int:
        """How many bytes all that is remembered takes."""
        return self._bytes

    def encoded(self, since: float = 0.0) -> Iterator[bytes]:
        """What is remembered now, encoded, oldest first; it is unpacked as it is asked for, little at a time.

        The last piece, and what was said of time, stand before everything, as they may be older than the rest.

        Args:
            since: what is older than this, in seconds, may be left out.
        """
        piece = self._piece or PieceFacts(0)
        first = [encode(msgspec.structs.replace(piece, time=self._times[0]) if self._times else piece)]
        if since and len(self._times) > 1:
            first.append(encode(Batch(0, [], list(self._times)[1:])))
        packs = [pack for latest, pack in self._packed if latest >= since]
        packed = (record for pack in packs for record in _unpack(zlib.decompress(pack)))
        return chain(first, packed, [encoded for latest, encoded in self._records if latest >= since])

    def history(self, since: float = 0.0) -> Remembered:
        """What is remembered, by tap; what is older than ``since`` may be left out."""
        return Remembered(self.encoded(since))


class Remembered:
    """What passed every tap, decoded.

    Args:
        records: pieces, batches and doubts in the order in which they came, encoded or not.
        places: where what passed is wanted (left out: everywhere); most passes stages, and takes much memory.
        notes_since: notes that are older (seconds) are left out; the values of controllers are not, as they may stand
            for long.
    """

    def __init__(
        self, records: Iterable[Record | bytes], places: Collection[str] | None = None, notes_since: float = 0.0
    ) -> None:
        self.events: dict[Tap, list[Event]] = {}
        self.names: dict[str, str] = {}
        """The strands that were there, with their last names."""
        self.piece = PieceFacts(0)
        """What the last document said."""
        self.doubts: list[Doubt] = []
        times: list[TimeFacts] = []
        for one in records:
            record: Record = decode(one) if isinstance(one, bytes) else one
            if isinstance(record, Batch):
                for passage in record.passages:
                    wanted = [place for place in passage.places if places is None or place in places]
                    if not wanted:
                        continue
                    events = [one for one in passage.events if one.time >= notes_since or not _is_of_a_note(one)]
                    for place in wanted if events else ():
                        self.events.setdefault(Tap(passage.strand, place), []).extend(events)
                times += record.facts
            elif isinstance(record, Doubt):
                self.doubts.append(record)
            else:
                self.piece = record
                self.names.update(record.strands)
                if record.time is not None:
                    times.append(record.time)
        self.times = in_order(sorted(times, key=attrgetter("second")))
        """What held of time, in order."""

    def played(self, strand: str) -> Sequence[Event]:
        """What entered a strand."""
        return self.events.get(Tap(strand, IN), ())

    def generated(self, strand: str) -> Sequence[Event]:
        """What left a strand."""
        return self.events.get(Tap(strand, OUT), ())

    @property
    def strands(self) -> list[str]:
        """The strands of which something is remembered, those of the last document first, in its order."""
        there = {tap.strand for tap, events in self.events.items() if events}
        order = [strand for strand, _ in self.piece.strands]
        return sorted(there, key=lambda strand: order.index(strand) if strand in order else len(order))

    @property
    def last_time(self) -> float | None:
        """When the last event passed a tap."""
        return max((events[-1].time for events in self.events.values() if events), default=None)

    @property
    def first_time(self) -> float | None:
        """When the first event passed a tap."""
        return min((events[0].time for events in self.events.values() if events), default=None)

    def doubtful(self, strand: str, start: float, end: float) -> tuple[tuple[float, int], ...]:
        """The doubtful notes of a strand between two times, at seconds from the first one."""
        return tuple(
            (one.time - start, one.note) for one in self.doubts if one.strand == strand and start <= one.time <= end
        )

    def phrase_start(self, pause: float = 4.0) -> float | None:
        """The start of what was played last: just before the first note after a pause of that many seconds.

        Only played notes count; where a strand plays without rest, that is the oldest one remembered.
        """
        strikes = sorted(
            event.time
            for tap, events in self.events.items()
            if tap.place == IN
            for event in events
            if event.status & 0xF0 == NOTE_ON
        )
        if not strikes:
            return None
        start = strikes[-1]
        for earlier in reversed(strikes[:-1]):
            if start - earlier > pause:
                break
            start = earlier
        return start


def _is_of_a_note(event: Event) -> bool:
    return event.status & 0xF0 in (NOTE_ON, NOTE_OFF, POLY_PRESSURE)
