"""The end of an offline run: after so many seconds or bars, or once everything has been played."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping

import msgspec

from arpegon.core.document.model import ClipSource, Project
from arpegon.core.document.sections import starts, to_first_stop
from arpegon.core.errors import ArpegonError
from arpegon.core.time.own_tempo import OwnTempo
from arpegon.engine.simulation import Engine
from arpegon.files.midi import Clip


class Ending:
    """Says when a run ends, as things are; a change of tempo, meter or place moves the end.

    Args:
        seconds: the end in seconds, if that was asked for.
        bars: the end in bars, if that was asked for. With neither, a run ends when the sections, the input, each clip
            and each sound have ended once.
        longest: the most seconds that a run may last.
    """

    def __init__(
        self,
        engine: Engine,
        *,
        seconds: float | None,
        bars: float | None,
        clips: Mapping[str, Clip],
        rests: float,
        last_beat: float,
        longest: float,
    ) -> None:
        self._engine = engine
        self._seconds = seconds
        self._bars = bars
        self._clips = clips
        self._looked_at: Project | None = None
        """The document whose clips these are, as the end is asked for before every step of a run,"""
        self._played: list[tuple[ClipSource, Clip, OwnTempo | None]] = []
        """with their sources and the tempo that these have of their own."""
        self._rests = rests
        """The second at which the longest sound, and the input in seconds, has ended."""
        self._last_beat = last_beat
        """The beat on which the input in beats ends."""
        self._longest = longest
        self._stood: float | None = None
        """The end of the bars that were asked for, since the transport stands."""
        self._stopped: float | None = None
        """The second at which the last section ended."""

    @property
    def is_asked(self) -> bool:
        """True if the caller gave the length."""
        return self._seconds is not None or self._bars is not None

    def second(self) -> float:
        """Return the second at which the run ends.

        Raises:
            ArpegonError: it lasts longer than a run may.
        """
        if self._seconds is not None:
            end = self._seconds
        elif self._bars is not None:
            end = self._end_of_bars(self._bars)
        else:
            end = max([self._rests, self._engine.clock.time_passed(self._last_beat), self._piece(), *self._clip_ends()])
        if end > self._longest:
            raise ArpegonError(
                f"That would be {end / 3600:,.0f} hours of music; --seconds or --bars say how much of it is wanted."
            )
        return end

    def _end_of_bars(self, bars: float) -> float:
        """Return the second after so many bars; while the transport is stopped, bars pass at its tempo."""
        clock = self._engine.clock
        if clock.playing:
            return clock.time_of_line(bars)
        stopped = self._engine.now
        if self._stood is None:
            self._stood = stopped + clock.seconds((bars - clock.lines_at(stopped)) * clock.bar)
        return self._stood

    def _piece(self) -> float:
        """Return the second at which the sections have been played once."""
        project = self._engine.graph.project
        if not project.sections:
            return 0.0
        if any(section.then in ("again", "top") for section in project.sections):
            return self._end_of_bars(sum(section.bars for section in to_first_stop(project)))
        if self._stopped is None:
            end = self._engine.clock.time_at(starts(project)[-1])
            if end > self._engine.now and end < math.inf:
                return end
            self._stopped = min(end, self._engine.now)
        return self._stopped

    def _clip_ends(self) -> Iterator[float]:
        """Yield the second at which each clip has been played once, at the tempo of its source."""
        project, clock = self._engine.graph.project, self._engine.clock
        if project is not self._looked_at:
            self._looked_at, self._played = project, list(self._clips_of(project))
        for source, clip, own in self._played:
            if not source.follow_tempo:
                yield clip.tempo_map.second_at(clip.beats)
            elif own is None:
                yield clock.time_passed(clip.beats)
            elif own.way == "ratio":
                yield clock.time_passed(clip.beats * 100.0 / own.ratio)
            else:
                yield clip.beats * 60.0 / own.bpm

    def _clips_of(self, project: Project) -> Iterator[tuple[ClipSource, Clip, OwnTempo | None]]:
        sources = (source for strand in project.strands for source in strand.sources)
        for source in (source for source in sources if isinstance(source, ClipSource)):
            own_music = [Clip(source.music.events, source.music.beats)] if source.music is not None else []
            own = OwnTempo.of(msgspec.structs.asdict(source))
            for clip in (*own_music, *(self._clips[file] for file in source.files if file in self._clips)):
                yield source, clip, own
