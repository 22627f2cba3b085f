"""The declarations of a tempo beside the piece's, for what counts steps or plays clips."""

from __future__ import annotations

from arpegon.core.processing.parameters import Choice, Number
from arpegon.core.time.clock import TEMPO_RANGE
from arpegon.core.time.own_tempo import MAX_BARS, RATIO_RANGE, TEMPI

OWN_TEMPO = (
    Choice(
        name="own_tempo",
        label="Its tempo",
        default="piece",
        options=TEMPI,
        help="It runs at the piece's tempo, at one of its own, or at a share of the piece's.",
    ),
    Number(
        name="own_bpm",
        label="Own tempo",
        default=120.0,
        low=TEMPO_RANGE[0],
        high=TEMPO_RANGE[1],
        step=0.1,
        unit="bpm",
        help="Quarter notes a minute, whatever the piece's tempo is.",
    ),
    Number(
        name="own_ratio",
        label="Of the piece's",
        default=100.0,
        low=RATIO_RANGE[0],
        high=RATIO_RANGE[1],
        step=0.01,
        unit="%",
        help="150 % is three beats against two of the piece, 75 % three against four.",
    ),
    Number(
        name="own_bars",
        label="In step every",
        default=0,
        low=0,
        high=MAX_BARS,
        unit="bars",
        help="What follows the transport's beats is brought back to those of the piece every so many bars; "
        "0 leaves it free.",
    ),
)
"""Whose tempo it runs at, and when it is brought back into step with the piece."""
