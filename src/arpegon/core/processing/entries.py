"""Lists of small objects whose fields are declared like parameters: the steps of a lane, the rings of a figure."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from arpegon.core.errors import ParameterError
from arpegon.core.processing.parameters import Param, Part
from arpegon.core.processing.parts import place_in, replaced


class Entries(Param, frozen=True, kw_only=True):
    """Up to ``most`` objects, each with the declared ``fields``; a field that is left out has its default."""

    fields: tuple[Param, ...]
    max_count: int
    what: str = "step"

    def check(self, value: Any) -> Any:
        if not isinstance(value, (list, tuple)) or len(value) > self.max_count:
            raise self._refuse(value)
        return [self._entry(number, entry) for number, entry in enumerate(value)]

    def _entry(self, number: int, entry: Any) -> dict[str, Any]:
        where = f"{self.label} ({self.name}), {self.what} {number + 1}"
        names = ", ".join(field.name for field in self.fields)
        if not isinstance(entry, Mapping):
            raise ParameterError(f"{where}: it is an object with {names}.")
        unknown = sorted(str(key) for key in entry if all(key != field.name for field in self.fields))
        if unknown:
            raise ParameterError(f"{where}: there is no “{unknown[0]}” in a {self.what}; there are {names}.")
        checked = {}
        for field in self.fields:
            if field.name in entry:
                try:
                    checked[field.name] = field.check(entry[field.name])
                except ParameterError as error:
                    raise ParameterError(f"{where}: {error}") from None
        return checked

    def filled(self, value: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
        """The entries with all their fields."""
        return [{field.name: entry.get(field.name, field.default) for field in self.fields} for entry in value]

    def field(self, key: str) -> Param:
        """The declaration of a field."""
        return next(field for field in self.fields if field.name == key)

    def part(self, value: Any, names: Sequence[str]) -> Part | None:
        if not names:
            return self, value
        place = place_in(names[0], value)
        field = next((field for field in self.fields if field.name in names[1:2]), None)
        if place is None or field is None:
            return None
        found = field.part(value[place].get(field.name, field.default), names[2:])
        return None if found is None else (found[0].within(f"{self.what} {names[0]}"), found[1])

    def with_part(self, value: Any, names: Sequence[str], part: Any) -> Any:
        if not names:
            return part
        place, field = int(names[0]) - 1, self.field(names[1])
        now = value[place].get(field.name, field.default)
        return replaced(value, place, {**value[place], field.name: field.with_part(now, names[2:], part)})

    def parts(self, value: Any) -> Iterator[str]:
        for number, entry in enumerate(value, start=1):
            for field in self.fields:
                inside = list(field.parts(entry.get(field.name, field.default)))
                yield from (f"{number}.{field.name}.{name}" for name in inside)
                if not inside:
                    yield f"{number}.{field.name}"

    def text(self, value: Any) -> str:
        return f"{len(value)} {self.what}{'' if len(value) == 1 else 's'}" if value else f"no {self.what}s"

    @property
    def range_text(self) -> str:
        fields = "; ".join(f"`{field.name}`: {field.range_text}" for field in self.fields)
        return f"a list of up to {self.max_count} {self.what}s, each with what of these is wanted: {fields}"

    def schema(self) -> dict[str, Any]:
        properties = {field.name: {"description": field.help, **field.schema()} for field in self.fields}
        entry = {"type": "object", "additionalProperties": False, "properties": properties}
        return {"type": "array", "maxItems": self.max_count, "items": entry}
