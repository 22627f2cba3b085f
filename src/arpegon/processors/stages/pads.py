"""Chord pads: trigger notes, each with a chord of its own."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from arpegon.core.errors import ParameterError, shown
from arpegon.core.processing.parameters import NOTE_SCHEMA, Choice, Number, Param, Part, PitchClass, check_pitch_class
from arpegon.core.processing.parts import place_in, replaced
from arpegon.core.theory.chords import CHORD_TYPES, STACKS, TYPE_LABELS, stacked
from arpegon.core.theory.pitch import note_name, parse_note, parse_pitch_class
from arpegon.core.theory.scales import Key

MAX = 128
BOUNDS = {"inversion": (-4, 4), "register": (-3, 3)}
_KEYS = frozenset({"trigger", "group", "root", "quality", "degree", "stack", *BOUNDS})
HOME = 48
"""Chords of pads stand on the root at or above this note (C3)."""


_FIELDS: dict[str, Param] = {
    field.name: field
    for field in (
        Number(name="degree", label="Degree", default=1, low=1, high=12, help="The degree of the key."),
        Choice(
            name="stack", label="Stack", default="triad", options={name: name for name in STACKS}, help="What is on it."
        ),
        PitchClass(name="root", label="Root", default="C", help="The root of its chord."),
        Choice(
            name="quality", label="Quality", default="major", options=TYPE_LABELS, help="The chord that stands on it."
        ),
        *(
            Number(name=name, label=name.capitalize(), default=0, low=low, high=high, help="How its chord lies.")
            for name, (low, high) in BOUNDS.items()
        ),
    )
}
"""What of a pad can be turned."""


class Pads(Param, frozen=True, kw_only=True):
    """A list of pads, no two on one trigger.

    ``{"trigger": "C2", "root": "D", "quality": "m7"}`` holds a chord by name,
    ``{"trigger": "D2", "degree": 2, "stack": "seventh"}`` one of the key (degrees from 1), which moves with it.
    Both may have ``inversion``, ``register`` (octaves) and ``group`` (a name).
    """

    def check(self, value: Any) -> Any:
        if not isinstance(value, (list, tuple)) or len(value) > MAX:
            raise self._refuse(value)
        pads = [self._pad(number, pad) for number, pad in enumerate(value)]
        seen: set[int] = set()
        for pad in pads:
            if pad["trigger"] in seen:
                name = note_name(pad["trigger"])
                what = f"two pads have the trigger {name}; each needs its own."
                raise ParameterError(f"{self.label} ({self.name}): {what}")
            seen.add(pad["trigger"])
        return pads

    def _pad(self, number: int, pad: Any) -> dict[str, Any]:
        where = f"{self.label} ({self.name}), pad {number + 1}"
        if not isinstance(pad, Mapping) or "trigger" not in pad:
            raise ParameterError(f"{where}: a pad needs a trigger.")
        unknown = sorted(pad.keys() - _KEYS)
        if unknown:
            raise ParameterError(f"{where}: there is no “{unknown[0]}” in a pad.")
        try:
            checked: dict[str, Any] = {"trigger": parse_note(pad["trigger"])}
            if pad.get("group"):
                checked["group"] = str(pad["group"])
            if "degree" in pad:
                degree, stack = pad["degree"], pad.get("stack", "triad")
                if isinstance(degree, bool) or not isinstance(degree, int) or not 1 <= degree <= 12:
                    raise ParameterError(f"the degree cannot be {shown(degree)}: it takes 1 to 12.")
                if not isinstance(stack, str) or stack not in STACKS:
                    raise ParameterError(f"there is no stack {shown(stack)}; there are {', '.join(STACKS)}.")
                checked |= {"degree": degree, "stack": stack}
            else:
                quality = pad.get("quality", "major")
                if not isinstance(quality, str) or quality not in CHORD_TYPES:
                    raise ParameterError(f"there is no quality {shown(quality)}; there are {', '.join(CHORD_TYPES)}.")
                checked |= {"root": check_pitch_class(pad.get("root", "C")), "quality": quality}
            for name, (low, high) in BOUNDS.items():
                value = pad.get(name, 0)
                if isinstance(value, bool) or not isinstance(value, int) or not low <= value <= high:
                    raise ParameterError(f"{name} cannot be {shown(value)}: it takes {low} to {high}.")
                if value:
                    checked[name] = value
        except ParameterError as error:
            raise ParameterError(f"{where}: {error}") from None
        return checked

    def part(self, value: Any, names: Sequence[str]) -> Part | None:
        if not names:
            return self, value
        place = place_in(names[0], value) if len(names) == 2 else None
        if place is None or names[1] not in self._fields(value[place]):
            return None
        field = _FIELDS[names[1]]
        return field.within(f"pad {names[0]}"), value[place].get(field.name, field.default)

    def with_part(self, value: Any, names: Sequence[str], part: Any) -> Any:
        if not names:
            return part
        place = int(names[0]) - 1
        return replaced(value, place, {**value[place], names[1]: part})

    def parts(self, value: Any) -> Iterator[str]:
        for number, pad in enumerate(value, start=1):
            yield from (f"{number}.{name}" for name in self._fields(pad))

    @staticmethod
    def _fields(pad: Mapping[str, Any]) -> list[str]:
        """What of a pad can be turned."""
        return [*(("degree", "stack") if "degree" in pad else ("root", "quality")), *BOUNDS]

    def text(self, value: Any) -> str:
        return f"{len(value)} pads"

    @property
    def range_text(self) -> str:
        return (
            "a list of pads, each with a `trigger` and `root` and `quality`, or `degree` and `stack`; "
            "also `inversion`, `register`, `group`"
        )

    def schema(self) -> dict[str, Any]:
        properties = {
            "trigger": NOTE_SCHEMA,
            "group": {"type": "string"},
            "root": {"type": ["string", "integer"]},
            "quality": {"enum": list(CHORD_TYPES)},
            "degree": {"type": "integer", "minimum": 1, "maximum": 12},
            "stack": {"enum": list(STACKS)},
            **{name: {"type": "integer", "minimum": low, "maximum": high} for name, (low, high) in BOUNDS.items()},
        }
        pad = {"type": "object", "required": ["trigger"], "additionalProperties": False, "properties": properties}
        return {"type": "array", "maxItems": MAX, "items": pad}


def pad_notes(pad: Mapping[str, Any], key: Key) -> list[int]:
    """The notes of a pad's chord in root position and in the key of now, before inversion and register.

    The chord stands on its root at or above C3, or on its degree above the tonic at or above C3.
    """
    if "degree" in pad:
        tonic = HOME + (key.tonic - HOME) % 12
        degree = (pad["degree"] - 1) % len(key.intervals)
        return [tonic + above for above in stacked(key.intervals, degree, pad["stack"])]
    root = HOME + (parse_pitch_class(pad["root"]) - HOME) % 12
    return [root + interval for interval in CHORD_TYPES[pad["quality"]]]
