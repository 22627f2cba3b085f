"""Audio inputs that the engine itself hears, at its one JACK client, for the process that listens."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable, Mapping
from typing import Protocol

from arpegon.core.document.model import Project
from arpegon.engine.devices.systems import InputBlock

_LOOK_SECONDS = 0.5
_QUEUE_BLOCKS = 64


class Listens(Protocol):
    """Who can hear devices."""

    def listen(self, devices: Mapping[str, int]) -> set[str]:
        """Hear devices from now on, each by so many channels at most; those that are there."""


class AudioInputs:
    """Keeps those inputs heard that a document names and that are there.

    Args:
        heard: called with the devices that are heard here, whenever they are others: nobody else need hear them.
        hand_on: takes what they bring, in a thread of its own.
    """

    def __init__(
        self, system: Listens, heard: Callable[[set[str]], None], hand_on: Callable[[InputBlock], None]
    ) -> None:
        self._system = system
        self._heard = heard
        self._hand_on = hand_on
        self._blocks: deque[InputBlock] = deque(maxlen=_QUEUE_BLOCKS)
        self._ready = threading.Semaphore(0)
        self._wanted: Mapping[str, int] = {}
        self._told: set[str] = set()
        self._wake = threading.Event()
        self._running = True
        self._started = False

    def use(self, project: Project) -> None:
        """The inputs of a document."""
        wanted: dict[str, int] = {}
        for _, source in project.audio_sources():
            if not source.file and not source.bypass:
                wanted[source.device] = max(wanted.get(source.device, 0), *source.inputs)
        if wanted != self._wanted:
            self._wanted = wanted
            if not self._started:
                self._started = True
                for work in (self._keep, self._give):
                    threading.Thread(target=work, name="audio-inputs", daemon=True).start()
            self._wake.set()

    def take(self, block: InputBlock) -> None:
        """Take what a device brought; never waits."""
        self._blocks.append(block)
        self._ready.release()

    def close(self) -> None:
        """Look no more."""
        self._running = False
        self._wake.set()
        self._ready.release()

    def _keep(self) -> None:
        while self._running:
            heard = self._system.listen(self._wanted)
            if heard != self._told:
                self._told = heard
                self._heard(heard)
            self._wake.wait(_LOOK_SECONDS if self._wanted else None)
            self._wake.clear()

    def _give(self) -> None:
        while self._running:
            self._ready.acquire()
            while self._blocks:
                self._hand_on(self._blocks.popleft())
