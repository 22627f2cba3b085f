"""The feeds of audio sources: what is heard arrives when it is due, unless its source is hushed before."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.core.document.model import Project
from arpegon.core.events import Event
from arpegon.engine.clocks.roles import AtWork, Entrance, Scheduler
from arpegon.engine.clocks.timeline import Timeline
from arpegon.engine.hearing.hearing import Heard, Hearing, LocalHearing, file_sources
from arpegon.files.audio import AudioFile


class AudioFeeds:
    """The audio sources of an engine.

    Args:
        hearing: who listens to them (left out: the engine itself).
    """

    def __init__(
        self, scheduler: Scheduler, entrance: Entrance, at_work: AtWork, endless: Timeline, hearing: Hearing | None
    ) -> None:
        self._scheduler = scheduler
        self._entrance = entrance
        self._at_work = at_work
        self._endless = endless
        self._hearing: Hearing = hearing or LocalHearing(scheduler, at_work, self.expect)
        self._sounds: Mapping[str, AudioFile] = {}
        self._heard_as: dict[str, tuple[object, ...]] = {}
        """What each source listens to, by its feed: with another input what it played ends."""
        self._hushes: dict[str, int] = {}
        self.plays_through = False
        """True if files stand in for a live input, which jumps and stops of the transport do not move."""

    def __contains__(self, source_id: object) -> bool:
        """Whether an id is that of an audio source."""
        return f"audio:{source_id}" in self._heard_as

    def configure(self, project: Project, time: float, sounds: Mapping[str, AudioFile] | None = None) -> None:
        """Take over a document, and the sounds that it names where they are others."""
        self._sounds = self._sounds if sounds is None else sounds
        now: dict[str, tuple[object, ...]] = {
            f"audio:{one.id}": (one.listen, one.device, one.file, one.inputs, one.bypass)
            for _, one in project.audio_sources()
        }
        before, self._heard_as = self._heard_as, now
        for feed, heard in before.items():
            if now.get(feed) != heard:
                self._hush(feed, time)
        self._hearing.configure(project, self._sounds, time)

    def set_params(self, source_id: str, values: Mapping[str, Any]) -> None:
        """The short cut for a knob that is dragged."""
        self._hearing.set_params(source_id, values)

    def expect(self, events: Heard) -> None:
        """Let what was heard arrive at its time, which may lie ahead, unless its feed is hushed before."""
        for name, event in events:
            hushes = self._hushes.get(name, 0)

            def arrive(now: float, name: str = name, event: Event = event, hushes: int = hushes) -> None:
                if hushes == self._hushes.get(name, 0):
                    self._entrance.feed(name, event.at(now))

            self._scheduler.at_time(max(event.time, self._scheduler.now), arrive)

    def roll(self, line: Timeline, time: float) -> None:
        """Audio files begin where a timeline is; while bars are counted, they wait."""
        if self.plays_through:
            return
        beat = line.clock.beat_at(time)
        origin = time - beat * 60.0 / line.clock.tempo
        self._hearing.roll(line is self._endless, origin, max(time, origin))

    def stop(self, line: Timeline, time: float) -> None:
        """Audio files stop with a timeline."""
        if self.plays_through:
            return
        endless = line is self._endless
        self._hearing.roll(endless, None, time)
        for source in file_sources(self._at_work.project, endless):
            self._hush(f"audio:{source.id}", time)

    def hush(self, time: float) -> None:
        """Whoever listens is gone: end what all audio sources play."""
        for feed in self._heard_as:
            self._hush(feed, time)

    def _hush(self, feed: str, time: float) -> None:
        """The audio of a feed stopped: end what it plays, and let nothing come that is still expected."""
        self._hushes[feed] = self._hushes.get(feed, 0) + 1
        self._entrance.lost(feed, time)
