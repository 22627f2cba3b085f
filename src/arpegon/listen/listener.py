"""What both listeners have in common: clean samples in, notes and marks out, on the clock of the stream."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from arpegon.core.events import Event
from arpegon.core.processing.parameters import with_defaults
from arpegon.core.processing.processor import Processor
from arpegon.core.processing.values import curve, placed
from arpegon.listen.heard import HeardNote, Sight

Array = NDArray[Any]

_FULL = 0.999
"""A sample at this size or above is clipped."""
_LOUDEST = 4.0
_SIGHT_LIMIT = 4096


class Listener:
    """Hears notes in a stream of audio, block by block. Nothing depends on where blocks are cut.

    Args:
        values: checked parameters as the processor of the same ``kind`` declares them.
        rate: samples a second, 8,000-192,000.
    """

    kind: ClassVar[str]
    processor: ClassVar[type[Processor]]

    def __init__(self, values: Mapping[str, Any], rate: int) -> None:
        self.rate = rate
        self.marks: list[HeardNote] = []
        """What was heard since somebody last took this list away."""
        self.peak = 0.0
        """The greatest sample since the last :meth:`sight`."""
        self.taken = 0
        """Samples of the stream that were taken in."""
        self._figures: list[float] = []
        self.configure(values)

    def configure(self, values: Mapping[str, Any]) -> None:
        """Take new values (those left out have their defaults), without losing what sounds."""
        self.values = with_defaults(self.processor.params, values)
        self.channel = self.values["channel"] - 1
        self._response = curve(self.values["shape"], self.values["points"])
        self.on_configure()

    def on_configure(self) -> None:
        """Derive from ``self.values`` what :meth:`hear` needs at hand."""

    def process(self, block: Array) -> list[Event]:
        """Take samples and tell what was heard.

        Args:
            block: of shape (frames, channels), -1 ... 1; what is no number counts as silence.

        Returns:
            Events in order, at seconds of the stream. A note's end may lie in the future.
        """
        return self.hear(self._clean(block))

    def _clean(self, block: Array) -> Array:
        samples = np.asarray(block, dtype=np.float64)
        peak = float(np.abs(samples).max(initial=0.0))
        if not peak <= _LOUDEST:  # too large, or no number at all
            samples = np.clip(np.nan_to_num(samples, nan=0.0, posinf=0.0, neginf=0.0), -_LOUDEST, _LOUDEST)
            peak = _LOUDEST
        if samples.ndim == 1:
            samples = samples[:, None]
        self.taken += len(samples)
        self.peak = max(self.peak, peak)
        return samples

    def hear(self, samples: Array) -> list[Event]:
        """Like :meth:`process`, with clean samples."""
        raise NotImplementedError

    def silence(self) -> list[Event]:
        """The stream ended or stopped: the end of what sounds, and nothing remembered of the past."""
        raise NotImplementedError

    @property
    def latency(self) -> float:
        """Seconds from the beginning of a sound to its note, without those of the audio block."""
        raise NotImplementedError

    @property
    def now(self) -> float:
        """Seconds of the stream that were heard."""
        raise NotImplementedError

    def velocity(self, level: float) -> int:
        """The velocity of a level in dB."""
        values = self.values
        share = self._response(placed(level, values["soft_db"], values["loud_db"]))
        low, high = sorted((values["low"], values["high"]))
        velocity: int = round(low + share * (high - low))
        return velocity

    def draw(self, figures: list[float]) -> None:
        """Keep figures for the next :meth:`sight`."""
        self._figures += figures
        if len(self._figures) > _SIGHT_LIMIT:
            del self._figures[: -_SIGHT_LIMIT // 2]

    @property
    def step(self) -> float:
        """Seconds from one figure of a :class:`Sight` to the next."""
        raise NotImplementedError

    def sight(self) -> Sight:
        """What was drawn since the last one."""
        figures, self._figures = self._figures, []
        peak, self.peak = self.peak, 0.0
        return Sight(self.now, self.step, figures, peak / _FULL)
