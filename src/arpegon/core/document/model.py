"""The document: an immutable tree that holds all that a project file holds.

Nothing here is ever changed in place; :mod:`arpegon.core.document.edits` makes new documents from old ones.
Channels are 0-15 and notes are numbers here; :mod:`arpegon.files.project` writes them as people read them.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import cached_property
from typing import Any, Literal, Self

import msgspec

from arpegon.core.events import Event
from arpegon.core.notes.takes import Take
from arpegon.core.theory.scales import Key

FORMAT = "arpegon-project"
VERSION = 4

OWN_PORT = ""
"""A port destination or MIDI source with no port named: Arpegon's own output, all inputs."""
_OWN_NAMED = "own:"


def named_output(name: str) -> str:
    """The port of a further output of Arpegon's own, by the name that somebody gave it."""
    return _OWN_NAMED + name


def output_name(port: str) -> str | None:
    """The name of a port that is a further output of Arpegon's own; ``None`` of any other."""
    return port.removeprefix(_OWN_NAMED) if port.startswith(_OWN_NAMED) else None


STAND_IN = "stand-in:"
"""How the name of a sound that ships begins, where a file is named."""


class Node(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Common settings of everything in the tree."""


class Source(Node, frozen=True, kw_only=True, tag_field="kind", omit_defaults=True):
    """What feeds a strand, with its zone; ``channel`` ``None`` takes all."""

    channel: int | None = None
    low_key: int = 0
    high_key: int = 127
    low_velocity: int = 1
    high_velocity: int = 127


class SurfaceSource(Source, frozen=True, kw_only=True, tag="surface"):
    """The play surface."""


class MidiSource(Source, frozen=True, kw_only=True, tag="midi"):
    """A MIDI input by name; an empty name takes all inputs."""

    port: str = ""


MAX_CLIP_BEATS = 100_000.0
MIN_CLIP_BEATS = 0.0625
MAX_ROUNDS = 64


class Music(Node, frozen=True, kw_only=True, omit_defaults=True, weakref=True):
    """Music that the project itself holds: events at beats, with its name and length."""

    name: str
    beats: float
    events: tuple[Event, ...] = ()


class ClipSource(Source, frozen=True, kw_only=True, tag="clip"):
    """A MIDI file, played with the transport, or one of several; paths are relative to the project file."""

    id: str = ""
    """By which hookups and sections find it; empty: they do not."""
    music: Music | None = None
    """What it plays where it has no file: a take that was put onto the board."""
    file: str = ""
    muted: bool = False
    loop: bool = True
    first: float = 0.0
    """The beat of the file on which its round begins,"""
    beats: float | None = None
    """and how long a round is, in quarter notes; ``None``: until the end of the file's last bar."""
    starts: Literal["play", "action"] = "play"
    """With the transport, or when an action says so."""
    rounds: int = 0
    """How many rounds an action starts; 0 goes on until it is stopped."""
    more: tuple[str, ...] = ()
    """Further files to choose from."""
    choice: int = 1
    """Which one plays: 1 is ``file``, 2 the first of ``more`` ..."""
    change: Literal["bar", "beat", "now"] = "bar"
    """When another choice takes over,"""
    change_bars: int = 1
    """and on which bar line, where it is one: 1 is the next."""
    begins: Literal["piece", "bar"] = "piece"
    """Runs from the start of the piece, or begins with its own first bar on the next bar."""
    follow_tempo: bool = True
    """In beats; else at the tempo of the file."""
    past: bool = False
    """Whether it enters past the stages, at the end of its strand: what was made once is not made again."""
    own_tempo: Literal["piece", "bpm", "ratio"] = "piece"
    """Whose beats: the piece's, or those of a tempo of its own:"""
    own_bpm: float = 120.0
    """quarter notes a minute,"""
    own_ratio: float = 100.0
    """or per cent of the piece's tempo,"""
    own_bars: int = 0
    """brought back into step every so many bars; 0: free."""

    @property
    def files(self) -> tuple[str, ...]:
        """All its files."""
        return (self.file, *self.more)

    @property
    def playing_file(self) -> str:
        """The file that is chosen; a choice beyond the last one takes the last."""
        return self.files[max(0, min(self.choice, len(self.files)) - 1)]

    @property
    def plays(self) -> str:
        """The name of what is chosen: its file without folder and suffix, or its own music's; empty: nothing."""
        if not self.playing_file:
            return self.music.name if self.music is not None else ""
        return self.playing_file.rpartition("/")[2].rpartition(".")[0] or self.playing_file


class ClickSource(Source, frozen=True, kw_only=True, tag="click"):
    """A metronome: a note on every beat of the transport, another one at the start of each bar."""

    muted: bool = False
    bar_note: int = 76
    beat_note: int = 77


class ActiveSource(Source, frozen=True, kw_only=True):
    """A source that does something by itself, as its parameters say; ``bypass`` lets it rest."""

    id: str
    bypass: bool = False
    params: dict[str, Any] = {}

    @property
    def stage_kind(self) -> str:
        """The kind of what it does."""
        return str(self.__struct_config__.tag)

    @property
    def stage(self) -> Stage:
        """What it does, as a stage of its kind."""
        return Stage(id=self.id, kind=self.stage_kind, bypass=self.bypass, params=self.params)

    def with_stage(self, stage: Stage) -> Self:
        """The source that does what a stage of its kind says."""
        return msgspec.structs.replace(self, id=stage.id, bypass=stage.bypass, params=stage.params)


class GeneratorSource(ActiveSource, frozen=True, kw_only=True):
    """A source that makes notes by itself. Its zone holds the keys, of the strand's other sources, that play it."""


class StepsSource(GeneratorSource, frozen=True, kw_only=True, tag="steps"):
    """A walk over a ring of steps."""


class RingsSource(GeneratorSource, frozen=True, kw_only=True, tag="rings"):
    """Rhythms with evenly spread hits, one ring each."""


class ReboundSource(GeneratorSource, frozen=True, kw_only=True, tag="rebound"):
    """Beads that bounce off walls which sound."""


GENERATOR_SOURCES: dict[str, type[GeneratorSource]] = {
    "steps": StepsSource,
    "rings": RingsSource,
    "rebound": ReboundSource,
}
"""The sources that make notes by themselves, by the kind of what they do."""


class AudioSource(ActiveSource, frozen=True, kw_only=True, tag="audio"):
    """Audio turned into notes: an input by the name of its device, or a file."""

    listen: Literal["hits", "pitch"] = "pitch"
    """What is heard in it."""
    device: str = ""
    """Empty: the default input."""
    inputs: tuple[int, ...] = (1,)
    """Which channels of the device or file are heard, from 1; hits may take two."""
    file: str = ""
    """A file instead of a device, relative to the project's, or one that ships: ``stand-in:NAME``."""
    loop: bool = True
    monitor: bool = False
    """Whether the audio itself is heard, too."""

    @property
    def stage_kind(self) -> str:
        return self.listen


class StrandSource(Source, frozen=True, kw_only=True, tag="strand"):
    """Another strand, taken after one of its stages (empty: at its end)."""

    strand: str = ""
    after: str = ""


AnySource = (
    SurfaceSource
    | MidiSource
    | ClipSource
    | ClickSource
    | StepsSource
    | RingsSource
    | ReboundSource
    | AudioSource
    | StrandSource
)


class Destination(Node, frozen=True, kw_only=True, tag_field="kind", omit_defaults=True):
    """Where a strand ends; ``channel`` ``None`` keeps the channel of what arrives."""

    channel: int | None = None
    muted: bool = False
    delay_ms: float = 0.0
    """How much later it is sent there, to line up instruments of different speed."""
    silent_at: int | None = None
    full_at: int | None = None
    """The velocity at which nothing is struck there, and that from which it is struck as it comes; it fades between
    them (``None``: it does not). Two destinations that fade the other way round are a crossfade. Delay and fade are for
    instruments and outputs, not for other strands."""


class InstrumentDestination(Destination, frozen=True, kw_only=True, tag="instrument"):
    """A built-in instrument by its id."""

    instrument: str = ""


class PortDestination(Destination, frozen=True, kw_only=True, tag="port"):
    """A MIDI output by name; an empty name is Arpegon's own."""

    port: str = ""


class StrandDestination(Destination, frozen=True, kw_only=True, tag="strand"):
    """Another strand, entered beside its sources."""

    strand: str = ""


AnyDestination = InstrumentDestination | PortDestination | StrandDestination


class Stage(Node, frozen=True, kw_only=True):
    """One processor at work: its kind, and the parameters that differ from their defaults."""

    id: str
    kind: str
    bypass: bool = False
    params: dict[str, Any] = {}


OFFSET_RANGE = (-500.0, 500.0)
"""Of a strand, in milliseconds."""
MAX_OFFSET_BEATS = 4.0
"""The longest note value by which a strand is moved, in quarter notes."""
DELAY_RANGE = (0.0, 500.0)
"""Of a destination, in milliseconds."""


class Strand(Node, frozen=True, kw_only=True, dict=True):
    """One path of music: sources, stages, destinations.

    ``along`` sends what its sources bring along untouched, beside what the stages made of it; ``ink`` is the
    number of its colour (``None``: by its place). With ``plays_on`` it goes on when the transport stops. It is played
    ``offset_ms`` and ``offset`` (a note value, ``-1/16``) later; where that is before its time, all others wait for it.
    """

    id: str
    name: str
    muted: bool = False
    solo: bool = False
    along: bool = False
    plays_on: bool = False
    offset_ms: float = 0.0
    offset: str = ""
    ink: int | None = None
    sources: tuple[AnySource, ...] = ()
    stages: tuple[Stage, ...] = ()
    destinations: tuple[AnyDestination, ...] = ()

    @property
    def generators(self) -> tuple[GeneratorSource, ...]:
        """Its sources that make notes by themselves."""
        return tuple(source for source in self.sources if isinstance(source, GeneratorSource))

    @cached_property
    def active_sources(self) -> tuple[ActiveSource, ...]:
        """Its sources that do something by themselves: generators, and audio that is listened to."""
        return tuple(source for source in self.sources if isinstance(source, ActiveSource))

    @cached_property
    def all_stages(self) -> tuple[Stage, ...]:
        """All that is at work in it: what its sources do, then its stages."""
        return (*(source.stage for source in self.active_sources), *self.stages)

    def stage(self, stage_id: str) -> Stage | None:
        """The stage, or what the source does, with an id."""
        return next((stage for stage in self.all_stages if stage.id == stage_id), None)


LEVEL_RANGE = (-96.0, 12.0)
"""Of an instrument, in dB: from what no ear hears to where the mix is driven."""


class Instrument(Node, frozen=True, kw_only=True):
    """A built-in sound with its place in the mix; ``pan`` runs from -1 (left) to 1, ``channel`` ``None`` plays all."""

    id: str
    sound: str
    level_db: float = 0.0
    pan: float = 0.0
    muted: bool = False
    channel: int | None = None
    own_outputs: bool = False
    """Whether it sounds at a pair of outputs of its own, where the system has such, and not in the mix."""


class Hookup(Node, frozen=True, kw_only=True, omit_defaults=True):
    """A controller tied to a parameter or an action.

    ``number`` is that of the controller, note or program; ``channel`` ``None`` takes all; ``feed`` names where it
    comes from (``surface``, ``midi:NAME``; empty: anywhere); ``tap`` a place in a strand instead (``lamp/in``,
    ``lamp/s2``: what leaves the stage ``s2``, ``lamp/out``). ``velocity`` is that of any key, ``cc14`` a controller and
    the one 32 above it as one value; ``stage`` is the LFO or contour of ``control`` ``stage``. ``target`` and ``param``
    are the address of what is set (empty ``target``: the project), which may be one value in a list, such as
    ``patterns.2.3.note``; or ``action`` is what is done with the target, with a ``value`` where it needs one. Ranges
    may be reversed; without an output range it is the whole one of the parameter.
    """

    id: str
    name: str = ""
    control: Literal["cc", "cc14", "note", "velocity", "pressure", "poly", "bend", "program", "stage"] = "cc"
    number: int = 0
    channel: int | None = None
    feed: str = ""
    stage: str = ""
    tap: str = ""
    target: str = ""
    param: str = ""
    action: str = ""
    value: float | None = None
    in_low: float = 0.0
    in_high: float = 127.0
    out_low: float | None = None
    out_high: float | None = None
    curve: Literal["straight", "soft", "hard"] = "straight"
    way: Literal["follow", "toggle", "held", "trigger", "next"] = "follow"
    takeover: Literal["jump", "pick-up", "scale"] = "jump"
    silence: float = 0.3
    """Seconds without a value after which one above the middle is another press, for buttons without a release."""
    passes: bool = False
    """Whether what moves it goes on into the strands."""
    muted: bool = False


class Held(Node, frozen=True, kw_only=True, omit_defaults=True):
    """A value that holds in a section; ``target`` is the id of a stage, source, instrument or strand (empty: the
    project), ``param`` one of its parameters (or ``bypass``)."""

    target: str = ""
    param: str
    value: Any

    @property
    def place(self) -> tuple[str, str]:
        """What it holds, without the value."""
        return self.target, self.param


class SectionMessage(Node, frozen=True, kw_only=True, omit_defaults=True):
    """A program change or a controller that a section sends when it begins, to all destinations of a strand."""

    strand: str
    kind: Literal["program", "cc"] = "program"
    channel: int = 0
    number: int = 0
    """The program or controller."""
    value: int = 0
    """Of the controller."""
    bank: int | None = None
    """Of the program, 0 to 16383: sent before it, as two controllers; ``None``: none."""


class SectionClock(Node, frozen=True, kw_only=True, omit_defaults=True):
    """What the clock that is sent to an output does in a section."""

    port: str = ""
    way: Literal["anew", "stop"] = "anew"
    """It starts anew where the section begins, or rests while that lasts."""


class Section(Node, frozen=True, kw_only=True, omit_defaults=True):
    """A part of the piece: its bars, and the settings that hold there. Sections stand one after another."""

    id: str
    name: str
    bars: int = 8
    then: Literal["on", "again", "top", "stop"] = "on"
    """After its bars: the next section, the same one again, the first one, or the transport stops."""
    tempo_within: int = 0
    """In how many bars it comes to its tempo, from that of before; 0: at once."""
    tempo_to: float | None = None
    """The tempo to which it goes until its end, evenly in time."""
    holds: tuple[Held, ...] = ()
    sends: tuple[SectionMessage, ...] = ()
    """What is sent when it begins."""
    transport: Literal["on", "anew", "stop"] = "on"
    """Where it begins the transport goes on, or all begins anew there, or the transport stops."""
    clocks: tuple[SectionClock, ...] = ()
    """What the clocks that are sent do in it; others go on."""


class SurfaceNames(Node, frozen=True, kw_only=True, omit_defaults=True):
    """What the knobs and pads of the play surface are called; empty names are counted."""

    knobs: tuple[str, ...] = ()
    pads: tuple[str, ...] = ()


class ClockSettings(Node, frozen=True, kw_only=True, omit_defaults=True):
    """Whose clock leads the transport, and who is sent it."""

    follow: bool = False
    """Follow the clock of a MIDI input instead of the project's tempo."""
    port: str = ""
    """Whose; empty: any input's."""
    lost: Literal["go-on", "stop"] = "go-on"
    """What the transport does when that clock is lost."""
    send: tuple[str, ...] = ()
    """Outputs that are sent a clock; an empty name is Arpegon's own."""
    by: Literal["clock", "code"] = "clock"
    """What of an input is followed: its clock, which leads the tempo, or its time code, which leads the place."""
    code_to: tuple[str, ...] = ()
    """Outputs that are sent MIDI time code; an empty name is Arpegon's own."""
    code_rate: Literal["24", "25", "29.97", "30"] = "25"
    """Frames in a second of the code that is sent."""
    code_start: str = "00:00:00:00"
    """The time code of the beginning of the piece."""
    jack: Literal["off", "follow", "lead"] = "off"
    """Whether the piece goes along with JACK's transport, and who says its bars and tempo: others, or Arpegon."""

    def differs(self, other: ClockSettings, names: Iterable[str]) -> bool:
        """Whether any of the named settings is another one."""
        return any(getattr(self, name) != getattr(other, name) for name in names)

    @property
    def leads_tempo(self) -> bool:
        """Whether a clock from outside says the tempo."""
        return self.follow and self.by == "clock"


class Project(Node, frozen=True, kw_only=True, dict=True):
    """All that is saved in one file."""

    format: str = FORMAT
    version: int = VERSION
    title: str = "Untitled"
    tempo: float = 120.0
    meter: tuple[int, int] = (4, 4)
    key: Key = Key()
    on_stop: Literal["stay", "start"] = "stay"
    """Where the transport rests when it is stopped: where it is, or at the start."""
    count_in: int = 0
    """Bars that are counted before a recording begins."""
    clock: ClockSettings = ClockSettings()
    instruments: tuple[Instrument, ...] = ()
    strands: tuple[Strand, ...] = ()
    hookups: tuple[Hookup, ...] = ()
    surface: SurfaceNames = SurfaceNames()
    sections: tuple[Section, ...] = ()
    takes: tuple[Take, ...] = ()

    def strand(self, strand_id: str) -> Strand | None:
        """The strand with an id."""
        return next((strand for strand in self.strands if strand.id == strand_id), None)

    def clip(self, clip_id: str) -> tuple[Strand, int, ClipSource] | None:
        """A clip by its id, with its strand and its place among the sources of that."""
        for strand in self.strands if clip_id else ():
            for place, source in enumerate(strand.sources):
                if isinstance(source, ClipSource) and source.id == clip_id:
                    return strand, place, source
        return None

    def instrument(self, instrument_id: str) -> Instrument | None:
        """The instrument with an id."""
        return next((one for one in self.instruments if one.id == instrument_id), None)

    def take(self, take_id: str) -> Take | None:
        """The take with an id."""
        return next((take for take in self.takes if take.id == take_id), None)

    def hookup(self, hookup_id: str) -> Hookup | None:
        """The hookup with an id."""
        return next((one for one in self.hookups if one.id == hookup_id), None)

    def section(self, section_id: str) -> Section | None:
        """The section with an id."""
        return next((one for one in self.sections if one.id == section_id), None)

    def clip_files(self) -> Iterator[tuple[Strand, str]]:
        """Every file of every clip, with the strand that it feeds."""
        for strand in self.strands:
            for source in strand.sources:
                if isinstance(source, ClipSource):
                    yield from ((strand, file) for file in source.files if file)

    def audio_sources(self) -> Iterator[tuple[Strand, AudioSource]]:
        """All audio that is listened to, with its strand."""
        for strand in self.strands:
            for source in strand.sources:
                if isinstance(source, AudioSource):
                    yield strand, source

    def stages(self) -> Iterator[tuple[Strand, Stage]]:
        """All that is at work, with its strand: what its sources do, then its stages."""
        for strand in self.strands:
            for stage in strand.all_stages:
                yield strand, stage

    def find_stage(self, stage_id: str) -> tuple[Strand, Stage] | None:
        """A stage and its strand by the stage's id."""
        return self._by_stage.get(stage_id)

    @cached_property
    def _by_stage(self) -> dict[str, tuple[Strand, Stage]]:
        """Of several with one id (a file may say so), the first."""
        found: dict[str, tuple[Strand, Stage]] = {}
        for strand, stage in self.stages():
            found.setdefault(stage.id, (strand, stage))
        return found

    def audible(self, strand: Strand) -> bool:
        """Whether mute and solo let a strand through."""
        if strand.muted:
            return False
        return strand.solo or not any(other.solo for other in self.strands)
