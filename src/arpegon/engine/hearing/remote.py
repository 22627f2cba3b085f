"""The engine's side of the process that listens: started when a document has audio sources, and again when it dies."""

from __future__ import annotations

import subprocess
import threading
import time
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from arpegon.core.document.model import Project
from arpegon.engine.hearing.hearing import Heard
from arpegon.engine.wire import protocol
from arpegon.engine.wire.spawning import spawn
from arpegon.files.audio import Sound
from arpegon.listen import Mark, Sight

_RESTART_SECONDS = 1.0
_RESTARTS = 5

Act = Callable[[float], None]
Monitor = Callable[[str, NDArray[Any], int, float], None]


class RemoteHearing:
    """Listens in a process of its own.

    Args:
        act: has something done by the engine's loop.
        expect: takes what was heard, in the engine's loop.
        monitor: takes audio that is to be heard itself: whose, samples of shape (frames, channels), rate, beginning.
        notice: passes a sentence on to the window.
    """

    def __init__(
        self,
        act: Callable[[Act], None],
        expect: Callable[[Heard], None],
        monitor: Monitor,
        notice: Callable[[protocol.Notice], None],
    ) -> None:
        self._act = act
        self._expect = expect
        self._monitor = monitor
        self._notice = notice
        self.folder = ""
        """Where the files of the document lie."""
        self._channel: protocol.Channel | None = None
        self._process: subprocess.Popen[bytes] | None = None
        self._project: protocol.SetProject | None = None
        self._rolls = {endless: protocol.Roll(endless, None, 0.0, 0) for endless in (False, True)}
        self._watch = protocol.Watch("")
        self._marks: dict[str, list[Mark]] = {}
        self._sight: Sight | None = None
        self._starts = 0
        self._closing = False

    # -- what the engine asks ----------------------------------------------------------------------

    def configure(self, project: Project, sounds: Mapping[str, Sound], time: float) -> None:
        if self._channel is None and not any(True for _ in project.audio_sources()):
            return
        self._project = protocol.SetProject(project, self.folder)
        if self._channel is None:
            self._spawn()
        else:
            self._send(self._project)

    def set_params(self, source_id: str, values: Mapping[str, Any]) -> None:
        self._send(protocol.SetParams(source_id, dict(values)))

    def roll(self, endless: bool, origin: float | None, time: float) -> None:
        run = self._rolls[endless].run + 1
        self._rolls[endless] = protocol.Roll(endless, origin, time, run)
        self._send(self._rolls[endless])

    def watch(self, source_id: str) -> None:
        """Tell more of what this source hears."""
        self._watch = protocol.Watch(source_id)
        self._send(self._watch)

    @property
    def waiting(self) -> bool:
        """Whether something was heard that was not yet told."""
        return bool(self._marks) or self._sight is not None

    def seen(self) -> tuple[dict[str, list[Mark]], Sight | None]:
        """What was heard since the last call, by source, and what the editor of the watched one draws."""
        marks, self._marks = self._marks, {}
        sight, self._sight = self._sight, None
        return marks, sight

    def close(self) -> None:
        """End the process."""
        self._closing = True
        self._send(protocol.Quit())
        if self._process is not None:
            try:
                self._process.wait(2.0)
            except subprocess.TimeoutExpired:
                self._process.kill()

    # -- the process -------------------------------------------------------------------------------

    def _send(self, message: protocol.Message) -> None:
        if self._channel is not None:
            self._channel.send(message)

    def _spawn(self) -> None:
        self._process, ours = spawn("arpegon.engine.hearing.process")
        channel = self._channel = protocol.Channel(ours, protocol.EarsReport)
        for message in (self._project, *self._rolls.values(), self._watch):
            if message is not None:
                channel.send(message)
        threading.Thread(target=self._receive, args=(channel,), name="ears-reports", daemon=True).start()

    def _receive(self, channel: protocol.Channel) -> None:
        while (report := channel.receive()) is not None:
            self._take(report)
        if self._closing:
            return
        self._starts += 1
        if self._starts > _RESTARTS:
            words = "Listening stopped again and again and was left off; the rest goes on."
            self._notice(protocol.Notice("ears", words))
            return
        self._notice(protocol.Notice("ears", "Listening had stopped and was started again."))
        time.sleep(_RESTART_SECONDS)
        self._spawn()

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
            case protocol.Notice():
                self._notice(report)

    def _heard(self, report: protocol.HeardNotes) -> None:
        """In the engine's loop: what files brought before the transport stopped no longer counts."""
        if report.endless is None or report.run == self._rolls[report.endless].run:
            self._expect(report.events)


def _joined(before: Sight | None, after: Sight) -> Sight:
    if before is None:
        return after
    return Sight(after.time, after.step, before.values + after.values, max(before.peak, after.peak))
