"""Note values: what ``"1/16"``, ``"1/8T"``, ``"1/4D"``, ``"2 bars"`` and ``"5 in 4"`` last."""

from __future__ import annotations

import re
from functools import lru_cache

from arpegon.core.errors import ParameterError
from arpegon.core.time.clock import bar_beats

_FRACTION = re.compile(r"^\s*(\d{1,2})\s*/\s*(1|2|4|8|16|32|64)\s*([TtDd]?)\s*$")
_BARS = re.compile(r"^\s*(\d{1,2})\s*bars?\s*$", re.IGNORECASE)
_SHARED = re.compile(r"^\s*(\d{1,2})\s+in\s+(\d{1,2})\s*$", re.IGNORECASE)

NOTE_VALUES = (
    *("1/64", "1/32T", "1/32", "1/16T", "1/16", "1/16D", "1/8T", "1/8", "1/8D", "1/4T", "1/4", "1/4D"),
    *("1/2T", "1/2", "1/2D", "1/1", "1 bar", "2 bars", "4 bars", "8 bars", "16 bars"),
)
"""The values that are offered, from short to long."""


@lru_cache(maxsize=256)
def normal_value(text: str) -> str:
    """A note value in its one normal form: ``" 1/8t"`` becomes ``"1/8T"``.

    Raises:
        ParameterError: it is none.
    """
    if found := _FRACTION.match(text):
        count, unit, mark = found.groups()
        if int(count) > 0:
            return f"{int(count)}/{unit}{mark.upper()}"
    if (found := _BARS.match(text)) and int(found.group(1)) > 0:
        count = int(found.group(1))
        return f"{count} bar" if count == 1 else f"{count} bars"
    if (found := _SHARED.match(text)) and int(found.group(1)) > 0 and int(found.group(2)) > 0:
        return f"{int(found.group(1))} in {int(found.group(2))}"
    raise ParameterError(
        f"“{text}” is no note value; write one such as 1/16, 1/8T (triplet), 1/4D (dotted), 2 bars, "
        "or 5 in 4 (five steps in four beats)."
    )


def normal_offset(text: str) -> str:
    """A note value by which something is later, or with a minus earlier, in its one normal form; none is empty.

    Raises:
        ParameterError: it is none.
    """
    bare = text.strip().replace("−", "-")
    if not bare:
        return ""
    return f"-{normal_value(bare[1:])}" if bare.startswith("-") else normal_value(bare)


def offset_beats(text: str, meter: tuple[int, int] = (4, 4)) -> float:
    """What :func:`normal_offset` has made of a text, in quarter notes; 0 for none."""
    if not text:
        return 0.0
    return -beats_of(text[1:], meter) if text.startswith("-") else beats_of(text, meter)


@lru_cache(maxsize=1024)
def beats_of(text: str, meter: tuple[int, int] = (4, 4)) -> float:
    """The length of a note value in quarter notes.

    Args:
        text: such as ``"1/8T"``; a triplet lasts two thirds, a dotted note one and a half times its value,
            ``"5 in 4"`` a fifth of four beats of the meter.
        meter: says how long a bar and a beat are.

    Raises:
        ParameterError: it is no note value.
    """
    value = normal_value(text)
    if value.endswith(("bar", "bars")):
        return int(value.split()[0]) * bar_beats(meter)
    if " in " in value:
        steps, _, beats = value.partition(" in ")
        return int(beats) * 4.0 / meter[1] / int(steps)
    count, _, unit = value.partition("/")
    factor = {"T": 2.0 / 3.0, "D": 1.5}.get(unit[-1], 1.0)
    return int(count) * 4.0 / int(unit.rstrip("TD")) * factor
