"""Comparing what a synthesizer heard with the memory on disk, for a soak."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from pathlib import Path

import msgspec

from arpegon.core.events import NOTE_ON
from arpegon.core.notes.memory import TAKE_PLACES, Remembered
from arpegon.files.spool import read_spool

CHANNELS = {"keys": 0, "walk": 1, "ear": 2}
"""On which channel strands send."""


class Wanted(msgspec.Struct):
    """What is to be compared: a folder of the memory, and from when on (studio time, in seconds)."""

    folder: str
    since: float


class Missing(msgspec.Struct):
    """A note that was heard more often than it is remembered, and when it was heard, in monotonic time."""

    channel: int
    note: int
    count: int
    times: list[float]


class Compared(msgspec.Struct):
    """What was found.

    Args:
        heard: how many note ons were heard.
        first: when the first of them was.
        missing: which of them are not remembered.
        remembered: how many are.
    """

    heard: int
    first: float
    missing: list[Missing]
    remembered: int


class Report(msgspec.Struct):
    """How many events were heard at all, which notes sound, how many began while they sounded, and how what was heard
    since the last time compares with the memory."""

    events: int
    open: list[tuple[int, int]]
    doubled: int
    compared: Compared


def compare(heard: Sequence[tuple[float, int, int]], wanted: Wanted) -> Compared:
    """Compare note ons (when, channel, note) with the memory."""
    times: dict[tuple[int, int], list[float]] = {}
    for at, channel, note in heard:
        times.setdefault((channel, note), []).append(at)
    history = Remembered(read_spool(Path(wanted.folder))[0], TAKE_PLACES)
    remembered = Counter(
        (channel, event.data1)
        for strand, channel in CHANNELS.items()
        for event in history.generated(strand)
        if event.kind == NOTE_ON and event.time >= wanted.since
    )
    missing = [
        Missing(*key, len(heard_at) - remembered[key], heard_at)
        for key, heard_at in times.items()
        if len(heard_at) > remembered[key]
    ]
    return Compared(len(heard), heard[0][0] if heard else 0.0, missing, remembered.total())
