"""What the parts of an engine ask of one another: small protocols, so that none of them holds the whole."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from typing import Any, Protocol

from arpegon.core.document.model import Project
from arpegon.core.events import Event
from arpegon.core.processing.processor import Processor
from arpegon.core.time.clock import Clock
from arpegon.engine.clocks.timeline import Due, Timeline


class Scheduler(Protocol):
    """Has things done when their time comes."""

    @property
    def now(self) -> float:
        """Up to when everything is done, in seconds."""

    def at_time(self, time: float, due: Due) -> None:
        """Call ``due`` at a time in seconds."""

    def catch_up(self, until: float) -> None:
        """Let stages emit what they put off up to a time, which has come then."""


class Entrance(Protocol):
    """Where events come in, by the name of their feed."""

    def feed(self, name: str, event: Event) -> None:
        """Let an event arrive, to be worked on with the next moment."""

    def inject(self, name: str, events: Sequence[Event]) -> None:
        """Let events enter together with all else that is due at this moment."""

    def lost(self, name: str, time: float) -> None:
        """A feed is gone or stops: end the keys that it holds."""


class Transport(Protocol):
    """The timelines, and what starts and stops them."""

    @property
    def transport(self) -> Timeline:
        """The transport's timeline."""

    @property
    def endless(self) -> Timeline:
        """The timeline of strands that play on when the transport stops."""

    @property
    def clock(self) -> Clock:
        """The transport's clock."""

    @property
    def is_led(self) -> bool:
        """Whether a clock from outside leads the tempo."""

    def play(self, time: float, beat: float | None = None) -> None:
        """Start from ``beat``, or from where it rests."""

    def stop(self, time: float) -> None:
        """Stop where it is."""

    def halt(self, time: float) -> None:
        """Stop as the project wants it."""

    def locate(self, time: float, beat: float) -> None:
        """Go to a beat, playing on if it plays."""

    def jump(self, time: float, line: float, beat: float) -> None:
        """Go on from another beat, which falls on ``line`` seconds."""

    def set_tempo(self, time: float, tempo: float) -> None:
        """Go on at another tempo."""

    def tell_time(self, time: float) -> None:
        """Tell the outputs what holds of time from a moment on."""

    def turn_clocks(self, beat: float, time: float) -> None:
        """Have the clocks that are sent do what the section that holds says, from a beat on."""


class AtWork(Protocol):
    """The document at work, with all that hookups and sections have laid over it."""

    @property
    def project(self) -> Project:
        """The document as it is now."""

    def find(self, stage_id: str) -> Processor | None:
        """The processor of a stage or generator."""

    def due(self) -> float:
        """When a stage emits next of its own accord, in seconds."""

    def jumped(self, stage_id: str) -> None:
        """The beats of a stage's own tempo were set to another place."""

    def listen(self, heard: Callable[[str, tuple[str, ...], Sequence[Event]], None] | None) -> None:
        """Tell what passes every place of the strands."""


class Carried(Protocol):
    """What plays by itself with a timeline."""

    def start(self, line: Timeline, beat: float) -> None:
        """Play what goes with a timeline, from a beat on."""

    def stop(self, line: Timeline, time: float) -> None:
        """Stop what goes with a timeline."""


class TakeWay(Protocol):
    """The way that the events of a take go."""

    def play_direct(self, strand: str, events: Sequence[Event]) -> None:
        """Send events of a strand."""

    def release_direct(self, strand: str, time: float) -> None:
        """End what was sent so."""


class TakeGraph(AtWork, TakeWay, Protocol):
    """The strands, where a take plays: past their stages it goes straight to their destinations."""

    def keep_keys_out(self, strands: Collection[str], time: float) -> None:
        """Keep what is played live out of these strands, and of no others."""


GoOn = Callable[[Project, Sequence[Any], float], None]
"""Goes on with a document in which these targets are others, from a time on."""
ClockRule = Callable[[str], tuple[bool, float]]
"""Whether the clock of an output runs, and the beat from which it counts."""
Send = Callable[[str, Sequence[Event]], None]
"""Sends events to a MIDI output, by name."""
