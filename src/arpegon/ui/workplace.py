"""Where strands are worked on: the board and the bench side by side."""

from __future__ import annotations

from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from arpegon.ui.bench.bench import Bench
from arpegon.ui.board.board import Board
from arpegon.ui.frame.frames import View
from arpegon.ui.sections.section_strip import SectionStrip


class Workplace(QWidget):
    """Board and bench side by side, with the strip of sections above the board."""

    def __init__(self, strip: SectionStrip, board: Board, bench: Bench) -> None:
        super().__init__()
        self._parts: tuple[View, ...] = (board, bench)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(1)
        self._left = QWidget()
        left = QVBoxLayout(self._left)
        left.setContentsMargins(0, 0, 0, 0)
        left.setSpacing(0)
        left.addWidget(strip)
        left.addWidget(board, 1)
        row.addWidget(self._left, 1)
        row.addWidget(bench)
        self._bench = bench
        bench.widened.connect(self._share)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._share()

    def _share(self) -> None:
        """A wide bench on a small screen has all of it."""
        self._left.setVisible(not self._bench.has_all)

    def tick(self, now: float) -> None:
        """One frame."""
        for part in self._parts:
            part.tick(now)
