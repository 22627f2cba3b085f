"""A strand as a small figure: its sources, its stages in their order, where it ends."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QSizePolicy

from arpegon.ui.controls.elided import draw_fitted
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPicture

_COLUMN, _ROW, _GAP = 168, 30, 12


class ChainFigure(PaintedPicture):
    """Draws chains side by side, each from the top down."""

    def __init__(self) -> None:
        super().__init__()
        self._chains: Sequence[tuple[Sequence[str], Sequence[str], Sequence[str]]] = ()
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    def show_chains(self, chains: Sequence[tuple[Sequence[str], Sequence[str], Sequence[str]]]) -> None:
        """Show chains, each by the names of its sources, stages and destinations."""
        self._chains = chains
        words = "; ".join(", then ".join((" and ".join(a), *b, " and ".join(c))) for a, b, c in chains)
        self.setAccessibleName(f"Chain: {words}")
        self.setFixedSize(self.sizeHint())
        self.update()

    def sizeHint(self) -> QSize:
        rows = max((sum(map(len, chain)) for chain in self._chains), default=1)
        return QSize(max(1, len(self._chains)) * (_COLUMN + 18), rows * (_ROW + _GAP) + 4)

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        for number, (sources, stages, ends) in enumerate(self._chains):
            ink = theme.color(t.drawn(theme.ink(number)))
            left, y = 2.0 + number * (_COLUMN + 18), 2.0
            rows = [("source", one) for one in sources] + [("stage", one) for one in stages]
            rows += [("end", one) for one in ends]
            middle = left + _COLUMN / 2.0
            painter.setPen(ink)
            painter.drawLine(QPointF(middle, y + _ROW / 2), QPointF(middle, y + (len(rows) - 1) * (_ROW + _GAP)))
            for kind, words in rows:
                box = QRectF(left, y, _COLUMN, _ROW)
                painter.setFont(theme.label_font(13, 600))
                if kind == "source":
                    painter.setPen(theme.color(t.line))
                    painter.setBrush(theme.color(t.field))
                    painter.drawRoundedRect(box, _ROW / 2, _ROW / 2)
                    painter.setBrush(ink)
                    painter.setPen(Qt.PenStyle.NoPen)
                    painter.drawEllipse(QPointF(left + 15, y + _ROW / 2), 4, 4)
                elif kind == "stage":
                    painter.setPen(Qt.PenStyle.NoPen)
                    painter.setBrush(theme.color(t.bar))
                    painter.drawRoundedRect(box, 4, 4)
                else:
                    painter.setPen(theme.color(t.line))
                    painter.setBrush(theme.color(t.paper))
                    painter.drawRoundedRect(box, 4, 4)
                painter.setPen(theme.color(t.bar_text if kind == "stage" else t.ink))
                inside = box.adjusted(26 if kind == "source" else 10, 0, -8, 0)
                draw_fitted(painter, inside, words)
                y += _ROW + _GAP
