"""Why strands are silent: the path check of the running program, and its remedies."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from arpegon.core.document.mending import PLAY, mend_label, mended
from arpegon.core.document.path_check import Break, check_paths
from arpegon.core.time import studio
from arpegon.engine.wire.protocol import Telemetry
from arpegon.processors.facts import stage_facts
from arpegon.sound import DEFAULT_SOUND
from arpegon.ui.look.timers import ticking
from arpegon.ui.model.surroundings import surroundings

if TYPE_CHECKING:
    from arpegon.ui.model.session import Session

_CHECK_MS = 500


class PathWatch(QObject):
    """Looks at all paths every now and then, and whenever something changed.

    Signals:
        broken: other strands are silent than before, or for other reasons.
    """

    broken = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.breaks: dict[str, Break] = {}
        """Why strands are silent, by strand, as last found."""
        self._timer = ticking(self, _CHECK_MS)
        self._timer.timeout.connect(self.check)
        self._turns: tuple[object, ...] = ()
        """What is looked at once where it is another one."""
        for cause in (session.changed, session.noticed, session.ports_changed):
            cause.connect(self.check)
        session.reported.connect(self._reported)

    def start(self) -> None:
        """Begin to look."""
        self._timer.start()

    def stop(self) -> None:
        """Look no more."""
        self._timer.stop()

    def _reported(self, told: Telemetry) -> None:
        turns = (told.playing, told.clock, told.health.audio, told.health.audio_known, told.health.audio_rests)
        if turns != self._turns:
            self._turns = turns
            self.check()

    def check(self) -> None:
        """Find out why strands are silent."""
        found = check_paths(self.session.project, stage_facts, surroundings(self.session, studio.now()))
        breaks = {one.strand: one for one in found}
        if breaks != self.breaks:
            self.breaks = breaks
            self.broken.emit()

    def mend(self, found: Break) -> None:
        """Do what the path check offers."""
        if found.mend == PLAY:
            self.session.link.play()
        else:
            self.session.edit(f"Mend: {mend_label(found)}", mended(self.session.project, found, DEFAULT_SOUND))

    def go_to(self, found: Break) -> None:
        """Put on the bench where a path breaks."""
        part = "strand" if found.part == "audio" else found.part
        self.session.select_part(found.strand, part, found.stage, found.place)
