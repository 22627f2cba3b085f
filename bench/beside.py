"""Other programs' JACK clients in a process of their own: what else runs here must not make them late."""

from __future__ import annotations

import multiprocessing
import sys
from multiprocessing.connection import Connection
from types import TracebackType

from tools.jack_devices import Pulse, Synth

TICK = 0xF8
_NOTE_ON = 0x90
_PATIENCE_SECONDS = 20.0


class Beside:
    """A synthesizer ``Even synth``, and a bare client that sends ticks and does nothing else, to a synthesizer of its
    own; afterwards, at which frames each heard what.

    Args:
        gap: frames from one tick of the bare client to the next.
    """

    def __init__(self, gap: float) -> None:
        self._ours, theirs = multiprocessing.Pipe()
        spawning = multiprocessing.get_context("spawn")
        self._process = spawning.Process(target=_hear, args=(theirs, gap), daemon=True)
        self.notes: list[int] = []
        self.ticks: list[int] = []
        self.bare: list[int] = []

    def __enter__(self) -> Beside:
        self._process.start()
        self._receive()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._ours.send(None)
        self.notes, self.ticks, self.bare = self._receive()
        self._process.join()

    def _receive(self) -> tuple[list[int], list[int], list[int]]:
        if not self._ours.poll(_PATIENCE_SECONDS):
            raise TimeoutError("the clients beside do not answer")
        found: tuple[list[int], list[int], list[int]] = self._ours.recv()
        return found


def _hear(connection: Connection, gap: float) -> None:
    sys.setswitchinterval(0.00002)
    notes: list[int] = []
    ticks: list[int] = []
    bare: list[int] = []

    def hear(message: list[int], frame: int) -> None:
        if message[0] == TICK:
            ticks.append(frame)
        elif message[0] == _NOTE_ON:
            notes.append(frame)

    devices = (
        Synth("Even synth", hear, once=True),
        Synth("Bare synth", lambda message, frame: bare.append(frame), once=True),
        pulse := Pulse("Bare pulse", [TICK], gap),
    )
    pulse.connect("Bare synth:in")
    connection.send(([], [], []))
    connection.recv()
    for device in devices:
        device.close()
    connection.send((notes, ticks, bare))
