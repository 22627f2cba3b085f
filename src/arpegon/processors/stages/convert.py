"""Convert: one kind of value into another."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.core.events import CONTROL, NOTE_OFF, NOTE_ON, POLY_PRESSURE, PRESSURE, Event
from arpegon.core.processing.parameters import Channel, Choice, Controller, Number, Numbers, Param, Points
from arpegon.core.processing.processor import Context
from arpegon.core.processing.slew import pace
from arpegon.core.processing.values import READS, SHAPES, WRITES, curve, placed, read, stair
from arpegon.core.theory.controllers import cc_words
from arpegon.processors.bases.moving import MovingValues

_NOTES = frozenset({"velocity", "key"})


def reading_params(default: int) -> tuple[Param, ...]:
    """The declarations of what a value is read from."""
    return (
        Choice(name="source", label="From", default="cc", options=READS, help="What is read."),
        Controller(
            name="number",
            label="Controller in",
            default=default,
            help="The number of the controller that is read.",
        ),
        Channel(
            name="channel",
            label="Channel in",
            default=0,
            low=0,
            help="Only this channel is read; 0 reads all.",
        ),
    )


def curve_params() -> tuple[Param, ...]:
    """The declarations of a response curve."""
    return (
        Choice(
            name="shape",
            label="Curve",
            default="straight",
            options=SHAPES,
            help="Soft gives much early, hard gives much late; drawn follows your points.",
        ),
        Points(
            name="points",
            label="Drawn curve",
            default=[[0, 0], [127, 127]],
            low=0,
            high=127,
            help="The line from what comes in to what goes out.",
        ),
    )


class Convert(MovingValues):
    """Reads one kind of value, and writes another, over a curve from one range to another.

    Either range may be reversed. All values run from 0 to 127; of a pitch bend 64 is the middle. A release is a note
    off that leaves no key down, or a controller or pressure that falls to 0: it can count like any value, hold the
    value where it is, send it to a set one, or be ignored, so that no note off resets a control.
    """

    kind = "convert"
    label = "Convert"
    summary = "Turns one kind of controller into another, over a curve."
    params = (
        *reading_params(1),
        Choice(name="target", label="To", default="cc", options=WRITES, help="What is written."),
        Controller(
            name="to_number",
            label="Controller out",
            default=11,
            help="The number of the controller that is written (of 14 bits: 0 to 31).",
        ),
        Channel(
            name="to_channel",
            label="Channel out",
            default=0,
            low=0,
            zero="as it came",
            help="The channel on which it is written; 0 keeps that of what came in.",
        ),
        Number(name="in_low", label="In from", default=0, low=0, high=127, help="What is read as the bottom."),
        Number(name="in_high", label="In to", default=127, low=0, high=127, help="What is read as the top."),
        Number(name="out_low", label="Out from", default=0, low=0, high=127, help="What the bottom becomes."),
        Number(name="out_high", label="Out to", default=127, low=0, high=127, help="What the top becomes."),
        *curve_params(),
        Number(
            name="levels",
            label="Levels",
            default=0,
            low=0,
            high=64,
            help="Go up in so many equal stairs; 0 or 1 goes smoothly.",
        ),
        Number(
            name="smooth_ms",
            label="Smoothing",
            default=0,
            low=0,
            high=2000,
            unit="ms",
            help="How long the whole way from 0 to 127 takes at least.",
        ),
        Choice(
            name="release",
            label="A release",
            default="follow",
            options={"follow": "counts", "hold": "holds", "set": "goes to", "ignore": "is ignored"},
            help="What a note off, or a value of 0, does: count like any value, hold, go to a value, or nothing.",
        ),
        Number(name="release_value", label="Goes to", default=0, low=0, high=127, help="Where a release goes to."),
        Numbers(
            name="ignored",
            label="Ignored values",
            default=[],
            low=0,
            high=127,
            max_count=32,
            help="Values that do nothing.",
        ),
        Choice(
            name="original",
            label="The original",
            default="auto",
            options={"auto": "as fits", "pass": "passes too", "block": "does not"},
            help="Whether what was read passes as well; as fits: notes do, all else does not.",
        ),
        Choice(
            name="others",
            label="All else",
            default="pass",
            options={"pass": "passes", "block": "is blocked"},
            help="What happens to what is not read; notes always pass where their velocity is written.",
        ),
    )

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._loudness: dict[int, int] = {}
        """The velocity of the notes that follow, by channel."""
        self._blocked: dict[int, int] = {}
        self._down: dict[int, int] = {}
        self._last: float | None = None
        super().__init__(values, context)

    def on_configure(self) -> None:
        values = self.values
        self._curve = curve(values["shape"], values["points"])
        source, target = values["source"], values["target"]
        self._keeps = values["original"] == "pass" or (values["original"] == "auto" and source in _NOTES)
        self._lets_by = values["others"] == "pass"
        self._ignored = frozenset(values["ignored"])
        self._pace = pace(values["smooth_ms"], values["smooth_ms"])
        # The controller that goes a short way, as there are many of it (-1: none does), and what its values become;
        # those that need a closer look go the long way.
        plain = source == "cc" and target not in ("velocity", "poly") and not self._keeps and not values["channel"]
        self._short_way = values["number"] if plain else -1
        special = self._ignored if values["release"] == "follow" else self._ignored | {0}
        self._made = [None if value in special else self.converted(float(value)) for value in range(128)]
        number, to = min(31, values["to_number"]) if target == "cc14" else values["to_number"], values["to_channel"]
        # Where what is read on each channel goes.
        self._addresses = [(target, number, to - 1 if to else channel) for channel in range(16)]
        if target != "velocity":
            self._loudness.clear()

    def converted(self, value: float) -> float:
        """What a value that came in becomes."""
        values = self.values
        share = stair(self._curve(placed(value, values["in_low"], values["in_high"])), values["levels"])
        low, high = float(values["out_low"]), float(values["out_high"])
        return low + share * (high - low)

    def take(self, event: Event, out: list[Event]) -> None:
        kind = event.status & 0xF0
        channel = event.status & 0x0F
        if kind == CONTROL and event.data1 == self._short_way:
            made = self._made[event.data2]
            if made is not None:
                self._last = event.data2
                self.send(channel, self._addresses[channel], made, event.time, out, self._pace)
                return
        values = self.values
        note = kind in (NOTE_ON, NOTE_OFF)
        value = None
        if event.status < 0xF0 and values["channel"] in (0, channel + 1):
            value = read(event, values["source"], values["number"])
        if value is not None and round(value) in self._ignored:
            value = None if note else value
            if not note:
                return
        passes = self._keeps if value is not None else self._lets_by
        if note:
            self._note(event, value, passes, out)
            return
        if value is not None:
            if passes:
                out.append(event)
            self._read(channel, value, event, out)
        elif passes:
            out.append(event)

    def _note(self, event: Event, value: float | None, passes: bool, out: list[Event]) -> None:
        """A note: it may be read, and its velocity may be written."""
        channel = event.status & 0x0F
        key = channel << 7 | event.data1
        if event.status & 0xF0 == NOTE_OFF:
            if self._down.pop(key, 0) and not any(held >> 7 == channel for held in self._down):
                self._released(channel, event.time, out)
            blocked = self._blocked.get(key, 0)
            if blocked:
                self._blocked[key] = blocked - 1
                if blocked == 1:
                    del self._blocked[key]
            else:
                out.append(event)
            return
        if value is not None:
            self._down[key] = 1
            self._read(channel, value, event, out)
        if self.values["target"] == "velocity":
            loudness = self._loudness.get(channel)
            velocity = event.data2 if loudness is None else max(1, loudness)
            out.append(Event(event.time, event.status, event.data1, velocity))
        elif passes:
            out.append(event)
        else:
            self._blocked[key] = self._blocked.get(key, 0) + 1

    def pass_by(self, event: Event, out: list[Event]) -> None:
        key = (event.status & 0x0F) << 7 | event.data1
        if event.status & 0xF0 == NOTE_OFF and key in self._blocked:
            self._note(event, None, True, out)
        else:
            out.append(event)

    def _read(self, channel: int, value: float, event: Event, out: list[Event]) -> None:
        """A value was read."""
        values = self.values
        if value == 0 and values["release"] != "follow" and values["source"] not in _NOTES:
            self._released(channel, event.time, out)
            return
        self._go(channel, self.converted(value), event, out)
        self._last = value

    def _go(self, channel: int, value: float, event: Event, out: list[Event]) -> None:
        address = self._addresses[channel]
        if address[0] == "velocity":
            self._loudness[address[2]] = round(value)
            return
        lane = (channel, event.data1) if event.status & 0xF0 == POLY_PRESSURE == _status(address[0]) else channel
        self.send(lane, address, value, event.time, out, self._pace)

    def _released(self, channel: int, time: float, out: list[Event]) -> None:
        """A release: hold, go to a set value, or nothing."""
        release = self.values["release"]
        if release == "hold":
            self.stay(channel, time)
        elif release == "set":
            self._go(channel, float(self.values["release_value"]), Event(time, PRESSURE | channel), out)

    def live(self, time: float) -> list[float]:
        return [float(self._last), self.converted(self._last)] if self._last is not None else []

    def release(self, time: float, out: list[Event]) -> None:
        super().release(time, out)
        self._blocked.clear()
        self._down.clear()

    # -- words -------------------------------------------------------------------------------------

    @classmethod
    def swallows(cls, values: Mapping[str, Any]) -> str | None:
        if values["target"] == "velocity":
            return None
        reads_notes = values["source"] in _NOTES
        if reads_notes and values["original"] == "block":
            return "it keeps the notes that it reads to itself"
        if not reads_notes and values["others"] == "block":
            return "it blocks all that it does not read, notes too"
        return None

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        source = cc_words(values["number"]) if values["source"] == "cc" else READS[values["source"]]
        names = {"cc": cc_words(values["to_number"]), "cc14": f"{cc_words(values['to_number'])}, fine"}
        turned = (
            " · reversed" if (values["in_low"] > values["in_high"]) != (values["out_low"] > values["out_high"]) else ""
        )
        return f"{source} → {names.get(values['target'], WRITES[values['target']])}{turned}"


def _status(target: str) -> int:
    return POLY_PRESSURE if target == "poly" else 0
