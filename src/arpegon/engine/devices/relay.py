"""What is done in JACK's thread, each period: copied to and fro, so that JACK never waits for us.

What came in lies here until it is read, what is to leave until its frame comes; of each period that began somebody is
told, and works on it while it lasts. :mod:`~arpegon.engine.devices.compiled_relay` does so, and where no compiler was
there :mod:`~arpegon.engine.devices.plain_relay`.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Protocol

import msgspec
from numpy.typing import NDArray

if TYPE_CHECKING:
    from arpegon.engine.devices.jack_calls import PeriodCalls

Array = NDArray[Any]

GLANCE_SECONDS = 0.0002
"""How long it may take to read two clocks, for one to tell of the other."""
PATIENCE_SECONDS = 1.0
"""How long a period of a server that runs free waits until it is worked on,"""
PATIENCE_SHARE = 0.6
"""and for which share of itself any other one, where what should sound in it is not ready: other clients need the
rest."""


class Beat(msgspec.Struct):
    """A period that began."""

    cycle: int
    """Which one it is, from 1 on; it may begin anew after 2 ** 32."""
    lost: bool
    """Whether the server skipped periods since the last one that was told."""
    frame: int
    """Its first one, as the server counts them: in 32 bits."""
    frames: int
    began: float
    """When, by the computer's clock, as far as could be told,"""
    called: float
    """and when we were called."""
    sure: bool
    """Whether ``began`` is worth anything."""
    state: int
    """Of the transport."""
    position: Any
    """Of the transport, as JACK has it."""


class Messages(Protocol):
    """Messages on their way in or out."""

    jack: Any
    """The port, as its library has it."""

    @property
    def left_out(self) -> int:
        """How many no period holds, or came and found no room."""

    def push(self, frame: int, message: bytes) -> bool:
        """Have a message leave at a frame, or at once where that is past; in the order in which they were pushed. False
        where there is no room for it now."""

    def pull(self, end: int) -> list[tuple[int, bytes]]:
        """What came before a frame, each with its own."""

    @property
    def waiting(self) -> bool:
        """Whether anything is there that did not leave, or was not pulled."""


class SampleFlow(Protocol):
    """Samples on their way in or out."""

    jack: Any

    def fill(self, frame: int, samples: Array) -> None:
        """Have samples sound from a frame on, for which nothing may have sounded yet."""

    def hush(self) -> None:
        """Have nothing sound."""

    def heard(self, frame: int, frames: int) -> Array:
        """What came from a frame on."""


class Relay(Protocol):
    """One client's."""

    @property
    def cycles(self) -> int:
        """How often JACK called."""

    @property
    def calls(self) -> PeriodCalls | None:
        """What JACK calls in each period, where that is Python's."""

    @property
    def idle(self) -> bool:
        """Whether all periods that were told are worked on."""

    @property
    def called(self) -> float:
        """When it did last, by the computer's clock."""

    @property
    def frame(self) -> int:
        """With which frame the last period began that needs nothing more from us."""

    @property
    def missing(self) -> int:
        """How many periods had no sound that should have had some."""

    def add_messages(self, port: Any, out: bool) -> Messages:
        """Take up a port for MIDI."""

    def add_samples(self, port: Any, out: bool) -> SampleFlow:
        """Take up a port for audio."""

    def remove(self, port: Messages | SampleFlow) -> None:
        """Leave a port alone from the next cycle on."""

    def set_free(self, on: bool) -> None:
        """Whether each period waits until it is worked on."""

    def set_sounding(self, on: bool) -> None:
        """Whether a period may wait a little for its sound."""

    def rest(self, frames: int) -> None:
        """Periods need not be told of in which nothing comes in, for so many frames (0: all are)."""

    def wake_at(self, frame: int) -> None:
        """The period that begins with this frame, or the next one after it, is told of."""

    def work(self, beat: Callable[[Beat], None]) -> None:
        """Work on periods until closed: called with each."""

    def lates(self) -> list[int]:
        """By how many frames each was late that left since this was asked last."""

    def close(self) -> None:
        """Let go of whoever works; JACK must not call any more."""
