"""The window's side of the engine: starts the process, talks to it, starts it again when it ends unasked."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Protocol

import msgspec

from arpegon.core.document.model import PortDestination, Project
from arpegon.core.events import Event
from arpegon.core.notes.taps import OUT, Batch, Passage
from arpegon.core.time import studio
from arpegon.engine.graph.outlets import on_channel
from arpegon.engine.wire import protocol
from arpegon.engine.wire.heartbeat import Heartbeat
from arpegon.engine.wire.spawning import ENGINE
from arpegon.engine.wire.standing import Standing
from arpegon.engine.wire.supervisor import Ended, Supervisor
from arpegon.files.path_text import path_text

Receive = Callable[[protocol.EngineReport], None]

SPARE_AFTER = 5.0
"""Seconds after which a second engine stands by: by then the first one, and the window, are there."""
_UNTOLD = 16
"""Documents that are kept until the engine says that it works on them, which it does sixty times a second."""

_BEFORE_DOCUMENTS = (protocol.SetName, protocol.SetAudio)
_AFTER_DOCUMENTS = (protocol.SetClockBox, protocol.Watch, protocol.Look, protocol.Learn)
"""Commands that hold until the next of their kind: a new engine is told of them before, or after, the documents."""


class Keeper(Protocol):
    """Who remembers what the engine printed; called from the client's threads."""

    def on_revision(self, project: Project, revision: int) -> None:
        """The engine is told of a document."""

    def take(self, report: protocol.EngineReport) -> None:
        """The engine reported something."""

    def open_ends(self, time: float) -> list[Passage]:
        """The ends of all notes that are still open."""


class EngineClient:
    """An engine process, and the state that a new one needs when it must be started again.

    Args:
        receive: called from a thread of the client with every report.
        stderr: the file to which the engine's errors are appended (none: nowhere).
        keeper: remembers what was printed, before ``receive`` hears of it.
    """

    def __init__(self, receive: Receive, stderr: Path | None = None, keeper: Keeper | None = None) -> None:
        self._receive = receive
        self._keeper = keeper
        self.revision = 0
        """Of the document that was sent last."""
        self._project: protocol.SetProject | None = None
        self._sent: deque[protocol.SetProject] = deque(maxlen=_UNTOLD)
        """The documents of which it is not yet told that the engine works on them, or on later ones."""
        self._at_work: protocol.SetProject | None = None
        """What the engine worked on when it last said so: later ones may have been refused."""
        self._settings: dict[type[protocol.Message], protocol.EngineCommand] = {}
        """The newest of each kind of command that holds until the next."""
        self._patch = protocol.Patch([], [])
        """What the engine's ports were connected to when it last said so."""
        self._playing = False
        self._beat = 0.0
        self._left: dict[str, list[Event]] | None = None
        """By output, the ends of what an engine that died left sounding; ``None``: none died."""
        self._standing = Standing()
        self._lock = threading.Lock()
        self.supervisor = Supervisor(
            ENGINE,
            protocol.EngineReport,
            self._greeting,
            self._take,
            self._ended,
            stderr,
            SPARE_AFTER,
            heartbeat=Heartbeat(protocol.Telemetry, self._late),
        )

    # -- commands ----------------------------------------------------------------------------------

    def start(self) -> None:
        """Start the process; returns at once, long before the engine is ready."""
        self.supervisor.start()

    def start_anew(self) -> None:
        """Start it again: it ended too often, or hangs."""
        self.supervisor.start_anew()

    def send(self, command: protocol.EngineCommand) -> None:
        """Tell the engine something; it never waits."""
        if isinstance(command, (*_BEFORE_DOCUMENTS, *_AFTER_DOCUMENTS)):
            self._settings[type(command)] = command
        self.supervisor.send(command)

    def set_project(self, project: Project, folder: Path) -> int:
        """Have the engine work on a document (takes stay here: it does not need them); returns its revision."""
        with self._lock:
            self.revision += 1
            command = protocol.SetProject(msgspec.structs.replace(project, takes=()), path_text(folder), self.revision)
            self._project = command
            self._sent.append(command)
            if self._keeper is not None:
                self._keeper.on_revision(project, command.revision)
            self.supervisor.send(command)
            return command.revision

    def remember(self, project: Project) -> None:
        """A new engine is to work on this document: the one that is there has made it so by itself."""
        with self._lock:
            if self._project is not None:
                self._project = msgspec.structs.replace(self._project, project=project)

    def close(self) -> None:
        """End the process in order; it lets go of every note."""
        self.supervisor.close(protocol.Quit(), patience=4.0)

    @property
    def pid(self) -> int | None:
        """The process's number."""
        return self.supervisor.process.pid if self.supervisor.process else None

    # -- what it says ------------------------------------------------------------------------------

    def _greeting(self) -> Iterator[protocol.EngineCommand]:
        yield self._patch
        yield protocol.SetTime(studio.behind())
        if self._left is not None:
            yield protocol.Hush(self._left)
        at_work, project = self._at_work, self._project
        documents = (at_work, project) if at_work is not project else (project,)
        yield from (self._settings[kind] for kind in _BEFORE_DOCUMENTS if kind in self._settings)
        yield from (document for document in documents if document is not None)
        yield from (self._settings[kind] for kind in _AFTER_DOCUMENTS if kind in self._settings)
        if self._playing:
            yield protocol.Play(self._beat)

    def _take(self, report: protocol.EngineReport) -> None:
        if isinstance(report, protocol.Patched):
            self._patch = protocol.Patch(report.connections, report.settled)
            return
        if isinstance(report, protocol.Telemetry):
            self._playing, self._beat = report.playing, report.beat
            self._works_on(report.revision)
            studio.set_behind(report.behind)
        if self._keeper is not None:
            self._keeper.take(report)
        if isinstance(report, protocol.Synced):
            return
        self._standing.follow(report)
        self._receive(report)

    def _by_output(self, passages: Sequence[Passage]) -> dict[str, list[Event]]:
        """Events that leave strands, by the MIDI outputs to which they go."""
        found: dict[str, list[Event]] = {}
        sent = self._at_work or self._project
        if sent is None:
            return found
        for passage in passages:
            strand = sent.project.strand(passage.strand) if OUT in passage.places else None
            for destination in strand.destinations if strand is not None else ():
                if isinstance(destination, PortDestination):
                    channel = destination.channel
                    ends = [one if channel is None else on_channel(one, channel) for one in passage.events]
                    found.setdefault(destination.port, []).extend(ends)
        return found

    def _works_on(self, revision: int) -> None:
        with self._lock:
            while self._sent and self._sent[0].revision <= revision:
                self._at_work = self._sent.popleft()

    def _late(self, late: bool) -> None:
        words = "The engine does not answer. If that goes on, it is started again with the same project."
        self._receive(protocol.Notice(protocol.ENGINE_HANGS, words if late else ""))

    def _ended(self, how: Ended) -> None:
        """The engine is gone: what it held ends here, as events like any other, and what it said is taken back."""
        self._left = {}
        for report in self._standing.take_back():
            self._receive(report)
        if self._keeper is not None:
            passages = self._keeper.open_ends(studio.now())
            if passages:
                self._take(Batch(self.revision, passages))
                self._left = self._by_output(passages)
        if how.again:
            words = "The engine had stopped and was started again with the same project."
            self._receive(protocol.Notice("restart", words))
        else:
            self._receive(protocol.Notice(protocol.ENGINE_GONE, how.gone_words("The engine")))
