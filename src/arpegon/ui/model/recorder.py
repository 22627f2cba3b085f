"""Takes: the memory of what was played last, and what is kept or recorded of it."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from arpegon.core.document import edits
from arpegon.core.notes.takes import Memory, cut_take
from arpegon.core.time.clock import bar_beats
from arpegon.engine.wire.protocol import Play, Printed, Telemetry

if TYPE_CHECKING:
    from arpegon.ui.model.session import Session


class Recorder(QObject):
    """Remembers the last minutes of all strands, and makes takes of them.

    Signals:
        kept: a take was made (its id).
    """

    kept = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.memory = Memory()
        self.since: float | None = None
        """When the recording began that runs, in monotonic seconds."""

    def forget(self) -> None:
        """Another document is worked on."""
        self.memory = Memory()
        self.since = None

    def take_in(self, printed: Printed, last: int) -> None:
        """Remember what was printed on a roll of a strand, where it is its first or its ``last``."""
        ends = printed.roll == last
        if printed.roll == 0 or ends:
            self.memory.add(printed.strand, printed.events if printed.roll == 0 else (), printed.events if ends else ())

    def doubt(self, told: Telemetry) -> None:
        """Remember which notes of audio sources may be false."""
        for strand, source in self.session.project.audio_sources():
            for mark in told.marks.get(source.id, ()):
                if mark.doubt and mark.end:
                    self.memory.doubt(strand.id, mark.time, mark.note)

    def keep(self, seconds: float | None = None) -> bool:
        """Make a take of what was played last (or of the last ``seconds``); False where there is nothing."""
        end = time.monotonic()
        start = end - seconds if seconds is not None else self.memory.phrase_start()
        return start is not None and self._make_take("Kept", start, end)

    def record(self) -> None:
        """Start recording, or stop and make a take."""
        session = self.session
        if self.since is None:
            self.since = time.monotonic()
            if not session.telemetry.playing and session.project.strands:
                counted = session.project.count_in * bar_beats(session.project.meter)
                self.since += counted * 60.0 / session.project.tempo
                session.client.send(Play(session.telemetry.beat - counted))
        else:
            start, self.since = self.since, None
            if not self._make_take("Recorded", start, time.monotonic()):
                session.notice("take", "Nothing was played while recording, so no take was made.")
        session.file_changed.emit()

    def _make_take(self, how: str, start: float, end: float) -> bool:
        project = self.session.project
        take = cut_take(
            self.memory,
            [(strand.id, strand.name) for strand in project.strands],
            start,
            end,
            id=edits.fresh_id("take", (take.id for take in project.takes)),
            name=edits.next_name("Take", (take.name for take in project.takes)),
            tempo=project.tempo,
            meter=project.meter,
        )
        if take is None:
            return False
        self.session.edit(f"{how} {take.name}", edits.add_take(project, take))
        self.kept.emit(take.id)
        return True
