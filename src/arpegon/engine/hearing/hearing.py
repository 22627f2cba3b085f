"""Who listens to the audio sources: here beside the strands (offline), or a process of its own (live)."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from arpegon.core.document.model import AudioSource, Project
from arpegon.core.events import Event
from arpegon.engine.clocks.roles import AtWork, Scheduler
from arpegon.engine.hearing.ears import BLOCK_SECONDS, Block, Ears
from arpegon.files.audio import AudioFile

_NEAR = 1e-6


class Hearing(Protocol):
    """What the engine asks of those who listen."""

    def configure(self, project: Project, sounds: Mapping[str, AudioFile], time: float) -> None:
        """Take over a document and the sounds that it names."""

    def set_params(self, source_id: str, values: Mapping[str, Any]) -> None:
        """The short cut for a knob that is dragged."""

    def roll(self, endless: bool, origin: float | None, time: float) -> None:
        """Audio files of strands that play on (``endless``), or of all others, play; their beginnings would have
        sounded at ``origin`` (``None``: they stop)."""


class LocalHearing:
    """Listens in the engine's own loop: offline, where nobody waits."""

    def __init__(self, scheduler: Scheduler, at_work: AtWork, expect: Callable[[Heard], None]) -> None:
        self._scheduler = scheduler
        self._at_work = at_work
        self._expect = expect
        self._ears = Ears()
        self._sounds: Mapping[str, AudioFile] = {}
        self._origins: dict[bool, float | None] = {False: None, True: None}
        self._runs = {False: 0, True: 0}
        self._busy = {False: False, True: False}

    def configure(self, project: Project, sounds: Mapping[str, AudioFile], time: float) -> None:
        self._sounds = sounds
        self._ears.configure(project)
        for endless in (False, True):
            self._go_on(endless, time)

    def set_params(self, source_id: str, values: Mapping[str, Any]) -> None:
        self._ears.set_params(source_id, values)

    def roll(self, endless: bool, origin: float | None, time: float) -> None:
        self._runs[endless] += 1
        self._busy[endless] = False
        self._origins[endless] = origin
        if origin is None:
            for source in file_sources(self._at_work.project, endless):
                self._ears.quiet(source.id)
        else:
            self._go_on(endless, time)

    def _go_on(self, endless: bool, time: float) -> None:
        origin = self._origins[endless]
        if origin is not None and not self._busy[endless]:
            self._schedule(endless, first_block(origin, time))

    def _schedule(self, endless: bool, number: int) -> None:
        origin, run = self._origins[endless], self._runs[endless]
        heard = [one for one in file_sources(self._at_work.project, endless) if one.file in self._sounds]
        self._busy[endless] = bool(heard) and origin is not None
        if self._busy[endless] and origin is not None:
            start = origin + number * BLOCK_SECONDS
            self._scheduler.at_time(
                start, lambda time: self._play(endless, number) if run == self._runs[endless] else None
            )

    def _play(self, endless: bool, number: int) -> None:
        origin = self._origins[endless]
        if origin is not None:
            sources = file_sources(self._at_work.project, endless)
            self._expect(self._ears.hear(blocks_of(sources, self._sounds, origin, number)))
            self._schedule(endless, number + 1)


def file_sources(project: Project, endless: bool) -> list[AudioSource]:
    """The audio sources that hear files and follow the transport, or (``endless``) play on when it stops."""
    return [
        source
        for strand, source in project.audio_sources()
        if source.file and strand.plays_on == endless and not source.bypass
    ]


def first_block(origin: float, time: float) -> int:
    """The first block that begins at or after a time."""
    return max(0, math.ceil((time - origin) / BLOCK_SECONDS - _NEAR))


def blocks_of(
    sources: Iterable[AudioSource], sounds: Mapping[str, AudioFile], origin: float, number: int
) -> dict[str, Block]:
    """What sources hear of their files in one block."""
    start = origin + number * BLOCK_SECONDS
    found = {}
    for source in sources:
        sound = sounds.get(source.file)
        if sound is not None:
            found[source.id] = Block(_part(sound, number, source.loop), sound.rate, start)
    return found


def _part(sound: AudioFile, number: int, loop: bool) -> NDArray[Any]:
    """The samples of a block; silence after the end of a sound that does not go round."""
    first = round(number * BLOCK_SECONDS * sound.rate)
    last = round((number + 1) * BLOCK_SECONDS * sound.rate)
    if loop and (first % len(sound.samples)) + last - first > len(sound.samples):
        return sound.samples[np.arange(first, last) % len(sound.samples)]
    if loop:
        first, last = first % len(sound.samples), first % len(sound.samples) + last - first
    part = sound.samples[first:last]
    return part if len(part) == last - first else np.pad(part, ((0, last - first - len(part)), (0, 0)))


Heard = Sequence[tuple[str, Event]]
