"""What the window and the engine tell each other, as msgspec messages over a socket.

Commands go one way; telemetry, port lists and notices the other. Each message is a four-byte length
(little-endian) and MessagePack.
"""

from __future__ import annotations

from typing import Any, Literal

import msgspec

from arpegon.core.document.model import Project
from arpegon.core.events import Event
from arpegon.core.notes.taps import Batch
from arpegon.engine.clocks.clock_box import BoxSettings
from arpegon.listen.heard import HeardNote, Sight


class Message(msgspec.Struct, tag=True, array_like=True, gc=False):
    """Any message; the class name is its tag."""


# -- window to engine --------------------------------------------------------------------------------


class SetProject(Message):
    """Work on this document, of this number; clip files are relative to ``folder``."""

    project: Project
    folder: str
    revision: int = 0


class SetParams(Message):
    """The short cut for a knob that is dragged."""

    stage: str
    values: dict[str, Any]


class Feed(Message):
    """Events from the window (the play surface), in studio time."""

    name: str
    events: list[Event]


class SetTime(Message):
    """Studio time is so much behind the computer's clock: said at the beginning, and to whoever cannot measure it."""

    behind: float


class SetName(Message):
    """Be called so at a JACK server: a session of programs knows each by its own name."""

    name: str


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


class Look(Message):
    """Whether anybody looks at what is told of meters, lamps and the like."""

    on: bool


class PlayTake(Message):
    """Play recorded events from ``start`` seconds on, to the last of them or to ``end``: straight to the strands'
    destinations, or ``through`` stages; with ``keys_out`` what is played live is kept out of these strands meanwhile.
    """

    parts: dict[str, list[Event]]
    start: float
    end: float | None = None
    through: bool = False
    keys_out: bool = False


class Sync(Message):
    """Say (:class:`Synced`) when all that was sent before this is worked on, and what passed is told."""

    number: int


class StopTake(Message):
    """Stop the take that plays."""


class Direct(Message):
    """Send events straight to a strand's destinations, at seconds from now: to hear a chord, to turn a control."""

    strand: str
    events: list[Event]


class CommandStage(Message):
    """Have a stage or generator do something: ``start`` (so many rounds), ``stop``."""

    stage: str
    command: str
    value: float | None = None


class Turn(Message):
    """Set an address to a value, as a hookup does: it stands over the document until that changes it."""

    target: str
    param: str
    value: Any


class Act(Message):
    """Do what a hookup can do, with a part of the project (empty: as a whole)."""

    action: str
    target: str = ""
    value: float | None = None


class Learn(Message):
    """Report everything that comes in, or no longer."""

    on: bool


class SetClockBox(Message):
    """Turn the knobs of the clock box."""

    settings: BoxSettings


class AllOff(Message):
    """Silence everything."""


class Hush(Message):
    """The engine before this one ended in mid-note: silence each output once it is connected again."""

    ends: dict[str, list[Event]] = {}
    """By output, what ends the notes, pedals and bends that it held as far as is known."""


class Patch(Message):
    """What the ports of the engine before this one were connected to (:class:`Patched`): said before the time is."""

    connections: list[tuple[str, str]]
    settled: list[str]


class ListenAnew(Message):
    """Start the process that listens again: it ended too often, or hangs."""


class SetAudio(Message):
    """Open this audio device (empty: the default one) with blocks of that many frames."""

    device: str
    block: int


class Quit(Message):
    """End every note and leave."""


EngineCommand = (
    SetProject
    | SetParams
    | Feed
    | SetTime
    | SetName
    | Play
    | Stop
    | Locate
    | GoToSection
    | Watch
    | Look
    | PlayTake
    | Sync
    | StopTake
    | Direct
    | CommandStage
    | Turn
    | Act
    | Learn
    | SetClockBox
    | AllOff
    | Hush
    | Patch
    | ListenAnew
    | SetAudio
    | Quit
)

# -- engine to window --------------------------------------------------------------------------------


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
    timing: float = 0.0
    """How far from its own time what left was (99th percentile, seconds)."""
    audio: str = ""
    audio_known: bool = False
    """Whether a device was looked for."""
    audio_rests: bool = False
    """Nothing in the project sounds, so that no device is used."""
    audio_load: float = 0.0
    audio_latency: float = 0.0
    lead: float = 0.0
    """Seconds that all strands wait for one that is played early."""
    audio_dropouts: int = 0
    realtime: bool = False
    sounding: int = 0
    thinned: int = 0
    events_per_second: float = 0.0


class Telemetry(Message):
    """How things are, and what happened beside events, about 30 times a second; at once when the transport starts."""

    now: float
    worked_until: float
    """What the engine does from here on is later, while ``now`` may come again: studio time steps back where a server
    stood still."""
    beat: float
    playing: bool
    tempo: float
    take_began: float | None
    """When the take that plays was, or would have been, at its start, in studio time; ``None``: none plays."""
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
    marks: dict[str, list[HeardNote]] = {}
    """Notes that audio sources heard, by source."""
    sight: Sight | None = None
    """What the watched audio source hears."""
    revision: int = 0
    """The document at work."""
    behind: float = 0.0
    """By how many seconds studio time is behind the computer's clock."""
    section_wanted: int = -1
    """The section that was asked for, and begins on the next bar line."""
    waiting: list[str] = []
    """Generators and stages that were started and wait for their line."""


class Hooked(Message):
    """What hookups did since the last batch.

    ``set`` holds the section that holds it (empty: the project's own value), target, parameter, value, and whether it
    only passes (an LFO or contour set it); ``moved`` the last value of each control by the id of its hookup; ``asked``
    hookups whose actions are the window's, each with when it was asked for (studio time).
    """

    set: list[tuple[str, str, str, Any, bool]]
    moved: dict[str, float]
    asked: list[tuple[str, float]]


class Ports(Message):
    """The MIDI ports and audio devices that are there now."""

    inputs: list[str]
    outputs: list[str]
    audio: list[str]
    audio_in: list[str] = []
    opened: list[str] = []
    """The ports that are open: what is played there is heard. An empty name is Arpegon's own."""


class Patched(Message):
    """What the engine's ports are connected to at a JACK server: told whenever that is another."""

    connections: list[tuple[str, str]]
    """A port of ours, without the name of the client, and the whole name of one of others."""
    settled: list[str]
    """The ports that the engine connected by itself."""


class Missing(Message):
    """What the document names and is not there: by name, why, as a sentence. All of a kind, each time it changes."""

    what: Literal["clip", "sound", "audio-in", "port"]
    why: dict[str, str]
    known: bool = True
    """Whether what is not named here is there, or wanted no more; ``False``: whoever would know that is gone."""


class Synced(Message):
    """The answer to a :class:`Sync`: all that passed until a moment of studio time is told, and nothing of it comes
    later."""

    number: int
    until: float


class Notice(Message):
    """A sentence for the musician; an empty ``text`` takes back what was said under ``topic``."""

    topic: str
    text: str


ENGINE_GONE, ENGINE_HANGS = "engine-gone", "engine-hangs"
EARS_GONE, EARS_HANG = "ears-gone", "ears-hang"
"""Topics of notices about a process: it is started no more by itself, or does not answer."""

EngineReport = Batch | Telemetry | Hooked | Ports | Patched | Missing | Synced | Notice

# -- engine to ears and back --------------------------------------------------------------------------


class PlayFiles(Message):
    """Audio files play from ``time`` on, with their beginnings at ``origin`` (``None``: they stop)."""

    endless: bool
    origin: float | None
    time: float
    run: int
    """Counts these messages, so that what was heard before one is told apart."""


class HeardHere(Message):
    """The audio inputs that the engine hears by itself; what they bring comes as :class:`Samples`."""

    devices: list[str]


class Samples(Message):
    """What an audio input brought: float32 samples, channels side by side, and when they began."""

    device: str
    samples: bytes
    channels: int
    rate: int
    start: float


EarsCommand = SetTime | SetProject | SetParams | Watch | PlayFiles | HeardHere | Samples | Quit


class HeardNotes(Message):
    """Events of audio sources by feed, in studio time, of files (which, and of which run) or of inputs."""

    endless: bool | None
    run: int
    events: list[tuple[str, Event]]


class Seen(Message):
    """What was heard by each source, and what the watched one hears."""

    marks: dict[str, list[HeardNote]]
    watched: str
    sight: Sight | None


class Dry(Message):
    """Audio that is to be heard itself: float32 samples, channels side by side."""

    whose: str
    samples: bytes
    channels: int
    rate: int
    start: float


class Listening(Message):
    """The process that listens is well: said once a second."""


EarsReport = HeardNotes | Seen | Dry | Listening | Missing | Notice
