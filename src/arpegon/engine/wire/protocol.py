"""What the window and the engine tell each other, as msgspec messages over a socket.

Commands go one way; telemetry, port lists and notices the other. Each message is a four-byte length
(little-endian) and MessagePack.
"""

from __future__ import annotations

import contextlib
import socket
import struct
import threading
from collections import deque
from typing import Any

import msgspec

from arpegon.core.document.model import Project
from arpegon.core.events import Event
from arpegon.engine.clocks.clock_box import BoxSettings
from arpegon.listen import Mark, Sight


class Message(msgspec.Struct, tag=True, array_like=True, gc=False):
    """Any message; the class name is its tag."""


# -- window to engine --------------------------------------------------------------------------------


class SetProject(Message):
    """Work on this document; clip files are relative to ``folder``."""

    project: Project
    folder: str


class SetParams(Message):
    """The short cut for a knob that is dragged."""

    stage: str
    values: dict[str, Any]


class Feed(Message):
    """Events from the window (the play surface), at monotonic seconds."""

    name: str
    events: list[Event]


class Play(Message):
    """Start the transport, from a beat or from where it rests."""

    beat: float | None = None


class Stop(Message):
    """Stop the transport."""


class Locate(Message):
    """Go to a beat."""

    beat: float


class GoToSection(Message):
    """Go to a section by its place: on the next bar line, or now where the transport stands."""

    place: int


class Watch(Message):
    """Report exactly what this stage makes of each event (empty: none)."""

    stage: str


class PlayTake(Message):
    """Play recorded events straight to the strands' destinations, from ``start`` seconds on."""

    parts: dict[str, list[Event]]
    start: float


class StopTake(Message):
    """Stop the take that plays."""


class Direct(Message):
    """Send events straight to a strand's destinations, at seconds from now: to hear a chord, to turn a control."""

    strand: str
    events: list[Event]


class Act(Message):
    """Have a stage or generator do something: ``start`` (so many rounds), ``stop``."""

    stage: str
    act: str
    value: float | None = None


class Learn(Message):
    """Report everything that comes in, or no longer."""

    on: bool


class SetClockBox(Message):
    """Turn the knobs of the clock box."""

    settings: BoxSettings


class AllOff(Message):
    """Silence everything."""


class SetAudio(Message):
    """Open this audio device (empty: the default one) with blocks of that many frames."""

    device: str
    block: int


class Quit(Message):
    """End every note and leave."""


Command = (
    SetProject
    | SetParams
    | Feed
    | Play
    | Stop
    | Locate
    | GoToSection
    | Watch
    | PlayTake
    | StopTake
    | Direct
    | Act
    | Learn
    | SetClockBox
    | AllOff
    | SetAudio
    | Quit
)

# -- engine to window --------------------------------------------------------------------------------


class Printed(Message):
    """Events that passed one roll of a strand."""

    strand: str
    roll: int
    events: list[Event]


class Passed(Message):
    """One event of the watched stage and what it became; ``beat`` is where the transport was.

    Without an event: what the stage emitted of its own accord.
    """

    stage: str
    beat: float | None
    event: Event | None
    out: list[Event]


class Health(Message):
    """How the engine is: lateness of what was due (99th percentile, seconds), audio, what was thinned."""

    late_p99: float = 0.0
    audio: str = ""
    audio_rests: bool = False
    """Nothing in the project sounds, so that no device is used."""
    audio_load: float = 0.0
    audio_latency: float = 0.0
    audio_dropouts: int = 0
    realtime: bool = False
    sounding: int = 0
    thinned: int = 0
    events_per_second: float = 0.0


class Telemetry(Message):
    """Everything since the last batch, about 60 times a second."""

    now: float
    beat: float
    playing: bool
    tempo: float
    take: float | None
    printed: list[Printed]
    passed: list[Passed]
    meters: dict[str, float]
    health: Health
    heard: list[tuple[str, Event]] = []
    """Note ons that came in from outside, by feed, whether or not a strand took them; all events while learning."""
    controls: dict[str, dict[int, int]] = {}
    """Controllers that arrived at instruments, by number, with their last value."""
    live: list[float] = []
    """Where the watched stage is (see :meth:`~arpegon.core.processing.processor.Processor.live`)."""
    clock: str = "own"
    """Whose clock leads (see :attr:`~arpegon.engine.clocks.following.ClockFollower.state`)."""
    marks: dict[str, list[Mark]] = {}
    """Notes that audio sources heard, by source."""
    sight: Sight | None = None
    """What the watched audio source hears."""
    section_wanted: int = -1
    """The section that was asked for, and begins on the next bar line."""


class Hooked(Message):
    """What hookups did since the last batch.

    ``set`` holds target, parameter, value, and whether it only passes (an LFO or contour set it); ``moved`` the last
    value of each control by the id of its hookup; ``asked`` hookups whose actions are the window's.
    """

    set: list[tuple[str, str, Any, bool]]
    moved: dict[str, float]
    asked: list[str]


class Ports(Message):
    """The MIDI ports and audio devices that are there now."""

    inputs: list[str]
    outputs: list[str]
    audio: list[str]
    audio_in: list[str] = []


class Notice(Message):
    """A sentence for the musician; an empty ``text`` takes back what was said under ``topic``."""

    topic: str
    text: str


Report = Telemetry | Hooked | Ports | Notice

# -- engine to ears and back --------------------------------------------------------------------------


class Roll(Message):
    """Audio files play from ``time`` on, with their beginnings at ``origin`` (``None``: they stop)."""

    endless: bool
    origin: float | None
    time: float
    run: int
    """Counts these messages, so that what was heard before one is told apart."""


EarsCommand = SetProject | SetParams | Watch | Roll | Quit


class HeardNotes(Message):
    """Events of audio sources by feed, at monotonic seconds, of files (which, and of which run) or of inputs."""

    endless: bool | None
    run: int
    events: list[tuple[str, Event]]


class Seen(Message):
    """What was heard by each source, and what the watched one hears."""

    marks: dict[str, list[Mark]]
    watched: str
    sight: Sight | None


class Dry(Message):
    """Audio that is to be heard itself: float32 samples, channels side by side."""

    whose: str
    samples: bytes
    channels: int
    rate: int
    start: float


EarsReport = HeardNotes | Seen | Dry | Notice

_HEAD = struct.Struct("<I")


class Channel:
    """One end of the socket: a writer in a thread of its own, which never holds up its caller, and a reader.

    Args:
        incoming: the type (union) of the messages that arrive here.
    """

    def __init__(self, sock: socket.socket, incoming: Any) -> None:
        self._sock = sock
        self._decoder: msgspec.msgpack.Decoder[Any] = msgspec.msgpack.Decoder(incoming)
        self._encoder = msgspec.msgpack.Encoder()
        self._outbox: deque[Message] = deque()
        self._ready = threading.Semaphore(0)
        self._closed = False
        self._writer = threading.Thread(target=self._write, name="channel-writer", daemon=True)
        self._writer.start()

    @property
    def waiting(self) -> int:
        """How many messages wait to be sent."""
        return len(self._outbox)

    def send(self, message: Message) -> None:
        """Send soon; nothing happens where the other end is gone."""
        self._outbox.append(message)
        self._ready.release()

    def receive(self) -> Any:
        """Wait for the next message; ``None`` when the other end is gone."""
        head = self._read(_HEAD.size)
        if head is None:
            return None
        content = self._read(_HEAD.unpack(head)[0])
        return None if content is None else self._decoder.decode(content)

    def close(self) -> None:
        """Send what waits, then close this end."""
        self._closed = True
        self._ready.release()
        self._writer.join(1.0)
        with contextlib.suppress(OSError):
            self._sock.shutdown(socket.SHUT_RDWR)
        self._sock.close()

    def _read(self, count: int) -> bytes | None:
        chunks = bytearray()
        while len(chunks) < count:
            try:
                chunk = self._sock.recv(count - len(chunks))
            except OSError:
                return None
            if not chunk:
                return None
            chunks += chunk
        return bytes(chunks)

    def _write(self) -> None:
        while True:
            self._ready.acquire()
            while self._outbox:
                content = self._encoder.encode(self._outbox.popleft())
                try:
                    self._sock.sendall(_HEAD.pack(len(content)) + content)
                except OSError:
                    return
            if self._closed:
                return
