"""Declared parameters: from one declaration come the checks, the file format, the controls and the docs.

Values are kept as they stand in files (a root is ``"D"``, a note value ``"1/16"``), so a document is what
its file says. ``check`` returns the value in its one normal form or raises
:class:`~arpegon.core.errors.ParameterError` with a sentence.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from math import isfinite, nan
from typing import Any, Self

import msgspec

from arpegon.core.counting import counted
from arpegon.core.errors import ParameterError, shown
from arpegon.core.processing.parts import OUT, place_in, replaced
from arpegon.core.theory.controllers import cc_number, cc_words
from arpegon.core.theory.pitch import SHARP_NAMES, ascii_name, parse_note, parse_pitch_class, pretty_name, written
from arpegon.core.theory.scales import ALIASES, SCALES
from arpegon.core.time.rhythm import normal_value


class Param(msgspec.Struct, frozen=True, kw_only=True):
    """What every declaration says: the name in files, the label and help on screen, the default."""

    name: str
    label: str
    help: str
    default: Any

    def check(self, value: Any) -> Any:
        """The value in normal form.

        Raises:
            ParameterError: the value is not allowed.
        """
        raise NotImplementedError

    def text(self, value: Any) -> str:
        """The value as it is read on screen."""
        return str(value)

    @property
    def range_text(self) -> str:
        """What is allowed, in words, for tooltips and docs."""
        raise NotImplementedError

    def schema(self) -> dict[str, Any]:
        """The JSON Schema of the value."""
        raise NotImplementedError

    def part(self, value: Any, names: Sequence[str]) -> Part | None:
        """The declaration of a single value inside, and what it is now; ``None`` where there is none.

        Args:
            value: what the whole parameter is, checked.
            names: what leads to the part (see :mod:`arpegon.core.processing.parts`); none: the whole.
        """
        return None if names else (self, value)

    def with_part(self, value: Any, names: Sequence[str], part: Any) -> Any:
        """The whole with a single value set, which must be there (see :meth:`part`)."""
        return part

    def parts(self, value: Any) -> Iterator[str]:
        """The names of all single values inside, such as ``2.3.note``."""
        return iter(())

    def within(self, where: str) -> Self:
        """The same as a part of another one: its label says where it is."""
        label = self.label if self.label.startswith(_WHERE) else f"{self.label[:1].lower()}{self.label[1:]}"
        return msgspec.structs.replace(self, label=f"{where}, {label}")

    def _refuse(self, value: Any) -> ParameterError:
        return ParameterError(f"{self.label} ({self.name}) cannot be {shown(value)}: it takes {self.range_text}.")


_FINE_STEP = 0.01
"""Between the values that one of a list of numbers takes, where they are not whole."""
Part = tuple[Param, Any]
"""The declaration of a single value, and what it is now."""
_WHERE = ("pattern ", "step ", "ring ", "curve ", "pad ", "point ", "value ")


class Number(Param, frozen=True, kw_only=True):
    """A number between ``low`` and ``high`` in steps of ``step``."""

    low: float
    high: float
    step: float = 1
    unit: str = ""

    @property
    def whole(self) -> bool:
        """Only integers are allowed."""
        return float(self.step).is_integer() and isinstance(self.default, int)

    def check(self, value: Any) -> Any:
        if not is_number(value, self.low, self.high) or (self.whole and value != int(value)):
            raise self._refuse(value)
        return int(value) if self.whole else float(value)

    def clamp(self, value: float) -> float | int:
        """The nearest allowed value."""
        bounded = min(self.high, max(self.low, value))
        return round(bounded) if self.whole else bounded

    def text(self, value: Any) -> str:
        shown = f"{round(value):d}" if self.whole else f"{value:g}"  # files and controls may bring 3.0
        return f"{shown.replace('-', '−')} {self.unit}".strip()

    def typed(self, text: str) -> float:
        """The number that was typed, with or without its unit; it may be out of range.

        Raises:
            ParameterError: it is no number.
        """
        plain = text.strip().removesuffix(self.unit).strip().replace("−", "-").replace(",", ".")
        try:
            number = float(plain)
        except ValueError:
            number = nan
        if not isfinite(number):
            raise ParameterError(f"“{text}” is no number: {self.label} takes {self.range_text}.")
        return number

    @property
    def range_text(self) -> str:
        kind = "a whole number" if self.whole else "a number"
        return f"{kind} from {self.low:g} to {self.high:g}" + (f" {self.unit}" if self.unit else "")

    def schema(self) -> dict[str, Any]:
        return {
            "type": "integer" if self.whole else "number",
            "minimum": self.low,
            "maximum": self.high,
        }


class Controller(Number, frozen=True, kw_only=True):
    """The number of a controller, which has a name."""

    low: float = 0
    high: float = 127

    def text(self, value: Any) -> str:
        return cc_words(round(value))

    def typed(self, text: str) -> float:
        number = cc_number(text)
        return super().typed(text) if number is None else float(number)


class Channel(Number, frozen=True, kw_only=True):
    """A MIDI channel, 1 to 16; where ``low`` is 0, ``zero`` is what that means."""

    low: float = 1
    high: float = 16
    zero: str = "all"

    def text(self, value: Any) -> str:
        return self.zero if value == 0 else super().text(value)

    def typed(self, text: str) -> float:
        return 0.0 if self.low == 0 and text.strip().casefold() == self.zero.casefold() else super().typed(text)


class Choice(Param, frozen=True, kw_only=True):
    """One of a few values; ``options`` maps the value in files to its label on screen."""

    options: Mapping[str, str]
    aliases: Mapping[str, str] = {}

    def check(self, value: Any) -> Any:
        if isinstance(value, str):
            value = self.aliases.get(value, value)
            if value in self.options:
                return value
        raise self._refuse(value)

    def text(self, value: Any) -> str:
        return self.options[value]

    @property
    def range_text(self) -> str:
        names = ", ".join(f"“{name}”" for name in self.options)
        return f"one of {names}"

    def schema(self) -> dict[str, Any]:
        return {"enum": [*self.options, *self.aliases]}


class Switch(Param, frozen=True, kw_only=True):
    """On or off."""

    def check(self, value: Any) -> Any:
        if not isinstance(value, bool):
            raise self._refuse(value)
        return value

    def text(self, value: Any) -> str:
        return "on" if value else "off"

    @property
    def range_text(self) -> str:
        return "true or false"

    def schema(self) -> dict[str, Any]:
        return {"type": "boolean"}


class PitchClass(Param, frozen=True, kw_only=True):
    """A pitch class by name, e.g. ``"Eb"``; the spelling is kept."""

    def check(self, value: Any) -> Any:
        try:
            return check_pitch_class(value)
        except ParameterError:
            raise self._refuse(value) from None

    def text(self, value: Any) -> str:
        return pretty_name(value)

    @property
    def range_text(self) -> str:
        return "a note name without octave, such as D or Eb"

    def schema(self) -> dict[str, Any]:
        return {
            "type": ["string", "integer"],
            "pattern": "^[A-Ga-g][#♯b♭]{0,2}$",
            "minimum": 0,
            "maximum": 11,
        }


class PitchClasses(Param, frozen=True, kw_only=True):
    """Nothing, or twelve entries: for each pitch class from C another one, or null."""

    def check(self, value: Any) -> Any:
        if not isinstance(value, (list, tuple)) or len(value) not in (0, 12):
            raise self._refuse(value)
        checked = [None if entry is None else check_pitch_class(entry) for entry in value]
        return checked if any(entry is not None for entry in checked) else []

    def text(self, value: Any) -> str:
        count = sum(entry is not None for entry in value)
        return f"{count} redirected" if count else "none"

    @property
    def range_text(self) -> str:
        return "an empty list, or twelve entries from C to B, each null or a note name"

    def schema(self) -> dict[str, Any]:
        return {"type": "array", "maxItems": 12, "items": {"type": ["string", "integer", "null"]}}


class Numbers(Param, frozen=True, kw_only=True):
    """A list of up to ``max_count`` numbers, each between ``low`` and ``high``."""

    low: float
    high: float
    max_count: int
    whole: bool = True
    unit: str = ""

    def check(self, value: Any) -> Any:
        if not isinstance(value, (list, tuple)) or len(value) > self.max_count:
            raise self._refuse(value)
        for entry in value:
            if not is_number(entry, self.low, self.high) or (self.whole and entry != int(entry)):
                raise self._refuse(value)
        return [int(entry) if self.whole else float(entry) for entry in value]

    def text(self, value: Any) -> str:
        return " ".join(f"{entry:+g}" if self.low < 0 else f"{entry:g}" for entry in value).replace("-", "−")

    @property
    def range_text(self) -> str:
        kind = "whole numbers" if self.whole else "numbers"
        unit = f" {self.unit}" if self.unit else ""
        return f"a list of up to {self.max_count} {kind} from {self.low:g} to {self.high:g}{unit}"

    def schema(self) -> dict[str, Any]:
        kind = "integer" if self.whole else "number"
        items = {"type": kind, "minimum": self.low, "maximum": self.high}
        return {"type": "array", "maxItems": self.max_count, "items": items}

    def part(self, value: Any, names: Sequence[str]) -> Part | None:
        if not names:
            return self, value
        place = place_in(names[0], value) if len(names) == 1 else None
        if place is None:
            return None
        one = Number(
            name=names[0],
            label=f"value {names[0]}",
            default=value[place],
            help=self.help,
            low=self.low,
            high=self.high,
            step=1 if self.whole else _FINE_STEP,
            unit=self.unit,
        )
        return one, value[place]

    def with_part(self, value: Any, names: Sequence[str], part: Any) -> Any:
        return replaced(value, int(names[0]) - 1, part) if names else part

    def parts(self, value: Any) -> Iterator[str]:
        return (str(number) for number in range(1, len(value) + 1))


class NoteValue(Param, frozen=True, kw_only=True):
    """A note value such as ``"1/16"``, ``"1/8T"``, ``"1/4D"`` or ``"2 bars"``."""

    def check(self, value: Any) -> Any:
        if not isinstance(value, str):
            raise self._refuse(value)
        try:
            return normal_value(value)
        except ParameterError:
            raise self._refuse(value) from None

    @property
    def range_text(self) -> str:
        return "a note value such as 1/16, 1/8T (triplet), 1/4D (dotted), 2 bars, or 5 in 4 (five steps in four beats)"

    def schema(self) -> dict[str, Any]:
        values = r"[0-9]{1,2}\s*/\s*[0-9]{1,2}\s*[TtDd]?|[0-9]{1,2}\s*[Bb]ars?|[0-9]{1,2}\s+[Ii]n\s+[0-9]{1,2}"
        return {"type": "string", "pattern": rf"^\s*({values})\s*$"}


class NoteKey(Param, frozen=True, kw_only=True):
    """A note: a name with its octave or a number; kept as the number."""

    def check(self, value: Any) -> Any:
        try:
            return parse_note(value)
        except ParameterError:
            raise self._refuse(value) from None

    def text(self, value: Any) -> str:
        return written(value)

    @property
    def range_text(self) -> str:
        return "a note, as a name (C4 is middle C) or a number from 0 to 127"

    def schema(self) -> dict[str, Any]:
        return NOTE_SCHEMA


class Flags(Param, frozen=True, kw_only=True):
    """Any number of a few values; ``options`` maps the value in files to its label on screen."""

    options: Mapping[str, str]

    def check(self, value: Any) -> Any:
        if not isinstance(value, (list, tuple)):
            raise self._refuse(value)
        if any(not isinstance(entry, str) or entry not in self.options for entry in value):
            raise self._refuse(value)
        return [option for option in self.options if option in value]

    def text(self, value: Any) -> str:
        return ", ".join(self.options[entry] for entry in value) or "none"

    @property
    def range_text(self) -> str:
        return "a list of " + ", ".join(f"“{name}”" for name in self.options)

    def schema(self) -> dict[str, Any]:
        return {"type": "array", "items": {"enum": list(self.options)}}


class Points(Param, frozen=True, kw_only=True):
    """A line through up to ``max_count`` points ``[in, out]`` between ``low`` and ``high``, rising in what comes in."""

    low: int
    high: int
    max_count: int = 16

    def check(self, value: Any) -> Any:
        if not isinstance(value, (list, tuple)) or len(value) > self.max_count:
            raise self._refuse(value)
        points: list[list[int]] = []
        for entry in value:
            if not isinstance(entry, (list, tuple)) or len(entry) != 2:
                raise self._refuse(value)
            for number in entry:
                if isinstance(number, bool) or not isinstance(number, int) or not self.low <= number <= self.high:
                    raise self._refuse(value)
            if points and entry[0] <= points[-1][0]:
                raise self._refuse(value)
            points.append([entry[0], entry[1]])
        return points

    def text(self, value: Any) -> str:
        return f"{len(value)} points"

    @property
    def range_text(self) -> str:
        return (
            f"a list of up to {self.max_count} points [in, out] from {self.low} to {self.high}, rising in what comes in"
        )

    def schema(self) -> dict[str, Any]:
        number = {"type": "integer", "minimum": self.low, "maximum": self.high}
        point = {"type": "array", "items": number, "minItems": 2, "maxItems": 2}
        return {"type": "array", "maxItems": self.max_count, "items": point}

    def part(self, value: Any, names: Sequence[str]) -> Part | None:
        if not names:
            return self, value
        place = place_in(names[0], value) if len(names) == 2 and names[1] == OUT else None
        if place is None:
            return None
        out = Number(
            name=OUT, label=f"point {names[0]}", default=self.low, help=self.help, low=self.low, high=self.high
        )
        return out, value[place][1]

    def with_part(self, value: Any, names: Sequence[str], part: Any) -> Any:
        place = int(names[0]) - 1 if names else 0
        return replaced(value, place, [value[place][0], part]) if names else part

    def parts(self, value: Any) -> Iterator[str]:
        return (f"{number}.{OUT}" for number in range(1, len(value) + 1))


class KeyThreads(Param, frozen=True, kw_only=True):
    """From keys to the keys that they play: ``{"C4": ["C4", "G4"], "D4": []}``; a key left out plays itself.

    Kept with the notes as numbers, the keys of the map as text (JSON knows no others), in order. The notes of a key
    stay in theirs, each with an address of its own.
    """

    def check(self, value: Any) -> Any:
        if not isinstance(value, Mapping):
            raise self._refuse(value)
        threads: dict[int, list[int]] = {}
        for key, targets in value.items():
            if not isinstance(targets, (list, tuple)):
                raise self._refuse(value)
            try:
                number = parse_note(key)
                threads[number] = [parse_note(target) for target in targets]
            except ParameterError as error:
                raise ParameterError(f"{self.label} ({self.name}): {error}") from None
        return {str(key): threads[key] for key in sorted(threads)}

    def part(self, value: Any, names: Sequence[str]) -> Part | None:
        if not names:
            return self, value
        place = place_in(names[1], value.get(names[0])) if len(names) == 2 else None
        if place is None:
            return None
        key = written(int(names[0]))
        one = NoteKey(name=names[1], label=f"key {key}, note {names[1]}", default=int(names[0]), help=self.help)
        return one, value[names[0]][place]

    def with_part(self, value: Any, names: Sequence[str], part: Any) -> Any:
        if not names:
            return part
        return {**value, names[0]: replaced(value[names[0]], int(names[1]) - 1, part)}

    def parts(self, value: Any) -> Iterator[str]:
        return (f"{key}.{number}" for key, notes in value.items() for number in range(1, len(notes) + 1))

    def text(self, value: Any) -> str:
        return f"{counted(len(value), 'key')} mapped" if value else "each key plays itself"

    @property
    def range_text(self) -> str:
        return "a map from keys to lists of keys, as names or numbers; a key with an empty list is silent"

    def schema(self) -> dict[str, Any]:
        return {"type": "object", "additionalProperties": {"type": "array", "items": NOTE_SCHEMA}}


NOTE_SCHEMA: dict[str, Any] = {
    "description": "A note, as a name (C4 is middle C) or a number.",
    "oneOf": [
        {"type": "string", "pattern": "^[A-Ga-g][#♯b♭]{0,2}-?[0-9]+$"},
        {"type": "integer", "minimum": 0, "maximum": 127},
    ],
}


def is_number(value: Any, low: float, high: float) -> bool:
    """Whether a value is a finite number (true and false are none) from ``low`` to ``high``."""
    return isinstance(value, (int, float)) and not isinstance(value, bool) and low <= value <= high


def check_pitch_class(value: Any) -> str:
    """A pitch class name in its file form (``"Eb"``) from a name or a number 0-11.

    Raises:
        ParameterError: it is neither.
    """
    if isinstance(value, int) and not isinstance(value, bool) and 0 <= value <= 11:
        return ascii_name(SHARP_NAMES[value])
    if isinstance(value, str):
        parse_pitch_class(value)
        return ascii_name(pretty_name(value.strip()))
    raise ParameterError(f"{shown(value)} is not a note name without octave, such as D or Eb.")


SCALE_OPTIONS = {scale.name: scale.label for scale in SCALES.values()}


def scale_param(**declared: Any) -> Choice:
    """The declaration of a scale chosen by name."""
    return Choice(options=SCALE_OPTIONS, aliases=ALIASES, **declared)


def seed_param(what: str) -> Number:
    """The declaration of a seed: "the same seed gives ``what`` from the start of the piece"."""
    words = (
        f"The same seed gives {what} here from the start of the piece; another part, or a copy, has draws of its own."
    )
    return Number(name="seed", label="Seed", default=1, low=0, high=999_999, help=words)


class Swing(Number, frozen=True, kw_only=True):
    """The share of a pair that its first one gets, in percent; read with the feel that it has."""

    def text(self, value: Any) -> str:
        feel = next(name for highest, name in _FEELS if value <= highest)
        return f"{super().text(value)} {feel}"


_FEELS = ((50, "straight"), (57, "slight"), (64, "light"), (68, "triplet"), (73, "hard"), (75, "dotted"))
"""Up to which share of a pair a swing has which feel: two thirds is a triplet's, three quarters a dotted note's."""


def swing_param(what: str) -> Number:
    """The declaration of a swing: the share of a pair of ``what`` that the first one gets."""
    words = f"The share of a pair of {what} that the first one gets: 50 is straight, 66 a triplet feel."
    return Swing(name="swing", label="Swing", default=50, low=50, high=75, unit="%", help=words)


def key_params(follow: bool) -> tuple[Param, ...]:
    """The declarations of a key of the stage's own, or the project's (``follow_key``, by default ``follow``)."""
    return (
        Switch(
            name="follow_key",
            label="Follow the key",
            default=follow,
            help="Take root and scale from the project's key, now and whenever it changes.",
        ),
        PitchClass(name="root", label="Root", default="C", help="The note on which the scale stands."),
        scale_param(name="scale", label="Scale", default="ionian", help="The scale on that root."),
    )


def check_params(
    params: Sequence[Param], given: Mapping[str, Any], where: str, base: Mapping[str, Any] | None = None
) -> dict[str, Any]:
    """Check given values against their declarations; what is left out stays out.

    A single value inside one may be given by its address (see :mod:`arpegon.core.processing.parts`), such as
    ``patterns.1.3.note``: it is set in the whole value.

    Args:
        base: in which whole values, where none is given; left out: the defaults.

    Raises:
        ParameterError: a value is not allowed or a key is unknown; the sentence begins with ``where``.
    """
    known = {param.name: param for param in params}
    checked: dict[str, Any] = {}
    for key, value in sorted(given.items(), key=lambda one: "." in one[0]):
        head, *names = [key] if key in known else key.split(".")
        param = known.get(head)
        if param is None:
            raise ParameterError(f"{where}: there is no parameter “{key}” here; there are {', '.join(known)}.")
        try:
            if not names:
                checked[key] = param.check(value)
                continue
            whole = checked.get(head, (base or {}).get(head, param.default))
            found = param.part(whole, names)
            if found is None:
                raise ParameterError(f"{param.label} ({head}) has no part “{'.'.join(names)}” now.")
            checked[head] = param.check(param.with_part(whole, names, found[0].check(value)))
        except ParameterError as error:
            raise ParameterError(f"{where}: {error}") from None
    return checked


def with_defaults(params: Sequence[Param], given: Mapping[str, Any]) -> dict[str, Any]:
    """All values: the given ones, and the defaults of the others."""
    return {param.name: given.get(param.name, param.default) for param in params}
