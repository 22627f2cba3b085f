"""Ports of ours at a JACK server: what a period brought is read, and what is due is written, by the frame."""

from __future__ import annotations

import logging
import threading
from collections import deque
from collections.abc import Callable, Sequence
from typing import Any, NamedTuple, Protocol

from arpegon.core.events import Event
from arpegon.engine.devices.relay import Messages
from arpegon.engine.devices.resending import Resending
from arpegon.engine.devices.steady import FRAME_NUMBERS, since
from arpegon.engine.devices.systems import Receiver

log = logging.getLogger(__name__)

PERIODS_LATE = 2
"""How many periods after its time an event leaves or sounds."""


class Client(Protocol):
    """Whose ports they are."""

    def has(self, opened: JackPort) -> bool:
        """Whether a port is open on the server that we are with, and connected to what it was opened for."""

    def leave(self, opened: JackPort) -> None:
        """Close a port."""

    def take_reconnected(self, port: Any) -> bool:
        """Report once that a port was reconnected."""


class JackPort:
    """A port of ours that is connected to another one (none: whoever comes)."""

    def __init__(self, client: Client, port: Messages, other: str) -> None:
        self._client = client
        self.port = port
        self.other = other
        self.renewed = False
        """Whether a port of the other one's name was made since."""
        self._left_out = 0

    @property
    def alive(self) -> bool:
        return self._client.has(self)

    def close(self) -> None:
        self._client.leave(self)

    def report(self) -> None:
        """Say in the log what could not be passed on since the last time."""
        if self.port.left_out != self._left_out:
            self._left_out = self.port.left_out
            log.warning("a message at a JACK port was too long, or there were too many, and it was left out")


class JackInput(JackPort):
    """A port at which we hear."""

    def __init__(self, client: Client, port: Messages, other: str, receive: Receiver) -> None:
        super().__init__(client, port, other)
        self._receive = receive
        self._before: list[tuple[int, bytes]] = []

    def read(self, came: float, end: int, frames: int, rate: int, repeated: bool) -> bool:
        """Take what came in the period that began at ``came``; whether anything did.

        Args:
            end: the first frame after what is to be taken, as it was numbered when it came.
            repeated: periods were lost, so a sender may not have written anew since the period before, in which we
                looked, too: what it wrote then came already.
        """
        found = [(since(frame, end) + frames, message) for frame, message in self.port.pull(end)]
        taken = bool(found) and not (repeated and found == self._before)
        if taken:
            for offset, message in found:
                self._receive(message, came + offset / rate)
        self._before = found
        return taken


class Doubt(NamedTuple):
    """Whether what left in the last periods may have been missed by who hears us.

    Args:
        missed: whether it may.
        last: whether that is so for the last time.
        frames: for how many frames before what leaves is kept,
        ends_frames: and for how many the ends of notes are.
    """

    missed: bool
    last: bool
    frames: int
    ends_frames: int


class JackOutput(JackPort):
    """A port at which we speak.

    Args:
        out_at: the frame at which something of a time leaves.
    """

    def __init__(self, client: Client, port: Messages, other: str, out_at: Callable[[float], int]) -> None:
        super().__init__(client, port, other)
        self._out_at = out_at
        self._resending = Resending()
        self._next: int | None = None
        """The first frame of the period that came next when we looked last: what is due before leaves then or later."""
        self._beyond: deque[tuple[int, bytes]] = deque()
        """What found no room, in order, until a period has taken what is before it: a server may stand still for long,
        and the ends of notes must not be left out."""
        self._lock = threading.Lock()

    def send(self, events: Sequence[Event]) -> None:
        with self._lock:
            for event in events:
                frame = self._out_at(event.time)
                message = event.to_bytes()
                self._push(frame, message)
                if self._next is not None and since(frame, self._next) < 0:
                    frame = self._next
                self._resending.sent(frame, message)

    def take_reconnected(self) -> bool:
        """Report once that it was reconnected as it was on the previous client."""
        return self._client.take_reconnected(self.port.jack)

    @property
    def waiting(self) -> bool:
        """Whether anything did not leave yet."""
        return self.port.waiting or bool(self._beyond)

    def leaves(self) -> None:
        """It will be closed: what is in doubt is said in each period until then, as nobody says it afterwards."""
        with self._lock:
            self._resending.begin_anew()

    def look(self, frame: int, doubt: Doubt) -> None:
        """A period comes next, whose first frame is this.

        Where the last ones may have been missed by who hears us, what must not be missed is said again.
        """
        with self._lock:
            self._next = frame
            while self._beyond and self.port.push(*self._beyond[0]):
                self._beyond.popleft()
            if not doubt.missed:
                kept, kept_ends = ((frame - frames) % FRAME_NUMBERS for frames in (doubt.frames, doubt.ends_frames))
                self._resending.rest(kept, kept_ends)
                return
            for message in self._resending.again(frame, doubt.last):
                self._push(frame, message)

    def _push(self, frame: int, message: bytes) -> None:
        if self._beyond or not self.port.push(frame, message):
            self._beyond.append((frame, message))
