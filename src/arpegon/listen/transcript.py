"""Everything that is heard in a recording, at the times at which it truly began."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import msgspec

from arpegon.core.events import BEND, NOTE_OFF, NOTE_ON, Event
from arpegon.listen.heard import HeardNote
from arpegon.listen.listener import Array
from arpegon.listen.listeners import listener

_BLOCK = 4096
_CORRECTED_SECONDS = 0.1
_WRONG_SECONDS = 0.06


class Transcript(msgspec.Struct, frozen=True):
    """The notes of a recording, in order of their beginnings, and the delay with which they are sent live."""

    marks: list[HeardNote]
    latency: float
    sent: list[Event]
    """What is sent live, at those times."""

    def events(self, as_live: bool = False) -> list[Event]:
        """The notes as events, where they truly began, or where they are sent live."""
        if as_live:
            return self.sent
        events = [event for event in self.sent if event.status & 0xF0 == BEND]
        for mark in self.marks:
            events.append(Event(mark.began, NOTE_ON | mark.channel, mark.note, mark.velocity))
            events.append(Event(max(mark.end, mark.began + 0.01), NOTE_OFF | mark.channel, mark.note, 64))
        return sorted(events, key=lambda event: (event.time, event.status))


def transcript(kind: str, values: Mapping[str, Any], samples: Array, rate: int) -> Transcript:
    """Listen to a whole recording.

    Args:
        kind: a listener.
        values: of its parameters, checked; those left out have their defaults.
        samples: of shape (frames, channels).
        rate: samples a second.
    """
    heard = listener(kind, values, rate)
    sent: list[Event] = []
    for start in range(0, len(samples), _BLOCK):
        sent += heard.process(samples[start : start + _BLOCK])
    sent += heard.silence()
    sent.sort(key=lambda event: event.time)
    return Transcript(corrected(heard.marks), heard.latency, sent)


def corrected(marks: Sequence[HeardNote]) -> list[HeardNote]:
    """The notes that ended, without first looks that were put right at once."""
    kept: list[HeardNote] = []
    for mark in marks:
        if not mark.end:
            continue
        last = kept[-1] if kept else None
        if last is not None and _put_right(last, mark):
            kept[-1] = msgspec.structs.replace(mark, began=last.began)
        else:
            kept.append(mark)
    return sorted(kept, key=lambda mark: mark.began)


def _put_right(last: HeardNote, mark: HeardNote) -> bool:
    """Whether a note was a first look that the next one put right."""
    at_once = abs(last.end - mark.time) < 0.001 and mark.time - last.time < _CORRECTED_SECONDS
    return at_once and last.note != mark.note and last.end - last.time < _WRONG_SECONDS
