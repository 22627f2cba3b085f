"""Takes: what is kept or recorded of what was played."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from arpegon.core.document import edits, take_edits
from arpegon.core.notes.course import second_of
from arpegon.core.notes.memory import TAKE_PLACES, Remembered
from arpegon.core.notes.takes import Take, cut_take
from arpegon.core.time import studio
from arpegon.core.time.clock import bar_beats

if TYPE_CHECKING:
    from arpegon.ui.model.session import Session

_ROUNDING_SECONDS = 0.001
"""What is struck on the beat is not before it."""


class Recorder(QObject):
    """Makes takes of the memory, which the link to the engine keeps.

    Signals:
        kept: a take was made (its id).
    """

    kept = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.since: float | None = None
        """When the recording began that runs, in studio time, or a little before."""
        self._from: float | None = None
        """The beat with which it begins, where it started the transport."""

    def forget(self) -> None:
        """Another document is worked on."""
        self.since = None

    def history(self, since: float = 0.0) -> Remembered:
        """What takes are made of, decoded; what is older than ``since`` (studio time) may be left out."""
        return self.session.link.keeper.history(since, TAKE_PLACES)

    def keep(self, seconds: float | None = None) -> bool:
        """Make a take of what was played last (or of the last ``seconds``); False where there is nothing."""
        end = studio.now()
        history = self.history(0.0 if seconds is None else end - seconds)
        start = end - seconds if seconds is not None else history.phrase_start()
        return start is not None and self._make_take("Kept", history, start, end)

    def record(self) -> None:
        """Start recording, or stop and make a take."""
        session = self.session
        if self.since is None:
            session.link.deliver()  # whether it plays is what was said until now
            self.since, self._from = studio.now(), None
            if not session.telemetry.playing and session.project.strands:
                # Where a server stood still just now, its time is behind ours until it is told of.
                self.since = min(self.since, session.telemetry.worked_until)
                self._from = session.telemetry.beat
                session.link.play(self._from - session.project.count_in * bar_beats(session.project.meter))
        else:
            since, self.since = self.since, None
            history = self.history(since)
            begun = None if self._from is None else second_of(history.times, self._from, since)
            start = since if begun is None else begun - _ROUNDING_SECONDS
            if not self._make_take("Recorded", history, start, studio.now()):
                session.notice("take", "Nothing was played while recording, so no take was made.")
        session.file_changed.emit()

    def _make_take(self, how: str, history: Remembered, start: float, end: float) -> bool:
        take = self.take_of(history, start, end)
        if take is None:
            return False
        self.session.edit(f"{how} {take.name}", take_edits.add_take(self.session.project, take))
        self.kept.emit(take.id)
        return True

    def take_of(self, history: Remembered, start: float, end: float) -> Take | None:
        """A take of what was remembered between two times, with a name of its own; ``None`` where that is nothing."""
        self.session.hooking.fold()  # it says which stages there were, as they were turned
        takes = self.session.project.takes
        take_id = edits.fresh_id("take", (take.id for take in takes))
        name = edits.next_name("Take", (take.name for take in takes))
        take = cut_take(history, start, end, id=take_id, name=name)
        return take_edits.with_stages(take, self.session.project) if take is not None else None
