"""The engine's side of the process that listens: started when a document has audio sources, and again when it dies."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from arpegon.core.document.model import Project
from arpegon.core.time import studio
from arpegon.engine.devices.systems import InputBlock
from arpegon.engine.hearing.hearing import Heard
from arpegon.engine.wire import protocol
from arpegon.engine.wire.heartbeat import Heartbeat
from arpegon.engine.wire.standing import Standing
from arpegon.engine.wire.supervisor import Ended, Supervisor
from arpegon.files.audio import AudioFile
from arpegon.files.logs import log_file
from arpegon.listen.heard import HeardNote, Sight

_APART_SECONDS = 0.002
"""How far the time of the process that listens may be from studio time: it stamps only what sound cards bring."""

_PATIENCE_SECONDS = 0.1
"""How long the process may take to leave: it keeps nothing, and may still be loading what it needs."""

_READY_PATIENCE = 2.0
"""How long it waits for ports: a server may not answer."""

Task = Callable[[float], None]
Monitor = Callable[[str, NDArray[Any], int, float], None]


class RemoteHearing:
    """Listens in a process of its own.

    Args:
        act: has something done by the engine's loop.
        expect: takes what was heard, in the engine's loop.
        monitor: takes audio that is to be heard itself: whose, samples of shape (frames, channels), rate, beginning.
        silence: ends, in the engine's loop, what was heard: nobody is there any more who would.
        send_on: passes on to the window what it has to say.
        ready: set once MIDI ports are known. They and sound come first: the process takes a third of a second of a core
            to begin, which they need where an engine is started again on a busy machine.
    """

    def __init__(
        self,
        act: Callable[[Task], None],
        expect: Callable[[Heard], None],
        monitor: Monitor,
        silence: Task,
        send_on: Callable[[protocol.Notice | protocol.Missing], None],
        ready: threading.Event,
    ) -> None:
        self._act = act
        self._expect = expect
        self._monitor = monitor
        self._silence = silence
        self._send_on = send_on
        self._ready = ready
        self.folder = ""
        """Where the files of the document lie."""
        self._project: protocol.SetProject | None = None
        self._rolls = {endless: protocol.PlayFiles(endless, None, 0.0, 0) for endless in (False, True)}
        self._watch = protocol.Watch("")
        self._here = protocol.HeardHere([])
        self._marks: dict[str, list[HeardNote]] = {}
        self._sight: Sight | None = None
        self._standing = Standing()
        self._behind = 0.0
        """How far studio time was behind when the process was told of it."""
        self._supervisor = Supervisor(
            "arpegon.engine.hearing.process",
            protocol.EarsReport,
            self._greeting,
            self._take,
            self._ended,
            log_file("listening-errors.log"),
            prompt=True,
            heartbeat=Heartbeat(protocol.Listening, self._late),
        )

    # -- what the engine asks ----------------------------------------------------------------------

    def configure(self, project: Project, sounds: Mapping[str, AudioFile], time: float) -> None:
        if not self._supervisor.started and not any(True for _ in project.audio_sources()):
            return
        self._project = protocol.SetProject(project, self.folder)
        if not self._supervisor.started:
            self._supervisor.start_after(self._ready, _READY_PATIENCE)
        else:
            self._supervisor.send(self._project)

    def set_params(self, source_id: str, values: Mapping[str, Any]) -> None:
        self._supervisor.send(protocol.SetParams(source_id, dict(values)))

    def roll(self, endless: bool, origin: float | None, time: float) -> None:
        run = self._rolls[endless].run + 1
        self._rolls[endless] = protocol.PlayFiles(endless, origin, time, run)
        self._supervisor.send(self._rolls[endless])

    def watch(self, source_id: str) -> None:
        """Tell more of what this source hears."""
        self._watch = protocol.Watch(source_id)
        self._supervisor.send(self._watch)

    def heard_here(self, devices: set[str]) -> None:
        """The engine itself hears these devices from now on, and hands on what they bring."""
        self._here = protocol.HeardHere(sorted(devices))
        self._supervisor.send(self._here)

    def hear(self, block: InputBlock) -> None:
        """Hand on what one of them brought."""
        samples = np.ascontiguousarray(block.samples, dtype=np.float32)
        self._supervisor.send(
            protocol.Samples(block.device, samples.tobytes(), samples.shape[1], block.rate, block.start)
        )

    def keep_time(self) -> None:
        """Tell the process of studio time, where that is another than it knows."""
        behind = studio.behind()
        if self._supervisor.started and abs(behind - self._behind) > _APART_SECONDS:
            self._behind = behind
            self._supervisor.send(protocol.SetTime(behind))

    def start_anew(self) -> None:
        """Start the process again: it ended too often, or hangs."""
        if self._supervisor.started:
            self._supervisor.start_anew()

    @property
    def waiting(self) -> bool:
        """Whether something was heard that was not yet told."""
        return bool(self._marks) or self._sight is not None

    def seen(self) -> tuple[dict[str, list[HeardNote]], Sight | None]:
        """What was heard since the last call, by source, and what the editor of the watched one draws."""
        marks, self._marks = self._marks, {}
        sight, self._sight = self._sight, None
        return marks, sight

    def close(self) -> None:
        """End the process."""
        if self._supervisor.started:
            self._supervisor.close(protocol.Quit(), _PATIENCE_SECONDS)

    # -- the process -------------------------------------------------------------------------------

    def _greeting(self) -> Iterator[protocol.Message]:
        self._behind = studio.behind()
        yield protocol.SetTime(self._behind)
        for message in (self._here, self._project, *self._rolls.values(), self._watch):
            if message is not None:
                yield message

    def _late(self, late: bool) -> None:
        words = "Listening does not answer. If that goes on, it is started again."
        self._send_on(protocol.Notice(protocol.EARS_HANG, words if late else ""))

    def _ended(self, how: Ended) -> None:
        self._act(self._silence)
        for report in self._standing.take_back():
            self._send_on(report)
        if how.again:
            self._send_on(protocol.Notice("ears", "Listening had stopped and was started again."))
        else:
            self._send_on(protocol.Notice(protocol.EARS_GONE, how.gone_words("Listening", "; the rest goes on")))

    def _take(self, report: protocol.EarsReport) -> None:
        match report:
            case protocol.HeardNotes():
                self._act(lambda now: self._heard(report))
            case protocol.Seen():
                for source_id, marks in report.marks.items():
                    self._marks.setdefault(source_id, []).extend(marks)
                if report.sight is not None and report.watched == self._watch.stage:
                    self._sight = _joined(self._sight, report.sight)
            case protocol.Dry():
                samples = np.frombuffer(report.samples, dtype=np.float32).reshape(-1, report.channels)
                self._monitor(report.whose, samples, report.rate, report.start)
            case protocol.Notice() | protocol.Missing():
                self._standing.follow(report)
                self._send_on(report)

    def _heard(self, report: protocol.HeardNotes) -> None:
        """In the engine's loop: what files brought before the transport stopped no longer counts."""
        if report.endless is None or report.run == self._rolls[report.endless].run:
            self._expect(report.events)


def _joined(before: Sight | None, after: Sight) -> Sight:
    if before is None:
        return after
    return Sight(after.time, after.step, before.values + after.values, max(before.peak, after.peak))
