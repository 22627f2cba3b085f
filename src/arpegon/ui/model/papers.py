"""The rolls of all strands, as they are printed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject

from arpegon.core.notes.taps import Batch
from arpegon.core.time import studio
from arpegon.ui.look.timers import ticking
from arpegon.ui.model.paper import Paper

if TYPE_CHECKING:
    from arpegon.ui.model.session import Session

_PRUNE_MS = 500


class Papers(QObject):
    """Lays what passed the taps on the strands that it belongs to, and forgets what has left the paper."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self._papers: dict[str, Paper] = {}
        self.first_revision = 0
        """The first revision of the document that is worked on: what others printed belongs to another one."""
        self._prune_timer = ticking(self, _PRUNE_MS)
        self._prune_timer.timeout.connect(self._prune)
        session.link.printed.connect(self._print)

    def start(self) -> None:
        """Begin to forget."""
        self._prune_timer.start()

    def stop(self) -> None:
        """Forget no more."""
        self._prune_timer.stop()

    def begin(self, revision: int) -> None:
        """Another document is worked on, from this revision on."""
        self._papers.clear()
        self.first_revision = revision

    def of(self, strand_id: str) -> Paper:
        """The rolls of a strand."""
        return self._papers.setdefault(strand_id, Paper())

    def keep_only(self, strand_ids: set[str]) -> None:
        """Forget all other strands."""
        for gone in self._papers.keys() - strand_ids:
            del self._papers[gone]

    def _print(self, batch: Batch) -> None:
        if batch.revision < self.first_revision:
            return
        for passage in batch.passages:
            if self._session.project.strand(passage.strand) is not None:
                self.of(passage.strand).add(passage)

    def _prune(self) -> None:
        now = studio.now()
        for paper in self._papers.values():
            paper.prune(now)
