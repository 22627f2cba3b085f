"""The engine without a window: on a machine with no display, a small board on stage."""

from __future__ import annotations

import logging
import queue
import signal
import sys
import threading
import time
from collections.abc import Sequence
from pathlib import Path
from types import FrameType

from arpegon.core.document.model import MidiSource
from arpegon.core.errors import ArpegonError
from arpegon.engine.live.client import EngineClient
from arpegon.engine.live.osc import OscServer
from arpegon.engine.wire import protocol
from arpegon.files.logs import ENGINE_ERRORS, log_file, start_log
from arpegon.files.project import load_project
from arpegon.files.settings import load_settings, settings_trouble
from arpegon.processors.holding import turned

log = logging.getLogger(__name__)

_LOOK_SECONDS = 0.5
"""How often it is looked whether a signal came."""


class Headless:
    """A project at work until a signal ends it: SIGINT and SIGTERM end it, SIGHUP reads the project anew.

    What the engine says goes to standard error, a sentence a line.
    """

    def __init__(self, path: Path, plays: bool, osc_port: int, anywhere: bool) -> None:
        self._path = path
        self._plays = plays
        self._said: dict[str, str] = {}
        self._missing: dict[str, dict[str, str]] = {}
        self._signals: queue.SimpleQueue[int] = queue.SimpleQueue()
        self._project = load_project(path)
        self._missing_inputs: set[str] = set()
        self._changing = threading.Lock()
        """Held by whoever changes the project, as the engine's thread and ours do."""
        self._client = EngineClient(self._take, log_file(ENGINE_ERRORS))
        self._osc = OscServer(self._client.send, None, osc_port, anywhere) if osc_port else None

    def run(self) -> int:
        """Work until told to leave; the exit code."""
        for one in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(one, self._signalled)
        if trouble := settings_trouble():
            _say(trouble)
        settings = load_settings()
        self._client.send(protocol.SetAudio(settings.audio_device, settings.block))
        self._use()
        self._client.start()
        if self._plays:
            self._client.send(protocol.Play(0.0))
        _say(f"“{self._project.title}” is at work; end it with Ctrl+C or SIGTERM.")
        while self._next_signal() == signal.SIGHUP:
            self._read_anew()
        if self._osc is not None:
            self._osc.close()
        self._client.close()
        _say("Every note is ended.")
        return 0

    def _signalled(self, number: int, frame: FrameType | None) -> None:
        self._signals.put(number)

    def _next_signal(self) -> int:
        while True:
            try:
                return self._signals.get(timeout=_LOOK_SECONDS)
            except queue.Empty:
                continue

    def _read_anew(self) -> None:
        """Take over what the file holds now; a file that is damaged leaves what is at work."""
        try:
            project = load_project(self._path)
        except ArpegonError as error:
            _say(str(error))
        else:
            with self._changing:
                self._project = project
                self._use()
            _say(f"“{self._project.title}” was read anew.")

    def _use(self) -> None:
        self._client.set_project(self._project, self._path.parent)
        if self._osc is not None:
            self._osc.use(self._project)

    def _take(self, report: protocol.EngineReport) -> None:
        """What the engine says, from a thread of the client's."""
        if isinstance(report, protocol.Notice):
            # Each restart is an event of its own, though its words are the same.
            if report.text and (report.topic == "restart" or self._said.get(report.topic) != report.text):
                _say(report.text)
            self._said[report.topic] = report.text
        elif isinstance(report, protocol.Ports):
            self._name_missing_inputs(report.inputs)
        elif isinstance(report, protocol.Missing):
            before = self._missing.get(report.what, {})
            for name, why in report.why.items():
                if before.get(name) != why:
                    _say(why)
            for name in before.keys() - report.why.keys() if report.known else ():
                _say(f"“{name}” is no longer missing.")
            self._missing[report.what] = dict(report.why)
        elif isinstance(report, protocol.Hooked):
            self._follow(report)
            names = {hookup.id: hookup.action for hookup in self._project.hookups}
            for name, _ in report.asked:
                _say(f"A hookup asks for “{names.get(name, name)}”, which needs the window.")
        if self._osc is not None:
            self._osc.take(report)

    def _name_missing_inputs(self, there: Sequence[str]) -> None:
        """Report the MIDI inputs that the project names and that are not there, and those that came back."""
        sources = (source for strand in self._project.strands for source in strand.sources)
        missing = {source.port for source in sources if isinstance(source, MidiSource) and source.port} - {*there}
        for name in sorted(missing - self._missing_inputs):
            _say(f"The MIDI input “{name}” is not there. Arpegon listens to it as soon as it is connected.")
        for name in sorted(self._missing_inputs - missing):
            _say(f"The MIDI input “{name}” is there now.")
        self._missing_inputs = missing

    def _follow(self, report: protocol.Hooked) -> None:
        """What hookups have set is heard from an engine that is started again, too."""
        with self._changing:
            for section, target, key, value, by_stage in report.set:
                if not by_stage:
                    self._project = turned(self._project, (section, (target, key)), value)
            self._client.remember(self._project)


def run_headless(path: Path, plays: bool, osc_port: int = 0, anywhere: bool = False) -> int:
    """Let a project work without a window; the exit code.

    Args:
        plays: start the transport at once.
        osc_port: where OSC is heard; 0: it is not.
        anywhere: whether from the local network, too.

    Raises:
        ArpegonError: the project cannot be read, or the port cannot be had.
    """
    start_log("headless")
    return Headless(path, plays, osc_port, anywhere).run()


def _say(text: str) -> None:
    """A sentence on standard error, with the time of day."""
    print(f"{time.strftime('%H:%M:%S')} {text}", file=sys.stderr, flush=True)
    log.info("%s", text)
