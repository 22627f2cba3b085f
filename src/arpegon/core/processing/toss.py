"""Tosses: new values for chosen lanes of a pattern, drawn within bounds, each kept so that it can be called back."""

from __future__ import annotations

import random
from collections.abc import Mapping, Sequence
from typing import Any

import msgspec

from arpegon.core.errors import ParameterError
from arpegon.core.processing.parameters import Flags, Param, is_number

MAX_KEPT = 48
"""Tosses that are kept; then the oldest one without a star goes."""


class TossLane(msgspec.Struct, frozen=True, kw_only=True):
    """What can be tossed: a value of every step, a share of the steps, or one value for the whole.

    ``way`` is ``each`` (a value of every step, under ``name``), ``share`` (the percentage of steps that get
    ``mark`` under ``name``, all others ``rest``) or ``whole`` (a parameter of the stage beside the pattern).
    """

    name: str
    label: str
    low: float
    high: float
    rest_low: float
    rest_high: float
    step: float = 1
    way: str = "each"
    mark: Any = None
    rest: Any = None
    on: bool = False
    """Whether it is chosen where nothing was chosen yet."""


class Bounds(Param, frozen=True, kw_only=True):
    """For each lane the least and the greatest value that a toss may draw: ``{"velocity": [60, 110]}``."""

    lanes: tuple[TossLane, ...]

    def check(self, value: Any) -> Any:
        if not isinstance(value, Mapping):
            raise self._refuse(value)
        known = {lane.name: lane for lane in self.lanes}
        checked: dict[str, list[float]] = {}
        for key, pair in value.items():
            lane = known.get(key) if isinstance(key, str) else None
            if lane is None or not isinstance(pair, (list, tuple)) or len(pair) != 2:
                raise self._refuse(value)
            for number in pair:
                if (
                    isinstance(number, bool)
                    or not isinstance(number, (int, float))
                    or not lane.low <= number <= lane.high
                ):
                    raise self._refuse(value)
            low, high = sorted(pair)
            checked[key] = [_stepped(lane, low), _stepped(lane, high)]
        return {lane.name: checked[lane.name] for lane in self.lanes if lane.name in checked}

    def text(self, value: Any) -> str:
        return f"{len(value)} bounded" if value else "as they come"

    @property
    def range_text(self) -> str:
        lanes = ", ".join(f"`{lane.name}` ({lane.low:g} to {lane.high:g})" for lane in self.lanes)
        return f"pairs of least and greatest value for {lanes}"

    def schema(self) -> dict[str, Any]:
        properties = {
            lane.name: {
                "type": "array",
                "minItems": 2,
                "maxItems": 2,
                "items": {"type": "number", "minimum": lane.low, "maximum": lane.high},
            }
            for lane in self.lanes
        }
        return {"type": "object", "additionalProperties": False, "properties": properties}


class Tosses(Param, frozen=True, kw_only=True):
    """The tosses that were made, oldest first.

    Each is ``{"seed": 7, "lanes": {"note": [36, 60]}, "made": [...], "whole": {"stride": 5}, "star": false}``: the
    bounds of the lanes that were tossed, the pattern and the values beside it that came of it.
    """

    lanes: tuple[TossLane, ...]
    pattern: Param

    def check(self, value: Any) -> Any:
        if not isinstance(value, (list, tuple)) or len(value) > MAX_KEPT:
            raise self._refuse(value)
        return [self._toss(number, toss) for number, toss in enumerate(value)]

    def _toss(self, number: int, toss: Any) -> dict[str, Any]:
        where = f"{self.label} ({self.name}), toss {number + 1}"
        if not isinstance(toss, Mapping) or any(key not in _KEYS for key in toss):
            raise ParameterError(f"{where}: a toss has {', '.join(sorted(_KEYS))}.")
        seed, star, whole = toss.get("seed", 0), toss.get("star", False), toss.get("whole", {})
        if isinstance(seed, bool) or not isinstance(seed, int) or not isinstance(star, bool):
            raise ParameterError(f"{where}: its seed is a whole number, its star true or false.")
        known = {lane.name: lane for lane in self.lanes if lane.way == "whole"}
        if not isinstance(whole, Mapping) or any(
            not isinstance(key, str) or key not in known or not is_number(number, known[key].low, known[key].high)
            for key, number in whole.items()
        ):
            raise ParameterError(f"{where}: what it made beside the pattern is out of range.")
        bounds = Bounds(name=self.name, label=self.label, help="", default={}, lanes=self.lanes)
        return {
            "seed": seed,
            "lanes": bounds.check(toss.get("lanes", {})),
            "made": self.pattern.check(toss.get("made", [])),
            "whole": dict(whole),
            "star": star,
        }

    def text(self, value: Any) -> str:
        return f"{len(value)} tosses" if value else "none yet"

    @property
    def range_text(self) -> str:
        return f"a list of up to {MAX_KEPT} tosses, each with `seed`, `lanes`, `made`, `whole`, `star`"

    def schema(self) -> dict[str, Any]:
        bounds = Bounds(name=self.name, label=self.label, help="", default={}, lanes=self.lanes)
        properties = {
            "seed": {"type": "integer"},
            "lanes": bounds.schema(),
            "made": self.pattern.schema(),
            "whole": {"type": "object"},
            "star": {"type": "boolean"},
        }
        toss = {"type": "object", "additionalProperties": False, "properties": properties}
        return {"type": "array", "maxItems": MAX_KEPT, "items": toss}


_KEYS = frozenset({"seed", "lanes", "made", "whole", "star"})


def toss_params(lanes: tuple[TossLane, ...], pattern: Param) -> tuple[Param, ...]:
    """The declarations of a stage whose patterns can be tossed."""
    return (
        Flags(
            name="toss_lanes",
            label="Toss",
            default=[lane.name for lane in lanes if lane.on],
            options={lane.name: lane.label for lane in lanes},
            help="Which lanes a toss gives new values; the others stay.",
        ),
        Bounds(
            name="toss_bounds",
            label="Bounds",
            default={},
            lanes=lanes,
            help="The least and the greatest value that a toss may draw for each lane.",
        ),
        Tosses(
            name="tosses",
            label="Tosses",
            default=[],
            lanes=lanes,
            pattern=pattern,
            help="Every toss that was made, so that it can be called back.",
        ),
    )


def bounds_of(lane: TossLane, bounds: Mapping[str, Sequence[float]]) -> tuple[float, float]:
    """The least and greatest value for a lane: as given, or where it rests."""
    low, high = bounds.get(lane.name, (lane.rest_low, lane.rest_high))
    return low, high


def toss(
    lanes: Sequence[TossLane],
    chosen: Sequence[str],
    bounds: Mapping[str, Sequence[float]],
    pattern: Sequence[Mapping[str, Any]],
    seed: int,
) -> dict[str, Any]:
    """Draw new values for the chosen lanes.

    Args:
        lanes: all lanes that can be tossed.
        chosen: the keys of those that are.
        bounds: least and greatest value by key; a lane without has those at which it rests.
        pattern: the steps as they are; what is not chosen stays as it is.
        seed: the same seed, bounds and pattern give the same toss. Each lane has draws of its own, so that
            choosing one more does not change the others.

    Returns:
        a toss as :class:`Tosses` keeps it.
    """
    made = [dict(step) for step in pattern]
    whole: dict[str, float] = {}
    used: dict[str, list[float]] = {}
    for lane in lanes:
        if lane.name not in chosen:
            continue
        draw = random.Random(f"{seed}/{lane.name}")
        low, high = bounds_of(lane, bounds)
        used[lane.name] = [low, high]
        if lane.way == "whole":
            whole[lane.name] = _drawn(lane, low, high, draw)
        elif lane.way == "share":
            share = draw.uniform(low, high) / 100.0
            marked = draw.sample(range(len(made)), round(share * len(made)))
            for place, step in enumerate(made):
                if place in marked:
                    step[lane.name] = lane.mark
                elif step.get(lane.name) == lane.mark:
                    step[lane.name] = lane.rest
        else:
            for step in made:
                step[lane.name] = _drawn(lane, low, high, draw)
    return {"seed": seed, "lanes": used, "made": made, "whole": whole, "star": False}


def kept(tosses: Sequence[Mapping[str, Any]], made: Mapping[str, Any]) -> list[dict[str, Any]]:
    """The row of tosses with one more; where it is full, the oldest without a star goes."""
    row = [dict(one) for one in tosses]
    if len(row) >= MAX_KEPT:
        place = next((place for place, one in enumerate(row) if not one["star"]), 0)
        del row[place]
    return [*row, dict(made)]


def _drawn(lane: TossLane, low: float, high: float, draw: random.Random) -> float:
    steps = round((high - low) / lane.step)
    return _stepped(lane, low + draw.randint(0, max(0, steps)) * lane.step)


def _stepped(lane: TossLane, value: float) -> float:
    """A value in the form of its lane: whole numbers stay whole."""
    bounded = max(lane.low, min(lane.high, value))
    return round(bounded) if float(lane.step).is_integer() else round(bounded, 3)
