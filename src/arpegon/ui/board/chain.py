"""The chain of a strand on the board: its rolls, and the stages between them."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPoint, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QMoveEvent, QPainter, QPaintEvent, QRegion, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from arpegon.ui.board.printing import BeatRuler, Printing
from arpegon.ui.board.stage_bar import StageBar
from arpegon.ui.board.trail import TrailMark
from arpegon.ui.look import theme
from arpegon.ui.look.painted import Opaque, painting
from arpegon.ui.model.paper import Paper

_BESIDE = 6
_MARK = 26


class Roll(QLabel):
    """Where a roll lies; it is drawn by its chain, with the others.

    Signals:
        asked: its menu is wanted (its number, the global position).
        laid: it lies elsewhere.
    """

    asked = pyqtSignal(int, QPoint)
    laid = pyqtSignal()

    def __init__(self, number: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.number = number
        """Which roll of the strand it is, from 0 on: a stage that is added here comes before so many others."""
        self.mark: TrailMark | None = None
        """What is written on it of the last note."""
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(26)
        self.setUpdatesEnabled(False)

    def sizeHint(self) -> QSize:
        return QSize(190, 70)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            self.asked.emit(self.number, event.globalPos())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.laid.emit()

    def moveEvent(self, event: QMoveEvent | None) -> None:
        super().moveEvent(event)
        self.laid.emit()


class Chain(Opaque, QWidget):
    """Rolls and the stages between them; all rolls are printed and drawn together.

    Args:
        places: of the rolls; one more than there are stages.
    """

    def __init__(
        self,
        paper: Paper,
        places: Sequence[str],
        bars: Sequence[StageBar],
        ruler: BeatRuler,
        ink: int,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.printing = Printing(paper, places, ruler, ink)
        self._was_moving = True
        self._places_hold = False
        """Whether the next two still hold."""
        self._lie: list[tuple[QRect, int, int, int, int]] = []
        """Where each roll lies: as a rectangle, and as its left, top, width and height."""
        self._beside = QRegion()
        """What of it is no roll."""
        self.rolls = [Roll(number, self) for number in range(len(places))]
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        for number, roll in enumerate(self.rolls):
            inset = QHBoxLayout()
            inset.setContentsMargins(_BESIDE, 0, _BESIDE, 0)
            inset.addWidget(roll)
            box.addLayout(inset, 1)
            roll.laid.connect(self._forget_places)
            if number < len(bars):
                box.addWidget(bars[number])

    def tick(self, playing: bool) -> bool:
        """Move the paper, if anything on it moves; whether anything does."""
        moving = playing or self.printing.moves()
        if moving or self._was_moving:
            self._advance()
        self._was_moving = moving
        return moving

    def _advance(self) -> None:
        """Bring what stands on the screen up to now."""
        self._find_places()
        by, strip = self.printing.advance()
        if not strip:
            return
        for roll, (lies, x, y, width, height) in zip(self.rolls, self._lie, strict=True):
            if by:
                self.scroll(0, by, lies)
            self.update(x, y, width, min(strip, height))
            if roll.mark is not None:  # it does not move with the paper
                self.update(x, y + height - _MARK - by, width, _MARK + by)

    def show_marks(self, marks: Sequence[TrailMark]) -> None:
        """Write on the first rolls what the last note is there, and nothing on the others."""
        for number, roll in enumerate(self.rolls):
            mark = marks[number] if number < len(marks) else None
            if mark != roll.mark:
                roll.mark = mark
                self.update(roll.geometry())

    def _forget_places(self) -> None:
        """Rolls lie elsewhere, or the screen has other pixels."""
        self._places_hold = False
        self.update()

    def _find_places(self) -> None:
        """Look where the rolls lie, if that has changed; once for all of them."""
        if self._places_hold and self.devicePixelRatioF() == self.printing.ratio:
            return
        self._places_hold = True
        self._beside = QRegion(self.rect())
        rects = [roll.geometry() for roll in self.rolls]
        self._lie = [(rect, rect.x(), rect.y(), rect.width(), rect.height()) for rect in rects]
        for rect in rects:
            self._beside -= QRegion(rect)
        tallest = max(rect.height() for rect in rects)
        self.printing.fit(self.rolls[0].width(), tallest, self.devicePixelRatioF())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._forget_places()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        printing, area = self.printing, event.region() if event is not None else QRegion(self.rect())
        self._find_places()
        if not printing.is_current:
            printing.advance()
            if area.boundingRect() != self.rect():
                self.update()
        with painting(self) as painter:
            if area.intersects(self._beside):
                painter.setClipRegion(self._beside)
                painter.fillRect(self.rect(), theme.brush(theme.theme().paper))
            for roll, (lies, x, y, _, _) in zip(self.rolls, self._lie, strict=True):
                part = area.intersected(lies).boundingRect()
                if not part.isEmpty():
                    first = part.top() - y
                    printing.draw(painter, roll.number, x, y, first, first + part.height())
                    if roll.mark is not None:
                        self._draw_mark(painter, lies, roll.mark)

    def _draw_mark(self, painter: QPainter, lies: QRect, mark: TrailMark) -> None:
        t = theme.theme()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.label_font(12, 600))
        metrics = painter.fontMetrics()
        text = metrics.elidedText(mark.text, Qt.TextElideMode.ElideRight, lies.width() - 24)
        width = metrics.horizontalAdvance(text) + 14
        ground = t.warning if mark.ends else theme.ink(self.printing.ink)
        tag = QRectF(lies.x() + 5, lies.bottom() - 22, width, 18)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(ground))
        painter.drawRoundedRect(tag, 4, 4)
        painter.setPen(theme.color(theme.text_on(ground)))
        painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, text)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
