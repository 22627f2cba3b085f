"""A take that is played: past the stages or through them, a span of it round and round, with somebody tapping along."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject

from arpegon.core.document.model import Project
from arpegon.core.document.resting import playing_by_itself
from arpegon.core.notes.takes import Take
from arpegon.ui.model.session import Session
from arpegon.ui.model.words import source_words
from arpegon.ui.take.record_over import RecordOver, span_of
from arpegon.ui.take.span import Span
from arpegon.ui.take.take_start import TakeStart
from arpegon.ui.take.version import events_of

_ROUNDING_SECONDS = 1e-6
"""What is over at a time was worked on until then."""


class TakePlaying(QObject):
    """Plays the take that is shown, and knows where it is.

    Args:
        shown: gives the take that is shown.
        span: where the line stands that plays is kept.
    """

    def __init__(self, session: Session, shown: Callable[[], Take | None], span: Span) -> None:
        super().__init__(session)
        self.session = session
        self.span = span
        self._shown = shown
        self.keys_out = False
        """Whether live keys are kept out while it plays."""
        self.meanwhile = ""
        """What is said of its strands while it plays."""
        self._version = "generated"
        """Which version plays,"""
        self._lap_end: float | None = None
        """and the beat at which it is to begin again; ``None``: it plays to its end."""
        self._line: float | None = None
        """The beat that played when this was looked at last."""
        self._start = TakeStart(session)
        self.over = RecordOver(session, self._start)
        self.over.begun.connect(lambda start, end: self._play("generated", start, end))

    @property
    def on(self) -> bool:
        """Whether it plays, or is recorded over."""
        return self._told is not None or self._lap_end is not None or self.over.on

    @property
    def _told(self) -> float | None:
        return self.session.telemetry.take_began

    def toggle(self) -> None:
        """Play from the start, or stop."""
        if self.on:
            self.stop()
        else:
            self.play_from(0.0)

    def play_from(self, start: float) -> None:
        """Play what was generated, of all strands, from a beat on, round and round where a span is set for that."""
        self._begin("generated", start)

    def play_through(self) -> None:
        """Play what was played through the stages of its strands, from the line on, round and round as well."""
        self.stop()
        self._begin("played", self.span.cursor)

    def _begin(self, version: str, start: float) -> None:
        loop = self.span.loop
        self._play(version, start, loop[1] if loop is not None and start < loop[1] else None)

    def _play(self, version: str, start: float, end: float | None) -> None:
        self._lap_end = None
        take = self._shown()
        if take is None:
            return
        if not self.over.on:  # else it begins again by itself
            self._version, self._lap_end = version, end
        self._start.ask()
        parts = {part.strand: take.in_seconds(events_of(part, version)) for part in take.parts}
        first = max(0.0, take.course.second_at(start))
        last = None if end is None else take.course.second_at(end)
        self.session.link.play_take(parts, first, last, version == "played", self.keys_out)
        self.meanwhile = while_it_plays(self.session.project, take, self.keys_out)

    def record_over(self, replaces: bool) -> None:
        """Record over the take, or the span that is set, round by round, until it is stopped."""
        take = self._shown()
        if take is not None:
            self.over.start(take.id, span_of(take, self.span.loop), replaces)

    def stop(self) -> None:
        """Stop playing, and recording over."""
        self.over.stop()
        if self._told is not None or self._lap_end is not None:
            self.session.link.stop_take()
        self._lap_end = None
        self._start.ask()

    def second(self, now: float) -> float | None:
        """Seconds into the take; ``None`` while it does not play."""
        return None if self._told is None else now - self._told

    def heard_second(self, now: float) -> float | None:
        """Which second of the take is heard now: what plays sounds later by the latency of the audio device."""
        second, health = self.second(now), self.session.telemetry.health
        return None if second is None else max(0.0, second - health.audio_latency - health.lead)

    def tick(self, now: float) -> float | None:
        """One frame: begin again what goes round and round. The beat that plays; ``None``: none does."""
        seconds = self.second(now)
        position = None if seconds is None else self.span.course.beat_at(seconds)
        self.over.tick(now)
        if not self.over.on and self._start.at is not None:
            self._go_round(self._start.at, position)
        if position is not None or not self.on:  # between two rounds the line stays
            self._line = position
        return self._line

    def _go_round(self, began: float, position: float | None) -> None:
        """Begin again where the span is over that plays round and round."""
        loop, lap_end, over = self.span.loop, self._lap_end, self._start.over
        if over is None:
            if position is not None and loop is not None and position >= loop[1]:  # it was set or moved meanwhile
                self._begin(self._version, loop[0])
        elif lap_end is not None:
            if over < began + self.span.course.second_at(lap_end) - _ROUNDING_SECONDS:  # stopped, as by All off
                self._lap_end = None
            elif loop is None or loop[0] <= lap_end < loop[1]:  # no such span any more, or a longer one: it goes on
                self._begin(self._version, lap_end)
            else:
                self._begin(self._version, loop[0])


def while_it_plays(project: Project, take: Take, keys_out: bool) -> str:
    """What rests while a take plays, in words; empty: nothing does."""
    names = []
    for strand in filter(None, (project.strand(part.strand) for part in take.parts)):
        names += [source_words(project, source)[0] for source in playing_by_itself(strand)]
    words = []
    if names:
        some = ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")
        words.append(f"{some} {'rests' if len(names) == 1 else 'rest'} meanwhile")
    if keys_out:
        words.append("live keys are kept out")
    return " · ".join(words)
