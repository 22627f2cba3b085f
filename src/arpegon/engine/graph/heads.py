"""The generators at the head of a strand, and which keys of its other sources play them."""

from __future__ import annotations

from collections.abc import Sequence

from arpegon.core.document.model import GeneratorSource
from arpegon.core.events import NOTE_OFF, NOTE_ON, POLY_PRESSURE, Event
from arpegon.core.notes.pairing import Pairing, note_key
from arpegon.processors.sources.generator import Generator


class Head:
    """A generator at work; its zone holds the keys that play it."""

    __slots__ = ("processor", "source")

    def __init__(self, source: GeneratorSource, processor: Generator) -> None:
        self.source = source
        self.processor = processor

    def takes(self, event: Event) -> bool:
        """Whether a note on plays it."""
        zone = self.source
        return (
            self.processor.wants_keys
            and not zone.bypass
            and zone.low_key <= event.data1 <= zone.high_key
            and zone.low_velocity <= event.data2 <= zone.high_velocity
            and zone.channel in (None, event.channel)
        )


class Keys:
    """Who took which key: what was done with a note on is done with its end and its pressure."""

    def __init__(self) -> None:
        self._takers: Pairing[tuple[str, ...]] = Pairing()

    def split(self, heads: Sequence[Head], events: Sequence[Event]) -> tuple[list[Event], dict[str, list[Event]]]:
        """What goes on into the strand, and what plays each generator, by its id.

        A key that plays at least one generator does not sound.
        """
        rest: list[Event] = []
        taken: dict[str, list[Event]] = {}
        for event in events:
            takers = self._takers_of(heads, event)
            if not takers:
                rest.append(event)
            for taker in takers:
                taken.setdefault(taker, []).append(event)
        return rest, taken

    def _takers_of(self, heads: Sequence[Head], event: Event) -> tuple[str, ...]:
        kind = event.status & 0xF0
        if kind == NOTE_ON:
            takers = tuple(head.source.id for head in heads if head.takes(event))
            self._takers.begin(note_key(event), takers)
            return takers
        if kind == NOTE_OFF:
            return self._takers.end(note_key(event)) or ()
        if kind == POLY_PRESSURE:
            return self._takers.latest(note_key(event)) or ()
        return ()

    @property
    def held(self) -> bool:
        """Whether a key is down of which it is known who took it; a generator that is gone may have."""
        return bool(self._takers)

    def forget(self) -> None:
        """No key is held any more."""
        self._takers.clear()
