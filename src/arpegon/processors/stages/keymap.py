"""Key map: any key to any set of keys."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from arpegon.core.counting import counted
from arpegon.core.events import Event
from arpegon.core.processing.parameters import KeyThreads, Switch
from arpegon.core.processing.processor import NoteMapper

TEMPLATE = 60
"""The octave that stands for all of them begins here (middle C)."""


class KeyMap(NoteMapper):
    """Answers each key with the keys to which its threads lead.

    With ``octave`` the threads of the keys C4 to B4 hold for every octave, each at the same distance. A key
    with no thread is silent; what would leave 0-127 is left out.
    """

    kind = "keymap"
    label = "Key map"
    summary = "Lets any key play any other keys."
    params = (
        KeyThreads(
            name="threads",
            label="Threads",
            default={},
            help="Which keys each key plays. A key that is not named plays itself; an empty list is silence.",
        ),
        Switch(
            name="octave",
            label="One octave for all",
            default=False,
            help="The threads of the octave from middle C hold in every octave.",
        ),
    )

    def on_configure(self) -> None:
        self._table = all_threads(self.values)

    def strike(self, event: Event) -> Sequence[Event]:
        return [Event(event.time, event.status, note, event.data2) for note in self._table[event.data1]]

    @classmethod
    def swallows(cls, values: Mapping[str, Any]) -> str | None:
        return None if not values["threads"] or any(all_threads(values)) else "none of its keys has a thread"

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        count = len(values["threads"])
        if not count:
            return "each key is itself"
        return f"{counted(count, 'key')}{' of each octave' if values['octave'] else ''} led elsewhere"


def all_threads(values: Mapping[str, Any]) -> list[tuple[int, ...]]:
    """For each of the 128 keys the notes that it plays, rising."""
    threads = {int(key): tuple(targets) for key, targets in values["threads"].items()}
    if not values["octave"]:
        return [threads.get(key, (key,)) for key in range(128)]
    table = []
    for key in range(128):
        stand_in = TEMPLATE + key % 12
        shift = key - stand_in
        targets = (target + shift for target in threads.get(stand_in, (stand_in,)))
        table.append(tuple(target for target in targets if 0 <= target <= 127))
    return table


def only(targets: Mapping[int, Iterable[int]]) -> dict[str, list[int]]:
    """Threads in their kept form: keys that play just themselves are left out."""
    return {str(key): sorted(set(notes)) for key, notes in sorted(targets.items()) if sorted(set(notes)) != [key]}


def fill_scale(pitch_classes: Iterable[int], silent: bool) -> dict[int, list[int]]:
    """Threads for all keys: those inside a scale play themselves, the others nothing or the nearest inside.

    A tie goes down.
    """
    inside = set(pitch_classes)
    filled: dict[int, list[int]] = {}
    for key in range(128):
        steps = (step for distance in range(12) for step in (-distance, distance))
        near = next((key + step for step in steps if (key + step) % 12 in inside and 0 <= key + step <= 127), None)
        outside = key % 12 not in inside
        filled[key] = [] if near is None or (outside and silent) else [near]
    return filled


def fill_chord(intervals: Sequence[int]) -> dict[int, list[int]]:
    """Threads for all keys: each plays a chord of these intervals above itself."""
    return {key: [key + interval for interval in intervals if key + interval <= 127] for key in range(128)}
