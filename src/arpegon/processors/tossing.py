"""Tossing a stage: what its parameters become."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.core.processing.parameters import Param
from arpegon.core.processing.patterns import chosen
from arpegon.core.processing.processor import Processor
from arpegon.core.processing.toss import Tosses, kept, toss
from arpegon.core.theory.scales import Key


def toss_declaration(processor: type[Processor]) -> Tosses | None:
    """The declaration of a processor's tosses; ``None`` where it has none."""
    found: Param | None = next((param for param in processor.params if param.name == "tosses"), None)
    return found if isinstance(found, Tosses) else None


def tossed(
    processor: type[Processor], values: Mapping[str, Any], lanes: list[str], seed: int, key: Key
) -> dict[str, Any]:
    """The parameters that a toss of the chosen pattern changes; empty where nothing can be tossed.

    Args:
        lanes: the lanes that get new values.
        seed: what they are drawn from.
        key: the project's key.
    """
    declared = toss_declaration(processor)
    patterns = [list(pattern) for pattern in values.get("patterns", ())]
    if declared is None or not patterns or not lanes:
        return {}
    place = chosen(values, len(patterns))
    before = [dict(step) for step in patterns[place]]
    if not before:
        return {}
    made = toss(declared.lanes, lanes, values["toss_bounds"], before, seed)
    made["made"] = processor.fit_toss(values, made["made"], key)
    row = values["tosses"]
    if not row:
        whole = {lane.name: values[lane.name] for lane in declared.lanes if lane.way == "whole"}
        row = [{"seed": 0, "lanes": {}, "made": before, "whole": whole, "star": False}]
    patterns[place] = made["made"]
    return {"patterns": patterns, **made["whole"], "tosses": kept(row, made)}
