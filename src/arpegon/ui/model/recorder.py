"""Takes: what is kept or recorded of what was played."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from arpegon.core.document import edits, take_edits
from arpegon.core.notes.course import second_of
from arpegon.core.notes.memory import TAKE_PLACES, Remembered
from arpegon.core.notes.takes import Take, cut_take
from arpegon.core.time import studio
from arpegon.core.time.clock import bar_beats
from arpegon.ui.model.beside import beside

if TYPE_CHECKING:
    from arpegon.ui.model.session import Session

_HELD_FOR = "recording"
_ROUNDING_SECONDS = 0.001
"""What is struck on the beat is not before it."""


class Recorder(QObject):
    """Makes takes of the memory, which the link to the engine keeps. A recording may last as long as it likes.

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
        session.leaving.connect(self.finish)

    def forget(self) -> None:
        """Another document is worked on."""
        self.since = None

    def history(self, since: float = 0.0, notes_since: float = 0.0) -> Remembered:
        """What takes are made of, decoded; what is older than ``since`` (studio time) may be left out, and notes that
        are older than ``notes_since`` are."""
        return self.session.link.keeper.history(since, TAKE_PLACES, notes_since)

    def keep(self, seconds: float | None = None, *, at: float | None = None) -> bool:
        """Make a take of what was played last (or of the last ``seconds``); False where there is nothing.

        Args:
            at: until when, in studio time, where all that passed until then is remembered; left out: until now.
        """
        end = self._end(at)
        if seconds is None:
            return self._make_take("Kept", Remembered.phrase_start, 0.0, end)
        return self._make_take("Kept", lambda _: end - seconds, end - seconds, end)

    def record(self, *, at: float | None = None) -> None:
        """Start recording, or stop and make a take.

        Args:
            at: when that was asked for, as for :meth:`keep`.
        """
        if self.since is None:
            self._begin(at)
        else:
            self.finish(at=at)

    def _begin(self, at: float | None) -> None:
        session = self.session
        session.link.deliver()  # whether it plays is what was said until now
        self.since, self._from = studio.now() if at is None else at, None
        if not session.telemetry.playing and session.project.strands:
            # Where a server stood still just now, its time is behind ours until it is told of.
            self.since = min(self.since, session.telemetry.worked_until)
            self._from = session.telemetry.beat
            session.link.play(self._from - session.project.count_in * bar_beats(session.project.meter))
        session.link.keeper.hold(_HELD_FOR, self.since)
        session.file_changed.emit()

    def finish(self, *, at: float | None = None) -> None:
        """Stop recording, if that goes on, and make a take; ``at``: as for :meth:`keep`."""
        since, beat = self.since, self._from
        if since is None:
            return
        self.since = None

        def start(history: Remembered) -> float:
            begun = None if beat is None else second_of(history.times, beat, since)
            return since if begun is None else begun - _ROUNDING_SECONDS

        made = self._make_take("Recorded", start, since - _ROUNDING_SECONDS, self._end(at))
        if self.since is None:  # another may have begun meanwhile
            self.session.link.keeper.hold(_HELD_FOR, None)
        if not made:
            self.session.notice("take", "Nothing was played while recording, so no take was made.")
        self.session.file_changed.emit()

    def _end(self, at: float | None) -> float:
        """Until when a take is made that was asked for at a time, or now."""
        self.session.hooking.fold()  # the take says which stages there were, as they were turned
        return self.session.link.remembered_until() if at is None else at

    def _make_take(self, how: str, start: Callable[[Remembered], float | None], earliest: float, end: float) -> bool:
        """Make a take of what was played; whether there is any.

        Args:
            how: the act, in words.
            start: finds in what is remembered where the take begins,
            earliest: not before this.
            end: where it ends.
        """

        def cut() -> Take | None:
            history = self.history(notes_since=earliest)
            begin = start(history)
            return cut_take(history, begin, end, id="", name="") if begin is not None else None

        take = beside(cut)
        if take is None:
            return False
        project = self.session.project
        take_id = edits.fresh_id("take", (take.id for take in project.takes))
        name = edits.next_name("Take", (take.name for take in project.takes))
        take = take_edits.with_stages(msgspec.structs.replace(take, id=take_id, name=name), project)
        self.session.edit(f"{how} {name}", take_edits.add_take(project, take))
        self.kept.emit(take_id)
        return True
