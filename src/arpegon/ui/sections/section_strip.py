"""The piece as a strip of paper above the board: its sections side by side, and where the music is."""

from __future__ import annotations

import math
import time

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import (
    QContextMenuEvent,
    QFontMetricsF,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPen,
    QPolygonF,
)
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QSizePolicy, QToolTip, QWidget

from arpegon.core.counting import counted
from arpegon.core.document import edits
from arpegon.core.document.model import Hookup, Section
from arpegon.core.document.sections import ENDS
from arpegon.processors.targets import held_words
from arpegon.ui.controls import arrows
from arpegon.ui.controls.elided import draw_fitted
from arpegon.ui.look import motion, theme
from arpegon.ui.look.painted import Opaque, PaintedPart, PaintedParts, Still
from arpegon.ui.look.plain import Tip, rich, tip, unmarked
from arpegon.ui.model.session import Session

HEIGHT = 35
_SIGNS = {"on": "", "again": "again", "top": "to the top", "stop": "stop"}
_MIN_WIDTH = 74
_TOOLTIP_HOLDS = 8


class SectionStrip(QWidget):
    """Sections in sight; nothing where there are none."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setObjectName("desk")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 5, 12, 0)
        row.setSpacing(8)
        self.ruler = SectionRuler(session)
        row.addWidget(self.ruler, 1)
        self.hold = QPushButton("hold changes")
        self.hold.setCheckable(True)
        self.hold.setFixedHeight(28)
        self.hold.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.hold.setToolTip(
            "<qt>While this is pressed, all that you change is held in the section that plays, and stays as it was in "
            "the others (Ctrl+Shift+H).</qt>"
        )
        self.hold.toggled.connect(session.piece.set_hold_all)
        session.piece.holding.connect(self.hold.setChecked)
        row.addWidget(self.hold)
        session.changed.connect(self.refresh)
        session.piece.turned.connect(self.ruler.update)
        self.refresh()

    def refresh(self) -> None:
        """Show the sections."""
        self.setVisible(bool(self.session.project.sections) and self.session.settings.section_strip)
        self.ruler.update()

    def set_large(self, on: bool) -> None:
        """Larger, to be read from afar; on stage nothing is held by mistake."""
        self.hold.setVisible(not on)
        self.ruler.set_large(on)

    def tick(self, now: float) -> None:
        """One frame."""
        if self.isVisible():
            self.ruler.tick(now)


class SectionRuler(Opaque, PaintedParts):
    """Lengths of paper, each as wide as its bars; a click goes to one."""

    ground = "desk"

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._needle = -1.0
        self._still = Still()
        self._tall = HEIGHT
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Sections")

    def sizeHint(self) -> QSize:
        return QSize(400, self._tall)

    def set_large(self, on: bool) -> None:
        """Twice as high, with larger names."""
        self._tall = 2 * HEIGHT if on else HEIGHT
        self.setFixedHeight(self._tall)
        self.update()

    @property
    def sections(self) -> tuple[Section, ...]:
        """What is shown."""
        return self.session.project.sections

    def cells(self) -> list[QRectF]:
        """Where each section lies: wide by its bars, but wide enough to be read."""
        sections = self.sections
        if not sections:
            return []
        gap = 4.0
        room = self.width() - gap * (len(sections) - 1)
        min_width = min(_MIN_WIDTH, room / len(sections))
        bars = sum(section.bars for section in sections)
        spare = max(0.0, room - min_width * len(sections))
        found, x = [], 0.0
        for section in sections:
            wide = min_width + spare * section.bars / bars
            found.append(QRectF(x, 1.0, wide, self._tall - 8.0))
            x += wide + gap
        return found

    def place_at(self, x: float) -> int | None:
        """The section under a place."""
        return next((place for place, cell in enumerate(self.cells()) if cell.left() <= x <= cell.right()), None)

    def tick(self, now: float) -> None:
        """Move the needle."""
        place, cells = self.session.piece.place, self.cells()
        here = 0 <= place < len(cells)
        needle = cells[place].left() + cells[place].width() * self.session.piece.share_at(now) if here else -1.0
        if self.session.piece.wanted >= 0:
            self._needle = needle
            self.update()
        elif abs(needle - self._needle) > 0.4:
            before, self._needle = self._needle, needle
            for x in (before, needle):  # only what moved is drawn, and nothing of it is told
                QWidget.update(self, int(x) - 7, 0, 15, self._tall)

    # -- handling ----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            place = self.place_at(event.position().x())
            if place is not None:
                self.session.piece.go(place)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        by = arrows.sideways(event)
        if by:
            self.session.piece.go_by(by)
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        place = self.place_at(event.pos().x()) if event is not None else None
        if event is not None and place is not None:
            self.menu(place).exec(event.globalPos())

    def menu(self, place: int) -> QMenu:
        """What can be done with a section."""
        session, section = self.session, self.sections[place]
        menu = QMenu(self)
        menu.addAction(f"Go to “{unmarked(section.name)}”", lambda: session.piece.go(place))
        wanted = Hookup(id="", action="section", value=float(place + 1), way="trigger")
        menu.addAction("Learn: strike a pad or key for it …", lambda: session.hooking.learn(wanted))
        menu.addSeparator()
        menu.addAction("Repeat it after itself", lambda: session.piece.add(section.id))
        menu.addAction(
            "Remove", lambda: session.edit("Remove section", edits.remove_section(session.project, section.id))
        )
        return menu

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent):
            place = self.place_at(event.pos().x())
            if place is not None:
                QToolTip.showText(event.globalPos(), tip(self._words(place)), self)
            return True
        return super().event(event)

    def _words(self, place: int) -> Tip:
        section, project = self.sections[place], self.session.project
        bars = counted(section.bars, "bar")
        held = [words for one in section.holds if (words := held_words(project, one)) is not None]
        if len(held) > _TOOLTIP_HOLDS:
            held[_TOOLTIP_HOLDS:] = [f"and {len(held) - _TOOLTIP_HOLDS} more"]
        return rich(
            "<b>{}</b>, {}, then it {}. Click: go there, on the next bar line while music plays. Right click for more."
            + "<br>{}" * len(held),
            section.name,
            bars,
            ENDS[section.then],
            *held,
        )

    def parts(self) -> list[PaintedPart]:
        here = self.session.piece.place
        return [
            PaintedPart(f"{one.name}, {counted(one.bars, 'bar')}", place == here)
            for place, one in enumerate(self.sections)
        ]

    def chosen_part(self) -> int | None:
        place = self.session.piece.place
        return place if 0 <= place < len(self.sections) else None

    def part_box(self, place: int) -> QRectF:
        return self.cells()[place]

    def press_part(self, place: int) -> None:
        self.session.piece.go(place)

    # -- painting ----------------------------------------------------------------------------------

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        piece = self.session.piece
        lit = piece.wanted if motion.less() or math.modf(time.monotonic() * 2.5)[0] < 0.6 else -1

        def cells(painter: QPainter) -> None:
            for place, (section, cell) in enumerate(zip(self.sections, self.cells(), strict=True)):
                self._paint_cell(painter, t, section, cell, place == piece.place, place == lit)

        seen = tuple((section.name, section.bars, section.then) for section in self.sections)
        self._still.draw(painter, self, (seen, piece.place, lit, self._tall), cells)
        if self._needle >= 0.0:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.brush(t.ink))
            x, foot = self._needle, self._tall - 7.0
            painter.drawPolygon(QPolygonF([QPointF(x - 5, foot + 7), QPointF(x + 5, foot + 7), QPointF(x, foot)]))

    def _paint_cell(
        self, painter: QPainter, t: theme.Theme, section: Section, cell: QRectF, now: bool, wanted: bool
    ) -> None:
        painter.setPen(QPen(theme.color(t.bar if now else t.line), 1))
        painter.setBrush(theme.color(t.bar if now else t.roll))
        painter.drawRect(cell)
        self._paint_bars(painter, section, cell, theme.mix(t.bar, t.bar_text, 0.35) if now else t.rule_strong)
        if wanted:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color(t.warning), 2))
            painter.drawRect(cell.adjusted(1, 1, -1, -1))
        room = cell.adjusted(8, 0, -7, -3)
        sign = _SIGNS[section.then]
        name_font = theme.name_font(14 if self._tall == HEIGHT else 22)
        painter.setFont(theme.label_font(11 if self._tall == HEIGHT else 15))
        wide = painter.fontMetrics().horizontalAdvance(sign) + 8 if sign else 0
        if wide and room.width() > wide + QFontMetricsF(name_font).horizontalAdvance(section.name):
            painter.setPen(theme.color(t.bar_second if now else t.second))
            painter.drawText(room, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, sign)
            room.setRight(room.right() - wide)
        painter.setFont(name_font)
        painter.setPen(theme.color(t.bar_text if now else t.ink))
        draw_fitted(painter, room, section.name)

    def _paint_bars(self, painter: QPainter, section: Section, cell: QRectF, shade: str) -> None:
        """A tick for every bar along the foot, as many as there is room for."""
        every = max(1, math.ceil(section.bars * 5 / max(1.0, cell.width())))
        painter.setPen(QPen(theme.color(shade), 1))
        for bar in range(every, section.bars, every):
            x = cell.left() + cell.width() * bar / section.bars
            painter.drawLine(QPointF(x, cell.bottom() - (7 if bar % 4 == 0 else 4)), QPointF(x, cell.bottom() - 1))
