"""The window's side of the engine: starts the process, talks to it, starts it again when it dies."""

from __future__ import annotations

import contextlib
import subprocess
import threading
import time
from collections import deque
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import IO

import msgspec

from arpegon.core.document.model import Project
from arpegon.engine.wire import protocol
from arpegon.engine.wire.spawning import spawn

RESTARTS = 5
RESTART_SPAN_SECONDS = 60.0

Receive = Callable[[protocol.Report], None]


class EngineClient:
    """An engine process, and the state that a new one needs when it must be started again.

    Args:
        receive: called from a thread of the client with every report.
        log: the file to which the engine's errors go (none: nowhere).
    """

    def __init__(self, receive: Receive, log: Path | None = None) -> None:
        self._receive = receive
        self._log = log
        self._process: subprocess.Popen[bytes] | None = None
        self._channel: protocol.Channel | None = None
        self._lock = threading.Lock()
        self._closing = False
        self._starts: deque[float] = deque(maxlen=RESTARTS)
        self._project: protocol.SetProject | None = None
        self._watch = protocol.Watch("")
        self._audio: protocol.SetAudio | None = None
        self._playing = False
        self._beat = 0.0

    # -- commands ----------------------------------------------------------------------------------

    def start(self) -> None:
        """Start the process; returns at once, long before the engine is ready."""
        with self._lock:
            self._spawn()

    def send(self, command: protocol.Command) -> None:
        """Tell the engine something; it never waits."""
        if isinstance(command, protocol.SetProject):
            self._project = command
        elif isinstance(command, protocol.Watch):
            self._watch = command
        elif isinstance(command, protocol.SetAudio):
            self._audio = command
        channel = self._channel
        if channel is not None:
            channel.send(command)

    def set_project(self, project: Project, folder: Path) -> None:
        """Have the engine work on a document (takes stay here: it does not need them)."""
        self.send(protocol.SetProject(msgspec.structs.replace(project, takes=()), str(folder)))

    def close(self) -> None:
        """End the process in order; it lets go of every note."""
        self._closing = True
        self.send(protocol.Quit())
        process, channel = self._process, self._channel
        if process is not None:
            try:
                process.wait(4.0)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
        if channel is not None:
            channel.close()

    @property
    def pid(self) -> int | None:
        """The process's number."""
        return self._process.pid if self._process else None

    # -- the process -------------------------------------------------------------------------------

    def _spawn(self) -> None:
        with self._errors() as errors:
            self._process, ours = spawn("arpegon.engine.live.loop", errors, apart=True)
        channel = self._channel = protocol.Channel(ours, protocol.Report)
        self._starts.append(time.monotonic())
        for command in (self._audio, self._project, self._watch):
            if command is not None:
                channel.send(command)
        threading.Thread(target=self._listen, args=(channel, self._process), name="engine-reports", daemon=True).start()

    @contextlib.contextmanager
    def _errors(self) -> Iterator[IO[bytes] | int]:
        file: IO[bytes] | int = subprocess.DEVNULL
        if self._log is not None:
            with contextlib.suppress(OSError):
                self._log.parent.mkdir(parents=True, exist_ok=True)
                file = self._log.open("wb")
        try:
            yield file
        finally:
            if not isinstance(file, int):
                file.close()

    def _listen(self, channel: protocol.Channel, process: subprocess.Popen[bytes]) -> None:
        while True:
            report = channel.receive()
            if report is None:
                break
            if isinstance(report, protocol.Telemetry):
                self._playing, self._beat = report.playing, report.beat
            self._receive(report)
        process.wait()
        if not self._closing:
            self._restart()

    def _restart(self) -> None:
        with self._lock:
            if self._closing:
                return
            now = time.monotonic()
            if len(self._starts) == RESTARTS and now - self._starts[0] < RESTART_SPAN_SECONDS:
                self._receive(
                    protocol.Notice(
                        "engine",
                        "The engine stopped again and again and was left alone; save your work and start Arpegon anew.",
                    )
                )
                return
            playing, beat = self._playing, self._beat
            self._spawn()
            if playing and self._channel is not None:
                self._channel.send(protocol.Play(beat))
        self._receive(protocol.Notice("restart", "The engine had stopped and was started again with the same project."))
