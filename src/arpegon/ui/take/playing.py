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
from arpegon.ui.take.version import events_of

_AGAIN_SECONDS = 0.3
"""How long word takes, at most, of a take that begins again."""


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
        self._again_at = 0.0
        """When it was last begun again."""
        self.over = RecordOver(session)
        self.over.begun.connect(lambda start, end: self._play("generated", start, end))

    @property
    def on(self) -> bool:
        """Whether it plays, or is recorded over."""
        return self.session.telemetry.take_began is not None or self.over.on

    def toggle(self) -> None:
        """Play from the start, or stop."""
        if self.on:
            self.stop()
        else:
            self.play_from(0.0)

    def play_from(self, start: float) -> None:
        """Play what was generated, of all strands, from a beat on."""
        self._play("generated", start)

    def play_through(self) -> None:
        """Play what was played through the stages of its strands, from the line on."""
        self.stop()
        self._play("played", self.span.cursor)

    def _play(self, version: str, start: float, end: float | None = None) -> None:
        take = self._shown()
        if take is None:
            return
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
        if self.session.telemetry.take_began is not None:
            self.session.link.stop_take()

    def second(self, now: float) -> float | None:
        """Seconds into the take; ``None`` while it does not play."""
        began = self.session.telemetry.take_began
        return None if began is None else now - began

    def heard_second(self, now: float) -> float | None:
        """Which second of the take is heard now: what plays sounds later by the latency of the audio device."""
        second, health = self.second(now), self.session.telemetry.health
        return None if second is None else max(0.0, second - health.audio_latency - health.lead)

    def tick(self, now: float) -> float | None:
        """One frame: begin again what goes round and round. The beat that plays; ``None``: none does."""
        seconds = self.second(now)
        position = None if seconds is None else self.span.course.beat_at(seconds)
        self.over.tick(now)
        loop = None if self.over.on else self.span.loop
        if position is not None and loop is not None and position >= loop[1] and now - self._again_at > _AGAIN_SECONDS:
            self._again_at = now
            self.play_from(loop[0])
        return position


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
