"""A tempo beside the piece's: a number of its own, or a ratio to it; free, or brought back into step."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any, Literal

import msgspec

from arpegon.core.time.clock import TEMPO_RANGE

TEMPI = {"piece": "the piece's", "bpm": "a number", "ratio": "a share"}
MAX_BARS = 64
RATIO_RANGE = (12.5, 800.0)
"""Per cent of the piece's tempo."""

_NEAR = 1e-6


class OwnTempo(msgspec.Struct, frozen=True):
    """A tempo beside the piece's.

    Its beats are the piece's on the lines where it is brought back into step; where it is free, only at the start.
    """

    way: Literal["bpm", "ratio"] = "ratio"
    bpm: float = TEMPO_RANGE[0]
    ratio: float = 100.0
    """Per cent of the piece's tempo."""
    bars: int = 0
    """Every how many bars of the piece it is brought back into step; 0: it is free."""

    @classmethod
    def of(cls, values: Mapping[str, Any]) -> OwnTempo | None:
        """That of parameters (see ``core/processing/own_tempo.py``); ``None``: the piece's."""
        way = values.get("own_tempo", "piece")
        if way == "piece":
            return None
        return cls(way, values.get("own_bpm", 120.0), values.get("own_ratio", 100.0), values.get("own_bars", 0))

    def tempo(self, piece: float) -> float:
        """Quarter notes a minute where the piece has ``piece`` of them."""
        return self.bpm if self.way == "bpm" else piece * self.ratio / 100.0

    def beat(self, beat: float, piece: float, origin: float, bar: float) -> float:
        """Where it is at a beat of the piece, had the tempo always been that of now.

        Args:
            piece: the tempo of the piece.
            origin: the beat from which the bars of the piece are counted.
            bar: their length in quarter notes.
        """
        start = self.next_line(beat, origin, bar) - self.bars * bar if self.bars else 0.0
        return start + (beat - start) * self.tempo(piece) / piece

    def next_line(self, beat: float, origin: float, bar: float) -> float:
        """The beat of the piece after ``beat`` on which it is brought back into step; infinity: never."""
        if not self.bars:
            return math.inf
        unit = self.bars * bar
        return origin + (math.floor((beat - origin) / unit + _NEAR) + 1) * unit
