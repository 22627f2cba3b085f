"""Sieve: events let through or kept out by what they are."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.core.events import BEND, CONTROL, POLY_PRESSURE, PRESSURE, PROGRAM, SYSEX, Event
from arpegon.core.processing.parameters import Choice, Flags, NoteKey, Number, Numbers
from arpegon.core.processing.processor import NoteGate

_KINDS = {POLY_PRESSURE: "poly", CONTROL: "cc", PROGRAM: "program", PRESSURE: "pressure", BEND: "bend"}
KINDS = {
    "notes": "notes",
    "poly": "key pressure",
    "cc": "controllers",
    "program": "programs",
    "pressure": "pressure",
    "bend": "bend",
    "sysex": "sysex",
}


class Sieve(NoteGate):
    """Blocks the events that match, or passes only those.

    An event matches when its kind is named, its channel is (an empty list means all), and, for notes, when key
    and velocity lie in their ranges; for controllers, when number (an empty list means all) and value do. The end
    of a note and the pressure on its key share the lot of its beginning.
    """

    kind = "sieve"
    label = "Sieve"
    fresh = {"action": "pass", "kinds": list(KINDS)}
    summary = "Lets events through or keeps them out: by kind, channel, key, velocity, controller and value."
    params = (
        Choice(
            name="action",
            label="What matches",
            default="block",
            options={"block": "is blocked", "pass": "alone passes"},
            help="Keep out what matches, or let nothing else through.",
        ),
        Flags(name="kinds", label="Kinds", default=["notes"], options=KINDS, help="The kinds of event that match."),
        Numbers(
            name="channels",
            label="Channels",
            default=[],
            low=1,
            high=16,
            max_count=16,
            help="The channels that match; none named means all.",
        ),
        NoteKey(name="low_key", label="From key", default=0, help="The lowest key that matches."),
        NoteKey(name="high_key", label="To key", default=127, help="The highest key that matches."),
        Number(name="low_velocity", label="From velocity", default=1, low=1, high=127, help="The softest."),
        Number(name="high_velocity", label="To velocity", default=127, low=1, high=127, help="The loudest."),
        Numbers(
            name="controllers",
            label="Controllers",
            default=[],
            low=0,
            high=127,
            max_count=32,
            help="The numbers of controllers that match; none named means all.",
        ),
        Number(
            name="low_value",
            label="From value",
            default=0,
            low=0,
            high=127,
            help="The lowest controller value that matches; 0 to 0 catches the reset that a release sends.",
        ),
        Number(name="high_value", label="To value", default=127, low=0, high=127, help="The highest controller value."),
    )

    def on_configure(self) -> None:
        values = self.values
        self._blocks: bool = values["action"] == "block"
        self._kinds = frozenset(values["kinds"])
        self._channels = frozenset(channel - 1 for channel in values["channels"]) or frozenset(range(16))
        self._controllers = frozenset(values["controllers"]) or frozenset(range(128))

    def lets_in(self, event: Event) -> bool:
        values = self.values
        matches: bool = (
            "notes" in self._kinds
            and event.status & 0x0F in self._channels
            and values["low_key"] <= event.data1 <= values["high_key"]
            and values["low_velocity"] <= event.data2 <= values["high_velocity"]
        )
        return matches is not self._blocks

    def lets_by(self, event: Event) -> bool:
        kind = "sysex" if event.status >= SYSEX else _KINDS.get(event.status & 0xF0, "")
        matches: bool = kind in self._kinds and (kind == "sysex" or event.status & 0x0F in self._channels)
        if matches and kind == "cc":
            values = self.values
            matches = event.data1 in self._controllers and values["low_value"] <= event.data2 <= values["high_value"]
        return matches is not self._blocks

    @classmethod
    def swallows(cls, values: Mapping[str, Any]) -> str | None:
        all_notes = (
            values["low_key"] == 0
            and values["high_key"] == 127
            and values["low_velocity"] == 1
            and values["high_velocity"] == 127
            and not values["channels"]
        )
        if values["action"] == "block" and "notes" in values["kinds"] and all_notes:
            return "it keeps all notes out"
        if values["action"] == "pass":
            if "notes" not in values["kinds"]:
                return "it lets no notes through"
            if values["low_key"] > values["high_key"] or values["low_velocity"] > values["high_velocity"]:
                return "its ranges of keys or velocities are empty"
        return None

    @classmethod
    def lets_values(cls, values: Mapping[str, Any]) -> bool:
        named = set(values["kinds"]) - {"notes", "poly"}
        passing = named if values["action"] == "pass" else set(KINDS) - {"notes", "poly"} - named
        return bool(passing)

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        verb = "no" if values["action"] == "block" else "only"
        names = " ".join(KINDS[kind] for kind in values["kinds"]) or "nothing"
        return f"{verb} {names}"
