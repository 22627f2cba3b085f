"""Keeping what the engine printed: in the window's process, but beside its main thread."""

from __future__ import annotations

import logging
import math
import threading
from collections import deque
from collections.abc import Callable, Collection
from pathlib import Path

import msgspec

from arpegon.core.document.model import Project
from arpegon.core.notes.memory import MEMORY_SECONDS, Doubt, Memory, PieceFacts, Record, Remembered, encode
from arpegon.core.notes.taps import Batch, Passage
from arpegon.engine.wire import protocol
from arpegon.files.spool import RETRY_SECONDS, Spool

log = logging.getLogger(__name__)


class MemoryKeeper:
    """Remembers what passed every tap, and writes it to disk as it grows.

    It is filled by the threads that hear the engine, and asked by the window; each call is short. What goes to disk
    is written by a thread of its own, and nobody waits for that but who begins or ends a memory: a disk may be slow.

    Args:
        say: called with a sentence when the disk takes no more, and with an empty one when it does again.
        seconds: how far back it remembers.
    """

    def __init__(self, say: Callable[[str], None], seconds: float = MEMORY_SECONDS) -> None:
        self._say = say
        self._seconds = seconds
        self._lock = threading.Lock()
        self._memory = Memory(seconds)
        self._spool: Spool | None = None
        self._unwritten: deque[tuple[bytes, float, PieceFacts]] = deque()
        """What is to be written: a record, the time of its newest event, and what a file begins with."""
        self._writing = threading.Lock()
        self._due = threading.Event()
        self._writer: threading.Thread | None = None
        self._piece = PieceFacts(0)
        self._strand_of: dict[str, str] = {}
        """The strands of audio sources, by the ids of these."""
        self._first = 0
        """The first revision of the document that is remembered; what others printed is no more of interest."""
        self._new = False
        self._held: dict[str, float] = {}
        """Since when all is remembered, by what for."""
        self._synced: protocol.Synced | None = None
        self._answered = threading.Condition(self._lock)

    # -- the engine's side -------------------------------------------------------------------------

    def on_revision(self, project: Project, revision: int) -> None:
        with self._lock:
            if self._new:
                self._new, self._first = False, revision
            strands = tuple((strand.id, strand.name) for strand in project.strands)
            piece = msgspec.structs.replace(
                self._piece,
                revision=revision,
                tempo=project.tempo,
                meter=project.meter,
                strands=strands,
                title=project.title,
            )
            self._strand_of = {source.id: strand.id for strand, source in project.audio_sources()}
            if piece != msgspec.structs.replace(self._piece, revision=revision, time=piece.time):
                self._piece = piece
                self._remember(piece)

    def take(self, report: protocol.EngineReport) -> None:
        if isinstance(report, Batch):
            with self._lock:
                if report.facts:
                    self._piece = msgspec.structs.replace(self._piece, time=report.facts[-1])
                if not self._new and report.revision >= self._first:
                    self._remember(report)
        elif isinstance(report, protocol.Synced):
            with self._answered:
                self._synced = report
                self._answered.notify_all()
        elif isinstance(report, protocol.Telemetry) and report.marks:
            with self._lock:
                for source, marks in report.marks.items():
                    for mark in marks:
                        if mark.doubt and mark.end and source in self._strand_of:
                            self._remember(Doubt(self._strand_of[source], mark.time, mark.note))

    def open_ends(self, time: float) -> list[Passage]:
        with self._lock:
            return self._memory.ends(time)

    def _remember(self, record: Record) -> None:
        encoded = encode(record)
        self._memory.remember(record, encoded)
        newest = self._memory.newest
        if self._spool is not None and newest:
            self._unwritten.append((encoded, newest, self._piece))
            while self._unwritten[0][1] < self._memory.oldest:  # the disk has been standing still for longer
                self._unwritten.popleft()
            self._due.set()

    def _work(self) -> None:
        all_written = True
        while True:
            self._due.wait(None if all_written else RETRY_SECONDS)
            self._due.clear()
            all_written = self.flush()

    # -- the window's side -------------------------------------------------------------------------

    def begin(self, folder: Path | None, file: str = "") -> None:
        """Another document is worked on: forget what was remembered, and write to another folder.

        What was written for the one before stays where it is.

        Args:
            folder: where the memory is written (``None``: nowhere).
            file: the file of the document.
        """
        self.flush()
        with self._writing:
            if self._spool is not None:
                self._spool.close()  # it may say something, and who hears that may ask what is remembered
            with self._lock:
                self._unwritten.clear()
                self._held.clear()
                self._memory = Memory(self._seconds)
                self._piece = PieceFacts(0, file=file, time=self._piece.time)
                self._new = True
                self._spool = Spool(folder, self._say, self._seconds) if folder is not None else None
            if folder is not None and self._writer is None:
                self._writer = threading.Thread(target=self._work, name="memory", daemon=True)
                self._writer.start()

    def hold(self, what: str, since: float | None) -> None:
        """Remember all that comes since a moment, however long that lasts; ``None``: no longer.

        Args:
            what: for what it is held.
            since: in studio time.
        """
        with self._lock:
            if since is None:
                self._held.pop(what, None)
            else:
                self._held[what] = since
            held_since = min(self._held.values(), default=math.inf)
            self._memory.held_since = held_since
            if self._spool is not None:
                self._spool.held_since = held_since

    def synced(self, number: int, patience: float) -> float | None:
        """Wait until all that the engine was told before a :class:`~arpegon.engine.wire.protocol.Sync` is remembered.

        Args:
            number: of the ``Sync``.
            patience: for how long, in seconds.

        Returns:
            Until when all is remembered, in studio time; ``None`` where that was not said in time.
        """

        def answered() -> float | None:
            return self._synced.until if self._synced is not None and self._synced.number == number else None

        with self._answered:
            return self._answered.wait_for(answered, patience)

    def lies_at(self, file: str) -> None:
        """The document was saved in a file."""
        with self._lock:
            self._piece = msgspec.structs.replace(self._piece, file=file)
            self._remember(self._piece)

    def history(
        self, since: float = 0.0, places: Collection[str] | None = None, notes_since: float = 0.0
    ) -> Remembered:
        """What is remembered, decoded.

        Args:
            since: what is older (studio time) may be left out.
            places: where what passed is wanted (left out: everywhere).
            notes_since: notes that are older are left out.
        """
        with self._lock:
            records = self._memory.encoded(since)
        return Remembered(records, places, notes_since)

    def flush(self) -> bool:
        """Write what is to be written, in its order; whether all that is remembered by now is on disk.

        What the disk does not take waits for as long as it is remembered.
        """
        with self._writing:
            while self._spool is not None:
                with self._lock:
                    if not self._unwritten:
                        break
                    record = self._unwritten[0]
                try:
                    if not self._spool.write(*record):
                        return False
                except Exception:  # whatever it is, the next record is tried
                    log.exception("the memory could not be written")
                with self._lock:
                    if self._unwritten and self._unwritten[0] is record:  # it did not wait too long meanwhile
                        self._unwritten.popleft()
        return True

    def close(self, discard: bool) -> None:
        """Remember no more; ``discard`` what was written."""
        self.flush()
        with self._writing:
            if self._spool is not None:
                (self._spool.discard if discard else self._spool.close)()
            with self._lock:
                self._spool = None
