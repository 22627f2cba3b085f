"""A document in the meters of a course of time, which become its sections."""

from __future__ import annotations

import math
from collections.abc import Sequence

import msgspec

from arpegon.core.document.model import Held, Project, Section
from arpegon.core.time.clock import bar_beats

_NEAR = 1e-6


def metered(document: Project, meters: Sequence[tuple[float, tuple[int, int], int]], end: float) -> Project:
    """The document with a section for each meter; if it has sections, it keeps them, in the first of the meters.

    Args:
        meters: in order, each with the beat on which it begins; the number of its first bar is not used.
        end: the beat on which the last one ends.
    """
    document = msgspec.structs.replace(document, meter=meters[0][1])
    if len(meters) == 1 or document.sections:
        return document
    ends = [*(begin for begin, _, _ in meters[1:]), max(end, meters[-1][0])]
    sections = tuple(
        Section(
            id=f"meter-{place}",
            name="",
            bars=max(1, math.ceil((until - begin) / bar_beats(meter) - _NEAR)),
            holds=(Held(param="meter_beats", value=meter[0]), Held(param="meter_unit", value=meter[1])),
        )
        for place, ((begin, meter, _), until) in enumerate(zip(meters, ends, strict=True))
    )
    return msgspec.structs.replace(document, sections=sections)
