"""Recording over a take: it plays round and round; what is played meanwhile becomes a part of it, round by round."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QObject, pyqtSignal

from arpegon.core.document import take_edits
from arpegon.core.events import Event
from arpegon.core.notes.takes import Take, TakePart, round_of
from arpegon.core.time import studio
from arpegon.ui.model.session import Session
from arpegon.ui.take.take_start import TakeStart

_HELD_FOR = "round"
_PATIENCE = 1.0
"""How long word may take of what was played in a round: from an engine that is gone none comes."""


class RecordOver(QObject):
    """A take that is recorded over. Each round in which something was played is one edit, and can be dropped by itself.

    Args:
        take_start: knows when the take began that plays.

    Signals:
        begun: a round begins (the beats from and to which the take is to be played).
    """

    begun = pyqtSignal(float, float)

    def __init__(self, session: Session, take_start: TakeStart) -> None:
        super().__init__(session)
        self.session = session
        self.take_id = ""
        self.replaces = False
        self.span = (0.0, 0.0)
        self._take_start = take_start
        self._asked = 0.0
        """When the round that goes on was asked for, in studio time."""
        session.leaving.connect(self.stop)

    @property
    def on(self) -> bool:
        """Whether a take is recorded over."""
        return bool(self.take_id)

    def start(self, take_id: str, span: tuple[float, float], replaces: bool) -> None:
        """Play a span of a take round and round, and record over it.

        Args:
            replaces: what is played takes the place of what was there; else it is added.
        """
        self.take_id, self.span, self.replaces = take_id, span, replaces
        self._begin()

    def stop(self) -> None:
        """End it; what was played of the round that goes on is kept."""
        take_id, self.take_id = self.take_id, ""  # no frame ends the round meanwhile
        if take_id:
            self._end_round(take_id, self.session.link.remembered_until())
        if not self.on:
            self.session.link.keeper.hold(_HELD_FOR, None)

    def tick(self, now: float) -> None:
        """One frame: end a round that is over, and begin the next."""
        take = self.session.project.take(self.take_id) if self.on else None
        if take is None:
            if self.on:
                self.stop()
            return
        start, end = map(take.course.second_at, self.span)
        over = self._began(take) + end - start
        begun = self._take_start.at is not None
        if (begun and self.session.telemetry.worked_until >= over) or now >= over + _PATIENCE:
            self._end_round(take.id, over)
            self._begin()

    def _begin(self) -> None:
        self._asked = studio.now()
        self.session.link.keeper.hold(_HELD_FOR, self._asked)
        self.begun.emit(*self.span)

    def _began(self, take: Take) -> float:
        """When the round began that goes on: when it was asked for, until the engine tells."""
        began = self._take_start.at
        return self._asked if began is None else began + take.course.second_at(self.span[0])

    def _end_round(self, take_id: str, end: float) -> None:
        """Put what was played since the round began into the take."""
        project = self.session.project
        take = project.take(take_id)
        if take is None:
            return
        began = self._began(take)
        history = self.session.recorder.history(began)
        added = []
        for part in take.parts:
            heard = history.played(part.strand), history.generated(part.strand)
            played, generated = (self._laid(take, round_of(events, began, end)) for events in heard)
            added.append(TakePart(strand=part.strand, name=part.name, played=played, generated=generated))
        made = take_edits.record_round(project, take.id, added, self.span if self.replaces else None)
        if made is not project:
            number = made.take(take.id).rounds[-1].number  # type: ignore[union-attr]
            self.session.edit(f"Round {number} over {take.name}", made)

    def _laid(self, take: Take, events: Iterable[Event]) -> tuple[Event, ...]:
        """What was played in a round, on the beats of the take."""
        begin = take.course.second_at(self.span[0])
        return tuple(event.at(take.course.beat_at(begin + event.time)) for event in events)


def span_of(take: Take, loop: tuple[float, float] | None) -> tuple[float, float]:
    """What is recorded over: a span that was set, or all of a take up to its last bar line."""
    if loop is not None:
        return loop
    _, start, length = take.course.bar_at(max(0.0, take.beats - 1e-6))
    return 0.0, start + length
