"""The protocol of a processor, and the base of those that map notes.

A processor gets a batch of events in order and appends what comes out to a list. Batches are short live
(what arrived together) and long offline; nothing may depend on how the events were cut into batches.
"""

from __future__ import annotations

import random
from collections.abc import Mapping, Sequence
from typing import Any, ClassVar

import msgspec

from arpegon.core.events import Event
from arpegon.core.ledger import NoteLedger
from arpegon.core.parameters import Param, with_defaults
from arpegon.core.scales import Key


class Setting(msgspec.Struct, frozen=True):
    """What a stage may know of the project around it."""

    key: Key = Key()
    identity: str = ""
    seed: int | None = None
    """Replaces the stage's own seed for a whole run (``render --seed``)."""


class Processor:
    """One stage at work: declared parameters, and a mapping of events to events.

    Subclasses set the class attributes and override :meth:`configured` and :meth:`process`.
    """

    kind: ClassVar[str]
    label: ClassVar[str]
    summary: ClassVar[str]
    """What it does to the music, in a sentence."""
    params: ClassVar[tuple[Param, ...]] = ()

    def __init__(self, values: Mapping[str, Any], setting: Setting) -> None:
        self.bypass = False
        self.configure(values, setting)
        self.restart()

    def configure(self, values: Mapping[str, Any], setting: Setting) -> None:
        """Take new values (checked ones; those left out have their defaults) without losing held notes."""
        self.values = with_defaults(self.params, values)
        self.setting = setting
        self.configured()

    def configured(self) -> None:
        """Derive from ``self.values`` whatever :meth:`process` needs at hand."""

    def restart(self) -> None:
        """Begin anew, as at the start of the piece (random draws start over)."""

    def process(self, events: Sequence[Event], out: list[Event]) -> None:
        """Append to ``out`` what ``events`` become."""
        raise NotImplementedError

    def release(self, time: float, out: list[Event]) -> None:
        """Let go of every note that this stage started and still holds."""

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        """The settings in three or four words, for the bar on the board."""
        return ""

    def generator(self) -> random.Random:
        """Random draws of this stage's own: the same seed gives the same draws."""
        seed = self.values["seed"] if self.setting.seed is None else self.setting.seed
        return random.Random(f"{seed}/{self.setting.identity}")


class NoteMapper(Processor):
    """A processor that answers each note on with other note ons; the ledger does the rest.

    Note offs end what their key started, poly pressure follows the key to its notes, everything else
    passes. A bypassed mapper maps each note to itself, so notes held across a bypass end properly.
    """

    def __init__(self, values: Mapping[str, Any], setting: Setting) -> None:
        self.ledger = NoteLedger()
        super().__init__(values, setting)

    def strike(self, event: Event) -> Sequence[Event]:
        """The note ons that answer a note on (none to swallow it), at the same time."""
        raise NotImplementedError

    def process(self, events: Sequence[Event], out: list[Event]) -> None:
        self.ledger.run(events, itself if self.bypass else self.strike, out)

    def release(self, time: float, out: list[Event]) -> None:
        self.ledger.release(time, out)


def itself(event: Event) -> Sequence[Event]:
    """A note on that is answered by itself."""
    return (event,)
