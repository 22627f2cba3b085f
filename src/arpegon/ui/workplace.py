"""Where strands are worked on: the board and the bench side by side."""

from __future__ import annotations

from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from arpegon.ui.bench.bench import Bench
from arpegon.ui.board.board import Board
from arpegon.ui.frame.frames import View
from arpegon.ui.model.session import Session
from arpegon.ui.sections.section_strip import SectionStrip


class Workplace(QWidget):
    """Board and bench side by side, with the strip of sections above the board."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._left = QWidget(self)
        self.strip = SectionStrip(session, self._left)
        self.board = Board(session, self._left)
        self.bench = Bench(session, self)
        self._parts: tuple[View, ...] = (self.board, self.bench)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(1)
        left = QVBoxLayout(self._left)
        left.setContentsMargins(0, 0, 0, 0)
        left.setSpacing(0)
        left.addWidget(self.strip)
        left.addWidget(self.board, 1)
        row.addWidget(self._left, 1)
        row.addWidget(self.bench)
        self.bench.widened.connect(self._share)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._share()

    def _share(self) -> None:
        """A wide bench on a small screen has all of it."""
        self._left.setVisible(not self.bench.has_all)

    def tick(self, now: float) -> None:
        """One frame."""
        for part in self._parts:
            part.tick(now)
