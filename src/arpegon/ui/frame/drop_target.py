"""What lies over the window while something is held above it: where it would go, and what it would become."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, QPoint, QRect, QRectF, Qt
from PyQt6.QtGui import QDragEnterEvent, QDragLeaveEvent, QDropEvent, QFontMetrics, QPainter, QPen
from PyQt6.QtWidgets import QMainWindow, QWidget

from arpegon.ui.look import theme
from arpegon.ui.look.painted import Painted
from arpegon.ui.model.session import Session
from arpegon.ui.parts.dropping import Drop, drop_of


class DropLayer(Painted):
    """A frame around where it goes, and a sentence."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self._frame = QRect()
        self.words = ""
        self.hide()

    def show_drop(self, frame: QRect, words: str) -> None:
        """Show what would go into a frame (in this layer's own pixels)."""
        parent = self.parentWidget()
        if parent is not None:
            self.setGeometry(parent.rect())
        self._frame, self.words = frame, words
        self.raise_()
        self.show()
        self.update()

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        frame = QRectF(self._frame).adjusted(2, 2, -2, -2)
        painter.setPen(QPen(theme.color(t.ink), 2.0, Qt.PenStyle.DashLine))
        painter.setBrush(theme.color(t.ink, 0.08))
        painter.drawRoundedRect(frame, 6, 6)
        font = theme.label_font(15, 600)
        painter.setFont(font)
        wide = min(self.width() - 20.0, QFontMetrics(font).horizontalAdvance(self.words) + 28.0)
        left = min(max(10.0, frame.center().x() - wide / 2), self.width() - wide - 10.0)
        label = QRectF(left, min(frame.center().y(), self.height() - 60.0), wide, 34)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(t.bar))
        painter.drawRoundedRect(label, 5, 5)
        painter.setPen(theme.color(t.bar_text))
        painter.drawText(label, Qt.AlignmentFlag.AlignCenter, self.words)


_UNKNOWN = (
    "What was dropped is nothing that can be used here: MIDI and audio files, projects, presets and key maps are; "
    "hold those that become a part of a strand over it."
)


class DropTarget(QObject):
    """Takes what is dropped onto a window.

    Args:
        strand_at: the strand whose column holds a widget (empty: none), and what shows where a drop would go.
        on_takes: whether the takes are in sight.
    """

    def __init__(
        self,
        window: QMainWindow,
        session: Session,
        strand_at: Callable[[QWidget | None], tuple[str, QWidget]],
        on_takes: Callable[[], bool],
    ) -> None:
        super().__init__(window)
        self._window = window
        self._session = session
        self._strand_at = strand_at
        self._on_takes = on_takes
        self.layer = DropLayer(window)
        window.setAcceptDrops(True)
        window.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QDragEnterEvent):  # a move is one as well
            self._over(event)
            return True
        if isinstance(event, QDragLeaveEvent):
            self.layer.hide()
            return True
        if isinstance(event, QDropEvent):
            self._dropped(event)
            return True
        return False

    def _found(self, event: QDropEvent) -> tuple[Drop | None, QWidget]:
        strand, target = self._strand_at(self._window.childAt(event.position().toPoint()))
        data = event.mimeData()
        return (None if data is None else drop_of(self._session, data, strand, self._on_takes())), target

    def _over(self, event: QDropEvent) -> None:
        drop, target = self._found(event)
        if drop is None:
            # Accepted all the same, so that what is dropped here is answered with a sentence.
            self.layer.hide()
        else:
            if not drop.strand:
                target = self._strand_at(None)[1]
            self.layer.show_drop(QRect(target.mapTo(self._window, QPoint()), target.size()), drop.words)
        event.acceptProposedAction()

    def _dropped(self, event: QDropEvent) -> None:
        self.layer.hide()
        drop, _ = self._found(event)
        if drop is None:
            self._session.notice("file", _UNKNOWN)
            return
        event.acceptProposedAction()
        drop.act()
