"""Audio files in a loop, played with a timeline and listened to as they sound."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from arpegon.core.document import AudioSource
from arpegon.engine.ears import BLOCK_SECONDS, Block
from arpegon.files.audio import Sound

if TYPE_CHECKING:
    from arpegon.engine.simulation import Engine
    from arpegon.engine.timeline import Timeline

Monitor = Callable[[str, NDArray[Any], int, float], None]
"""Takes audio that is to be heard itself: whose, samples of shape (frames, channels), rate, and when they begin."""


class LoopPlayer:
    """Plays the files of all audio sources that follow one timeline, all block by block together.

    Args:
        endless: whether they are those of strands that play on.
    """

    def __init__(self, engine: Engine, line: Timeline, endless: bool) -> None:
        self._engine = engine
        self._line = line
        self._endless = endless
        self._run = 0
        self._origin = 0.0
        """When the first sample of every file would have sounded."""
        self.idle = True

    def start(self, beat: float) -> None:
        """Play from where a beat of the transport lies in seconds; while bars are counted, files wait."""
        self._run += 1
        clock = self._line.clock
        now = clock.time_at(beat)
        self._origin = now - max(0.0, beat) * 60.0 / clock.tempo
        if beat < 0.0:
            self._origin = clock.time_at(0.0)
        first = max(0, round((now - self._origin) / BLOCK_SECONDS))
        self.idle = False
        self._schedule(first)

    def stop(self, time: float) -> None:
        """Stop; what is heard of it ends."""
        self._run += 1
        self.idle = True
        for source in self._sources():
            self._engine.hush(source.id, time)

    def _sources(self) -> list[AudioSource]:
        project = self._engine.graph.project
        return [
            source
            for strand, source in project.audio_sources()
            if source.file and strand.plays_on == self._endless and not source.bypass
        ]

    def _schedule(self, number: int) -> None:
        run = self._run
        # A block is heard when all of it has sounded.
        self._engine.at_time(
            self._origin + (number + 1) * BLOCK_SECONDS,
            lambda time: self._play(run, number) if run == self._run else None,
        )

    def _play(self, run: int, number: int) -> None:
        start = self._origin + number * BLOCK_SECONDS
        blocks: dict[str, Block] = {}
        for source in self._sources():
            sound = self._engine.sounds.get(source.file)
            if sound is None:
                continue
            samples = _part(sound, number, source.loop)
            blocks[source.id] = Block(samples, sound.rate, start)
            if source.monitor and self._engine.monitor is not None:
                self._engine.monitor(source.id, samples, sound.rate, start)
        if not blocks and not self._sources():
            self.idle = True
            return
        self._engine.listen(blocks)
        self._schedule(number + 1)


def _part(sound: Sound, number: int, loop: bool) -> NDArray[Any]:
    """The samples of a block; silence after the end of a sound that does not go round."""
    first = round(number * BLOCK_SECONDS * sound.rate)
    last = round((number + 1) * BLOCK_SECONDS * sound.rate)
    length = len(sound.samples)
    if loop:
        return sound.samples[np.arange(first, last) % length]
    part = sound.samples[first:last]
    return part if len(part) == last - first else np.pad(part, ((0, last - first - len(part)), (0, 0)))
