"""Transpose: notes moved by semitones, octaves and degrees of a key."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from arpegon.core.events import Event
from arpegon.core.processing.parameters import Choice, Number, key_params
from arpegon.core.processing.processor import NoteMapper
from arpegon.core.theory.scales import Key, stage_key

OUTSIDE = Choice(
    name="outside",
    label="Beyond the last note",
    default="fold",
    options={"fold": "fold back", "drop": "drop"},
    help="What happens to notes that would leave the range of MIDI.",
)


class Transpose(NoteMapper):
    """Moves every note; degrees are steps of the key's scale.

    A note outside the scale keeps its distance above the degree beneath it. What would leave 0-127 is folded
    back by octaves or dropped.
    """

    kind = "transpose"
    label = "Transpose"
    summary = "Moves notes by semitones, octaves or degrees of a key."
    params = (
        Number(name="semitones", label="Semitones", default=0, low=-24, high=24, help="How far notes move."),
        Number(name="octaves", label="Octaves", default=0, low=-5, high=5, help="Octaves on top of that."),
        Number(
            name="degrees",
            label="Degrees",
            default=0,
            low=-14,
            high=14,
            help="Steps within the scale, before semitones and octaves: 2 is a third that stays in the key.",
        ),
        OUTSIDE,
        *key_params(follow=True),
    )

    def on_configure(self) -> None:
        key = stage_key(self.values, self.context.key)
        self._table = [moved(note, self.values, key) for note in range(128)]

    def strike(self, event: Event) -> Sequence[Event]:
        note = self._table[event.data1]
        return () if note is None else (Event(event.time, event.status, note, event.data2),)

    @classmethod
    def swallows(cls, values: Mapping[str, Any]) -> str | None:
        if values["outside"] == "drop" and all(moved(note, values, Key()) is None for note in range(128)):
            return "it moves every note beyond the range of MIDI"
        return None

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        parts = [
            f"{values[name]:+d} {unit}"
            for name, unit in (("semitones", "st"), ("octaves", "oct"), ("degrees", "degrees"))
            if values[name]
        ]
        return " ".join(parts).replace("-", "−") or "not moved"


def moved(note: int, values: Mapping[str, Any], key: Key) -> int | None:
    """Where a note goes; ``None`` where it is dropped."""
    return kept(
        by_degrees(note, values["degrees"], key) + values["semitones"] + 12 * values["octaves"], values["outside"]
    )


def kept(target: int, outside: str) -> int | None:
    """A note within 0-127: what lies beyond is folded back by octaves, or dropped (``None``); see :data:`OUTSIDE`."""
    if 0 <= target <= 127:
        return int(target)
    if outside == "drop":
        return None
    return int(target % 12 if target < 0 else 127 - (127 - target) % 12)


def degree_of(note: int, key: Key) -> tuple[int, int]:
    """The degree of a scale at a note or beneath it, from 0 at the lowest tonic, and how far the note lies above it."""
    octave, above = divmod(note - key.tonic, 12)
    degree = max(place for place, interval in enumerate(key.intervals) if interval <= above)
    return octave * len(key.intervals) + degree, above - key.intervals[degree]


def by_degrees(note: int, degrees: int, key: Key) -> int:
    """A note moved by steps of a scale (not kept within 0-127)."""
    if not degrees:
        return note
    degree, rest = degree_of(note, key)
    octave, place = divmod(degree + degrees, len(key.intervals))
    return key.tonic + 12 * octave + key.intervals[place] + rest
