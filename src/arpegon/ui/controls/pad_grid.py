"""Pads with their chords and triggers, laid out as on a controller."""

from __future__ import annotations

import json
from collections.abc import Sequence

import msgspec
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPen,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.ui.controls.chord_palette import MIME
from arpegon.ui.controls.elided import draw_fitted
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPart, PaintedParts

_TALL, _GAP = 44, 5
_FADE_SECONDS = 0.5


class Tile(msgspec.Struct, frozen=True):
    """One pad as it is shown."""

    name: str
    trigger: str
    note: int
    group: str = ""
    by_degree: bool = False


class PadGrid(PaintedParts):
    """Tiles; a click selects and sounds, a chord is dropped onto one, Del takes one away.

    Signals:
        chosen: a pad was clicked (its place).
        dropped: a chord was dropped on a pad (its place, the chord).
        removed: a pad is not wanted any more.
    """

    chosen = pyqtSignal(int)
    dropped = pyqtSignal(int, dict)
    removed = pyqtSignal(int)

    def __init__(self, ink: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.ink = ink
        self.tiles: Sequence[Tile] = ()
        self.columns = 4
        self.bottom = True
        self.selected: int | None = None
        self.waiting: int | None = None
        """The pad whose trigger is being learnt."""
        self._lit: dict[int, float] = {}
        self._now = 0.0
        self._over: int | None = None
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Chord pads")
        self.setToolTip("Click a pad to hear and select it; drop a chord on it; Del takes it away.")

    def show_tiles(self, tiles: Sequence[Tile], columns: int, bottom: bool, selected: int | None) -> None:
        """Show pads, ``columns`` in a row, the first row at the bottom or at the top."""
        self.tiles, self.columns, self.bottom, self.selected = tiles, columns, bottom, selected
        self.setFixedHeight(max(1, self._rows()) * (_TALL + _GAP))
        self.update()

    def strike(self, note: int, now: float) -> None:
        """Light the pad of a trigger."""
        for place, tile in enumerate(self.tiles):
            if tile.note == note:
                self._lit[place] = self._now = now
                self.update()

    def tick(self, now: float) -> None:
        """Let lights fade."""
        if self._lit or self.waiting is not None:
            self._now = now
            self._lit = {place: at for place, at in self._lit.items() if now - at < _FADE_SECONDS}
            self.update()

    def _rows(self) -> int:
        count = len(self.tiles) + (1 if self.waiting is not None and self.waiting >= len(self.tiles) else 0)
        return -(-count // self.columns)

    def _cell(self, place: int) -> QRectF:
        row, column = divmod(place, self.columns)
        if self.bottom:
            row = max(0, self._rows() - 1) - row
        width = (self.width() + _GAP) / self.columns
        return QRectF(column * width, row * (_TALL + _GAP), width - _GAP, _TALL)

    def _pad_at(self, point: QPointF) -> int | None:
        return next((place for place in range(len(self.tiles)) if self._cell(place).contains(point)), None)

    def sizeHint(self) -> QSize:
        return QSize(340, max(1, self._rows()) * (_TALL + _GAP))

    # -- gestures ----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        place = self._pad_at(event.position()) if event is not None else None
        if place is not None:
            self.chosen.emit(place)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or not self.tiles:
            return
        rows = self.columns if self.bottom else -self.columns
        steps = {
            int(Qt.Key.Key_Left): -1,
            int(Qt.Key.Key_Right): 1,
            int(Qt.Key.Key_Up): rows,
            int(Qt.Key.Key_Down): -rows,
        }
        if event.key() in steps:
            place = (self.selected or 0) + steps[event.key()]
            if 0 <= place < len(self.tiles):
                self.chosen.emit(place)
        elif event.key() == Qt.Key.Key_Delete and self.selected is not None:
            self.removed.emit(self.selected)
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasFormat(MIME):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        if event is not None:
            self._over = self._pad_at(event.position())
            event.setAccepted(self._over is not None)
            self.update()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        place, self._over = self._over, None
        if event is None or data is None or place is None:
            return
        try:
            chord = json.loads(bytes(data.data(MIME).data()))
        except ValueError:
            return  # not ours
        event.acceptProposedAction()
        self.dropped.emit(place, chord)

    # -- for screen readers ------------------------------------------------------------------------

    def parts(self) -> list[PaintedPart]:
        return [PaintedPart(", ".join(filter(None, (tile.name, tile.trigger, tile.group)))) for tile in self.tiles]

    def chosen_part(self) -> int | None:
        return self.selected

    def part_box(self, place: int) -> QRectF:
        return self._cell(place)

    def choose_part(self, place: int) -> None:
        self.chosen.emit(place)

    # -- painting ----------------------------------------------------------------------------------

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        for place, tile in enumerate(self.tiles):
            self._paint(painter, t, place, tile)
        if self.waiting is not None:
            cell = self._cell(self.waiting).adjusted(1, 1, -1, -1)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color(t.warning if int(self._now * 3) % 2 else t.ink), 2, Qt.PenStyle.DashLine))
            painter.drawRoundedRect(cell, 5, 5)
            if self.waiting >= len(self.tiles):
                painter.setFont(theme.label_font(12))
                painter.drawText(cell, Qt.AlignmentFlag.AlignCenter, "strike a pad")

    def _paint(self, painter: QPainter, t: theme.Theme, place: int, tile: Tile) -> None:
        cell = self._cell(place)
        glow = max(0.0, 1.0 - (self._now - self._lit[place]) / _FADE_SECONDS) if place in self._lit else 0.0
        ground = theme.mix(t.field, self.ink, glow) if glow else t.field
        painter.setPen(QPen(theme.color(self.ink if place in (self.selected, self._over) else t.line), 2))
        painter.setBrush(theme.color(ground))
        painter.drawRoundedRect(cell.adjusted(1, 1, -1, -1), 5, 5)
        text = theme.text_on(ground) if glow > 0.4 else t.ink
        painter.setPen(theme.color(text))
        painter.setFont(theme.name_font(15))
        draw_fitted(painter, cell.adjusted(4, 2, -4, -16), tile.name, Qt.AlignmentFlag.AlignHCenter)
        painter.setFont(theme.label_font(11))
        painter.setPen(theme.color(text if glow > 0.4 else t.second))
        foot = cell.adjusted(6, 26, -6, -3)
        painter.drawText(foot, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, tile.trigger)
        right = tile.group or ("of the key" if tile.by_degree and cell.width() > 84 else "")
        painter.drawText(foot, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, right)
