"""Mirror: notes upside down."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from arpegon.core.events import Event
from arpegon.core.processing.parameters import Choice, NoteKey, key_params
from arpegon.core.processing.processor import NoteMapper
from arpegon.core.theory.pitch import written
from arpegon.core.theory.scales import Key, stage_key
from arpegon.processors.stages.transpose import OUTSIDE, degree_of, kept

_WAYS = {"note": "by semitones", "key": "within the key"}


class Mirror(NoteMapper):
    """What lies above the axis comes as far below it, and the other way round.

    By semitones the intervals stay as they are; within the key each note lands on the degree that lies as many steps
    on the other side, so that what was in the scale stays in it. A note outside the scale keeps its distance to its
    degree, turned over.
    """

    kind = "mirror"
    label = "Mirror"
    summary = "Turns melodies upside down, around a note or within the key."
    params = (
        Choice(
            name="way",
            label="Mirrored",
            default="note",
            options=_WAYS,
            help="Every interval as it is, or in steps of the scale.",
        ),
        NoteKey(name="axis", label="Around", default=60, help="The note that stays where it is."),
        OUTSIDE,
        *key_params(follow=True),
    )

    def on_configure(self) -> None:
        key = stage_key(self.values, self.context.key)
        self._table = [mirrored(note, self.values, key) for note in range(128)]

    def strike(self, event: Event) -> Sequence[Event]:
        note = self._table[event.data1]
        return () if note is None else (Event(event.time, event.status, note, event.data2),)

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        return f"around {written(values['axis'])}{' in the key' if values['way'] == 'key' else ''}"


def mirrored(note: int, values: Mapping[str, Any], key: Key) -> int | None:
    """Where a note goes; ``None`` where it is dropped."""
    axis = values["axis"]
    if values["way"] == "note":
        return kept(2 * axis - note, values["outside"])
    count = len(key.intervals)
    degree, rest = degree_of(note, key)
    around, off = degree_of(axis, key)
    octave, place = divmod(2 * around - degree, count)
    return kept(key.tonic + 12 * octave + key.intervals[place] - rest + 2 * off, values["outside"])
