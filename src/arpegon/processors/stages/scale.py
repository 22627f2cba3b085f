"""Scale: notes outside a scale are pulled in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from arpegon.core.events import Event
from arpegon.core.processing.parameters import Choice, PitchClass, PitchClasses, Switch, scale_param
from arpegon.core.processing.processor import NoteMapper
from arpegon.core.theory.pitch import parse_pitch_class, pretty_name
from arpegon.core.theory.scales import SCALES, Key, pitch_classes, stage_key

_SEARCH = {
    # Signed steps in the order in which they are tried; a tie goes down.
    "nearest": (0, -1, 1, -2, 2, -3, 3, -4, 4, -5, 5, -6, 6),
    "up": tuple(range(12)),
    "down": tuple(range(0, -12, -1)),
    "drop": (0,),
}


class ScaleStage(NoteMapper):
    """Moves notes outside the scale to one inside it, as ``rule`` and ``targets`` say."""

    kind = "scale"
    label = "Scale"
    summary = "Pulls wrong notes into a scale."
    params = (
        PitchClass(name="root", label="Root", default="C", help="The note on which the scale stands."),
        scale_param(name="scale", label="Scale", default="ionian", help="The notes that are let through as they are."),
        Choice(
            name="rule",
            label="Outside notes",
            default="nearest",
            options={"nearest": "nearest", "up": "up", "down": "down", "drop": "drop"},
            help="Where a note outside the scale goes: to the nearest (a tie goes down), up, down, or nowhere.",
        ),
        Switch(
            name="follow_key",
            label="Follow the key",
            default=False,
            help="Take root and scale from the project's key, now and whenever it changes.",
        ),
        PitchClasses(
            name="targets",
            label="Redirected notes",
            default=[],
            help="Single notes sent elsewhere by hand, whatever the rule says. Click a note on the ring.",
        ),
    )

    def on_configure(self) -> None:
        key = stage_key(self.values, self.context.key)
        self._moves = moves(key, self.values["rule"], self.values["targets"])
        self._table = [None if move is None else note + move for note, move in self._each_note()]

    def _each_note(self) -> list[tuple[int, int | None]]:
        return [(note, self._moves[note % 12]) for note in range(128)]

    def strike(self, event: Event) -> Sequence[Event]:
        note = self._table[event.data1]
        if note is None:
            return ()
        if note == event.data1:
            return (event,)
        if not 0 <= note <= 127:
            note += 12 if note < 0 else -12
        return (Event(event.time, event.status, note, event.data2),)

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        if values["follow_key"]:
            return f"the project's key · {values['rule']}"
        scale = SCALES[values["scale"]].label.split(" (")[0]
        return f"{pretty_name(values['root'])} {scale} · {values['rule']}"


def moves(key: Key, rule: str, targets: Sequence[str | None] = ()) -> list[int | None]:
    """For each pitch class from C: the semitones it moves, or ``None`` where it is dropped.

    ``targets`` (twelve entries or none) overrule the scale; a redirected note goes to the nearest octave
    of its target, a tie goes down.
    """
    inside = pitch_classes(key.root, key.scale)
    result: list[int | None] = []
    for pitch_class in range(12):
        target = targets[pitch_class] if targets else None
        if target is not None:
            step = (parse_pitch_class(target) - pitch_class) % 12
            result.append(step - 12 if step >= 6 else step)
        else:
            steps = (step for step in _SEARCH[rule] if (pitch_class + step) % 12 in inside)
            result.append(next(steps, None))
    return result
