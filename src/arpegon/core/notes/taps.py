"""Taps: the places in a strand at which events are printed and remembered, and batches of what passed there."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import NamedTuple

import msgspec

from arpegon.core.events import Event
from arpegon.core.notes.course import TimeFacts
from arpegon.core.notes.pressed import Pressed

IN = "in"
"""The place before a strand's first stage: what was played."""
OUT = "out"
"""The place where a strand ends: what was generated."""


class Tap(NamedTuple):
    """A place in a strand: :data:`IN`, the id of a stage (what left it), or :data:`OUT`."""

    strand: str
    place: str


class Passage(msgspec.Struct, array_like=True, gc=False):
    """Events that passed the same places of a strand: what leaves a last stage mostly leaves the strand as well."""

    strand: str
    places: tuple[str, ...]
    events: list[Event]


class Batch(msgspec.Struct, tag=True, array_like=True, gc=False):
    """What passed since the last batch, all of it in the strands of one revision of the document."""

    revision: int
    passages: list[Passage]
    facts: list[TimeFacts] = []
    """What holds of time since, where it is another thing."""


class OpenNotes(dict[Tap, Pressed]):
    """The notes that are open at each tap, and what else is held."""

    def follow(self, strand: str, places: Iterable[str], events: Sequence[Event]) -> None:
        """Events passed some places of a strand."""
        for place in places:
            tap = Tap(strand, place)
            held = self.get(tap)
            if held is None:
                held = self[tap] = Pressed()
            held.follow(events)


def rolls_of(stages: Iterable[str]) -> list[str]:
    """The places of the rolls of a strand, from the first to the last.

    The roll beneath the last stage shows what leaves the strand, which may be more than what leaves that stage.

    Args:
        stages: the ids of its stages, in order.

    >>> rolls_of([]), rolls_of(["a", "b"])
    (['in'], ['in', 'a', 'out'])
    """
    between = list(stages)
    return [IN, *between[:-1], OUT] if between else [IN]
