"""The process that listens: audio inputs, files in a loop, and the listeners. The engine's notes never wait for it.

It talks to the engine as the engine does to the window (:mod:`arpegon.engine.wire.protocol`).
"""

from __future__ import annotations

import logging
import math
import os
import queue
import signal
import socket
import sys
import threading
import time
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import numpy as np

from arpegon.core.document.model import Project
from arpegon.core.time import studio
from arpegon.engine.devices.portaudio import library
from arpegon.engine.devices.systems import InputBlock
from arpegon.engine.hearing.ears import BLOCK_SECONDS, Block, Ears
from arpegon.engine.hearing.hearing import blocks_of, file_sources, first_block, may_be_turned
from arpegon.engine.hearing.inputs import AudioIn
from arpegon.engine.wire import protocol
from arpegon.engine.wire.framing import WireError
from arpegon.engine.wire.quiet import hush_jack
from arpegon.engine.wire.realtime import LISTENING, ask_for_realtime
from arpegon.engine.wire.spawning import leave_in_time
from arpegon.engine.wire.wire import Wire
from arpegon.files.asset_reader import AssetReader
from arpegon.files.assets import SOUNDS
from arpegon.files.audio import AudioFile
from arpegon.files.logs import catch_faults, say_last, start_log
from arpegon.files.path_text import text_path
from arpegon.listen import filters

log = logging.getLogger(__name__)

_REPORT_SECONDS = 1.0 / 60.0
_AT_ONCE, _AT_LEISURE = 4, 12
"""Blocks of files that are heard at once, as a wake-up costs more than a block: where they have just begun, or what is
heard may be turned or is looked at, which acts that much later; and where nothing of that is so."""
_AHEAD_SECONDS = 0.015
"""How long before they sound: what is known of many blocks is known in time."""
_BEHIND_SECONDS = 0.25
"""Further behind than this, blocks of files are left out: the machine slept."""
_WAIT_SECONDS = 0.2
"""How long files that have just begun wait for one that is read: shorter than what is made up for."""
_KEEP_SECONDS = 0.5
_BEAT_SECONDS = 1.0
"""How often it says that it is well."""


class EarsProcess:
    """Hears what is wanted and says what it heard."""

    def __init__(self, wire: Wire) -> None:
        self.wire = wire
        self.ears = Ears()
        self.project = Project()
        self._sounds: Mapping[str, AudioFile] = {}
        self._reads = False
        """Whether a file that the document names is read just now, for the first time."""
        self._todo: queue.SimpleQueue[Callable[[], None]] = queue.SimpleQueue()
        self._rolls: dict[bool, tuple[float | None, int]] = {False: (None, 0), True: (None, 0)}
        self._next: dict[bool, int] = {False: 0, True: 0}
        self._began = {False: -math.inf, True: -math.inf}
        """When files began to play."""
        self._turned = False
        """Whether a hookup or section may turn what is listened with."""
        self._watched = ""
        self._heard_there: set[str] = set()
        """The devices that the engine hears for us."""
        self._untold = False
        """Whether anything was heard since the last report."""
        self._running = True
        self._reader = AssetReader(SOUNDS, lambda *read: self._todo.put(lambda: self._sounds_read(*read)))
        self._devices = threading.RLock()
        self.inputs = AudioIn(
            lambda block: self._todo.put(lambda: self._hear_input(block)),
            lambda missing: wire.send(protocol.Missing("audio-in", missing)),
            self._rescan,
        )

    # -- commands ----------------------------------------------------------------------------------

    def obey(self, command: protocol.EarsCommand) -> None:
        """Do what the engine says."""
        match command:
            case protocol.SetProject():
                self._set_project(command.project, text_path(command.folder))
            case protocol.SetTime():
                studio.set_behind(command.behind)
            case protocol.SetParams():
                self.ears.set_params(command.stage, command.values)
            case protocol.PlayFiles():
                self._rolls[command.endless] = (command.origin, command.run)
                if command.origin is None:
                    for source in file_sources(self.project, command.endless):
                        self.ears.quiet(source.id)
                else:
                    self._next[command.endless] = first_block(command.origin, command.time)
                    self._began[command.endless] = studio.now()
            case protocol.Watch():
                self._watched = command.stage
            case protocol.HeardHere():
                self._heard_there = set(command.devices)
                self._want_inputs()
            case protocol.Samples():
                samples = np.frombuffer(command.samples, dtype=np.float32).reshape(-1, command.channels)
                self._hear_input(InputBlock(command.device, samples, command.rate, command.start))
            case protocol.Quit():
                self._running = False

    def _set_project(self, project: Project, folder: Path) -> None:
        self._reads = self._reader.want(project, folder)
        self.project = project
        self._turned = may_be_turned(project)
        self.ears.configure(project)
        self._want_inputs()

    def _sounds_read(self, sounds: Mapping[str, AudioFile], missing: dict[str, str]) -> None:
        self._reads, self._sounds = False, sounds
        self.wire.send(protocol.Missing("sound", missing))

    def _want_inputs(self) -> None:
        named = {one.device for _, one in self.project.audio_sources() if not one.file and not one.bypass}
        self.inputs.want(named - self._heard_there)

    # -- hearing -----------------------------------------------------------------------------------

    def _hear_input(self, block: InputBlock) -> None:
        heard = {
            ear_id: Block(block.samples, block.rate, block.start)
            for ear_id, ear in self.ears.by_id.items()
            if not ear.source.file and ear.source.device == block.device
        }
        self._hear(heard, None, 0)

    def _hear(self, blocks: dict[str, Block], endless: bool | None, run: int) -> None:
        for ear_id, block in blocks.items():
            source = self.ears.by_id[ear_id].source if ear_id in self.ears.by_id else None
            if source is not None and source.monitor:
                samples = np.ascontiguousarray(self.ears.by_id[ear_id].channels(block.samples), dtype=np.float32)
                dry = protocol.Dry(ear_id, samples.tobytes(), samples.shape[1], block.rate, block.start)
                self.wire.send(dry)
        self._untold = True
        events = self.ears.hear(blocks)
        if events:
            self.wire.send(protocol.HeardNotes(endless, run, events))

    def _waits_until(self, endless: bool) -> float:
        """Until when files that have just begun wait for one that is read: all begin together."""
        return self._began[endless] + _WAIT_SECONDS if self._reads else -math.inf

    def _next_due(self) -> float:
        due = [
            max(origin + self._next[endless] * BLOCK_SECONDS - _AHEAD_SECONDS, self._waits_until(endless))
            for endless, (origin, _) in self._rolls.items()
            if origin is not None and file_sources(self.project, endless)
        ]
        return min(due, default=math.inf)

    def _play_files(self, now: float) -> None:
        """Hear the blocks of files that begin now: what is known need not have sounded, so no note is late."""
        for endless, (origin, run) in self._rolls.items():
            if origin is None or now < self._waits_until(endless):
                continue
            sources = file_sources(self.project, endless)
            if not sources or now - (origin + self._next[endless] * BLOCK_SECONDS) > _BEHIND_SECONDS:
                self._next[endless] = first_block(origin, now)
            while sources and (start := origin + self._next[endless] * BLOCK_SECONDS) <= now + _AHEAD_SECONDS:
                at_leisure = start > now and self._watched not in self.ears.by_id and not self._turned
                count = _AT_LEISURE if at_leisure else _AT_ONCE
                blocks = blocks_of(sources, self._sounds, origin, self._next[endless], count)
                self._hear(blocks, endless, run)
                self._next[endless] += count

    # -- the loop ----------------------------------------------------------------------------------

    def run(self) -> None:
        """Work until told to leave."""
        threading.Thread(target=self._listen, name="commands", daemon=True).start()
        threading.Thread(target=self._keep_inputs, name="inputs", daemon=True).start()
        self.inputs.start()
        ask_for_realtime(LISTENING)
        report_at = beat_at = time.monotonic()
        while self._running:
            wait = min(self._next_due() - studio.now(), beat_at - time.monotonic())
            if self._untold:
                wait = min(wait, report_at - time.monotonic())
            try:
                act = self._todo.get(timeout=wait) if wait > 0 else self._todo.get_nowait()
                self._safely(act)
                while True:
                    self._safely(self._todo.get_nowait())
            except queue.Empty:
                pass
            self._safely(lambda: self._play_files(studio.now()))
            if self._untold and time.monotonic() >= report_at:
                report_at, self._untold = time.monotonic() + _REPORT_SECONDS, False
                self._report()
            if time.monotonic() >= beat_at:
                beat_at = time.monotonic() + _BEAT_SECONDS
                self.wire.send(protocol.Listening())
        self.inputs.close()

    def _safely(self, act: Callable[[], None]) -> None:
        try:
            act()
        except Exception:  # a fault in one listener must not stop the others
            log.exception("a fault while listening")

    def _report(self) -> None:
        marks, sight = self.ears.marks(), self.ears.sight(self._watched)
        if marks or (sight is not None and (sight.values or sight.peak)):
            self.wire.send(protocol.Seen(marks, self._watched, sight))

    def _listen(self) -> None:
        while True:
            try:
                command = self.wire.receive() or protocol.Quit()
            except WireError as error:
                log.error("a command could not be read: %s", error)
                if not error.lost:
                    continue
                command = protocol.Quit()
            self._todo.put(lambda command=command: self.obey(command))  # type: ignore[misc]
            if isinstance(command, protocol.Quit):
                leave_in_time()
                return

    def _keep_inputs(self) -> None:
        while self._running:
            with self._devices:
                self.inputs.keep()
            time.sleep(_KEEP_SECONDS)

    def _rescan(self) -> None:
        with self._devices:
            self.inputs.close()
            library(anew=True)


def main(arguments: list[str]) -> None:
    """Run on the socket whose file descriptor is the first argument."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    start_log("listening")
    hush_jack()
    filters.load()
    catch_faults(say_last)
    os.environ.setdefault("JACK_NO_START_SERVER", "1")
    sock: Any = socket.socket(fileno=int(arguments[0]))
    wire = Wire(sock, protocol.EarsCommand)
    EarsProcess(wire).run()
    wire.close()
    os._exit(0)  # audio libraries may keep threads of their own


if __name__ == "__main__":
    main(sys.argv[1:])
