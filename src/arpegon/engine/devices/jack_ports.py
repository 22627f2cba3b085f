"""Ports of ours at a JACK server: what a period brought is read, and what is due is written, by the frame."""

from __future__ import annotations

import contextlib
import logging
from collections import deque
from collections.abc import Sequence
from typing import Any, Protocol

from arpegon.core.events import Event
from arpegon.engine.devices.lateness import Lateness
from arpegon.engine.devices.resending import Resending
from arpegon.engine.devices.systems import Take

try:
    from jack import JackError
except (ImportError, OSError):  # this machine has no JACK library
    JackError = RuntimeError

log = logging.getLogger(__name__)

PERIODS_LATE = 2
"""How many periods after its time an event leaves or sounds."""
LOST_PERIODS = 3
"""A server that does not wait for its clients skips periods when clients come or go on a busy machine, and what left
about then may be heard never, or twice (measured: some of 4,000 while clients come and go twice a second)."""


class Client(Protocol):
    """Whose ports they are."""

    lateness: Lateness
    """Of what left, against its own frame."""

    def has(self, opened: JackPort) -> bool:
        """Whether a port is open on the server that we are with, and connected to what it was opened for."""

    def leave(self, opened: JackPort) -> None:
        """Close a port."""


class JackPort:
    """A port of ours that is connected to another one (none: whoever comes)."""

    def __init__(self, client: Client, port: Any, other: str) -> None:
        self._client = client
        self.port = port
        self.other = other
        self.renewed = False
        """Whether a port of the other one's name was made since."""

    @property
    def alive(self) -> bool:
        return self._client.has(self)

    def close(self) -> None:
        self._client.leave(self)


class JackInput(JackPort):
    """A port at which we hear."""

    def __init__(self, client: Client, port: Any, other: str, take: Take) -> None:
        super().__init__(client, port, other)
        self._take = take
        self._before: list[tuple[int, bytes]] = []

    def read(self, came: float, rate: int, lost: bool) -> None:
        """Take what came in the period that began at ``came``.

        Where periods were lost, a sender may not have written anew: what it wrote before came already.
        """
        found = [(offset, bytes(message)) for offset, message in self.port.incoming_midi_events()]
        if found and not (lost and found == self._before):
            for offset, message in found:
                self._take(message, came + offset / rate)
        self._before = found


class JackOutput(JackPort):
    """A port at which we speak."""

    def __init__(self, client: Client, port: Any, other: str) -> None:
        super().__init__(client, port, other)
        self._queue: deque[tuple[float, bytes]] = deque()
        self._resending = Resending(LOST_PERIODS)

    def send(self, events: Sequence[Event]) -> None:
        self._queue.extend([(event.time, event.to_bytes()) for event in events])

    @property
    def waiting(self) -> bool:
        """Whether anything was not yet handed to JACK."""
        return bool(self._queue)

    def write(self, cycle: int, start: float, frames: int, rate: int, missed: bool) -> None:
        """Put what is due into the period that begins at ``start``, in the order in which it was sent.

        Where the last ones may have been ``missed`` by who hears us, what must not be missed is said again before.
        """
        port, queue = self.port, self._queue
        port.clear_buffer()
        offset, written = 0, False
        if missed:
            for message in self._resending.again(cycle):
                with contextlib.suppress(JackError):  # the period is full
                    port.write_midi_event(0, message)
                written = True
        late = PERIODS_LATE * frames
        while queue:
            at, message = queue[0]
            due = round((at - start) * rate) + late
            if due >= frames:
                return
            offset = max(offset, due)
            try:
                port.write_midi_event(offset, message)
            except JackError:  # the period is full: the rest leaves with the next one
                if written:
                    return
                log.warning("a message of %d bytes is too long for JACK, and was left out", len(message))
            else:
                self._resending.sent(cycle, message)
                self._client.lateness.add(start, (offset - due) / rate)
            queue.popleft()
            written = True
