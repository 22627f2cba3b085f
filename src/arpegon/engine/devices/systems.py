"""What the engine asks of the systems that offer MIDI ports and audio devices."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, Protocol

import msgspec
from numpy.typing import NDArray

from arpegon.core.events import Event

OWN_CLIENT = "Arpegon"

Receiver = Callable[[Sequence[int], float], None]
"""Takes a MIDI message, and when it came in studio time; called from a thread of the system."""

Array = NDArray[Any]


class Fill(Protocol):
    """What sounds; called from a thread of the system."""

    def __call__(self, frames: int, start: float, latency: float, apart: Mapping[str, Array]) -> Array:
        """Make the next block.

        Args:
            frames: its length.
            start: when it begins, in studio time.
            latency: how many seconds later something sounds than it was due.
            apart: blocks of instruments that have ports of their own, by id: they are put there instead.

        Returns:
            float32 of shape (2, frames).
        """

    @property
    def silent(self) -> bool:
        """Whether nothing sounds until something is played."""

    def rest(self, frames: int) -> None:
        """Let so many frames pass in silence (0: it begins)."""


class InputBlock(msgspec.Struct, eq=False):
    """Samples of a device: of shape (frames, channels), and when they began, in studio time."""

    device: str
    samples: Array
    rate: int
    start: float


class MidiPort(Protocol):
    """A port that is open."""

    @property
    def alive(self) -> bool:
        """Whether it is still the one that was opened: one that was pulled out may be back under the same name."""

    def close(self) -> None:
        """Leave it."""


class MidiOutput(MidiPort, Protocol):
    """An output that is open, and connected."""

    def send(self, events: Sequence[Event]) -> None:
        """Send events; what cannot be sent is dropped."""

    def take_reconnected(self) -> bool:
        """Report once that it was reconnected as it was on the previous client."""


class MidiSystem(Protocol):
    """A system that offers MIDI ports."""

    label: str

    def look(self) -> tuple[list[str], list[str]] | None:
        """The names of the inputs and outputs that are there; ``None`` while the system itself is not: what was
        opened before is then of no more use."""

    def open_own(self, receive: Receiver) -> tuple[MidiPort, MidiOutput] | None:
        """Arpegon's own ports, to which others connect."""

    def open_named(self, name: str) -> MidiOutput | None:
        """A further output of Arpegon's own, to which others connect; ``None`` where its name is taken."""

    def open_input(self, name: str, receive: Receiver) -> MidiPort | None:
        """Hear an input; ``None`` where it is busy or gone."""

    def open_output(self, name: str) -> MidiOutput | None:
        """Send to an output; ``None`` where it is busy or gone."""

    def close(self) -> None:
        """Leave the system."""


class AudioStream(Protocol):
    """An audio device at work."""

    name: str

    @property
    def alive(self) -> bool:
        """Whether the device is still there, as far as its system says."""

    def close(self) -> None:
        """Leave the device to others."""


class AudioSystem(Protocol):
    """A system that offers audio devices."""

    @property
    def there(self) -> bool:
        """Whether it runs."""

    def open_stream(
        self, device: str, block: int, prepare: Callable[[int], Fill], dropped: Callable[[], None]
    ) -> AudioStream | None:
        """Play on a device.

        Args:
            device: its name; empty: the one that is usual.
            block: frames in a block, where the system leaves that to us.
            prepare: called with the samples a second; what it returns is then asked for blocks.
            dropped: called when a block came too late.

        Returns:
            ``None`` where the system does not run, or knows no such device and others may.

        Raises:
            Exception: of whatever kind, where it cannot be opened.
        """

    def set_pairs(self, pairs: Mapping[str, str]) -> None:
        """Instruments that want ports of their own, left and right, by id, and what these are called; where the system
        has no such ports they stay in the mix."""

    def outputs(self) -> list[str]:
        """The devices that can play."""

    def inputs(self) -> list[str]:
        """The devices that can be heard."""
