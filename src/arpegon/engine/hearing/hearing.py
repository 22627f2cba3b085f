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
_AHEAD = 48
"""How many blocks of files are heard at once where nothing can be turned meanwhile."""


_APART = frozenset({"mute", "muted", "solo", "level_db", "offset_ms"})
"""What of a strand has nothing to do with how its audio sources hear."""


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
        self._turned = False
        """Whether a hookup or section may turn what is listened with."""

    def configure(self, project: Project, sounds: Mapping[str, AudioFile], time: float) -> None:
        self._sounds = sounds
        self._turned = may_be_turned(project)
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
            count = 1 if self._turned else _AHEAD
            self._expect(self._ears.hear(blocks_of(sources, self._sounds, origin, number, count)))
            self._schedule(endless, number + count)


def file_sources(project: Project, endless: bool) -> list[AudioSource]:
    """The audio sources that hear files and follow the transport, or (``endless``) play on when it stops."""
    return [
        source
        for strand, source in project.audio_sources()
        if source.file and strand.plays_on == endless and not source.bypass
    ]


def may_be_turned(project: Project) -> bool:
    """Whether a hookup or a section of a project turns anything of its audio sources while it plays."""
    ears = {part for strand, source in project.audio_sources() for part in (source.id, strand.id)}
    turned = {(one.target, one.param or one.action) for one in project.hookups}
    turned |= {(held.target, held.param) for section in project.sections for held in section.holds}
    return any(target in ears and what not in _APART for target, what in turned)


def first_block(origin: float, time: float) -> int:
    """The first block that begins at or after a time."""
    return max(0, math.ceil((time - origin) / BLOCK_SECONDS - _NEAR))


def blocks_of(
    sources: Iterable[AudioSource], sounds: Mapping[str, AudioFile], origin: float, number: int, count: int = 1
) -> dict[str, Block]:
    """What sources hear of their files in a block, and in those that follow until there are ``count``."""
    found = {}
    for source in sources:
        sound = sounds.get(source.file)
        if sound is not None:
            cuts = [round((number + place) * BLOCK_SECONDS * sound.rate) for place in range(count + 1)]
            samples = _part(sound, cuts[0], cuts[-1], source.loop)
            ends = [cut - cuts[0] for cut in cuts[1:]]
            found[source.id] = Block(samples, sound.rate, origin + cuts[0] / sound.rate, ends)
    return found


def _part(sound: AudioFile, first: int, last: int, loop: bool) -> NDArray[Any]:
    """Samples of a sound; silence after the end of one that does not go round."""
    samples, count = sound.samples, last - first
    if loop:
        first %= len(samples)
    part = samples[first : first + count]
    if len(part) == count:
        return part
    if loop:
        rounds, rest = divmod(count - len(part), len(samples))
        return np.concatenate([part, *[samples] * rounds, samples[:rest]])
    return np.pad(part, ((0, count - len(part)), (0, 0)))


Heard = Sequence[tuple[str, Event]]
