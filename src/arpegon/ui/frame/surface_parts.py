"""Knobs and pads of the play surface: named, hooked up, and saved with the project."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import msgspec
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPen, QWheelEvent
from PyQt6.QtWidgets import QGridLayout, QInputDialog, QMenu, QWidget

from arpegon.core.document import edits
from arpegon.core.document.model import Hookup
from arpegon.core.events import control, note_off, note_on
from arpegon.core.time import studio
from arpegon.processors.actions import target_words
from arpegon.ui.controls import arrows
from arpegon.ui.controls.elided import draw_fitted
from arpegon.ui.controls.hook_mark import paint_mark
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedButton, PaintedRange
from arpegon.ui.look.plain import tip
from arpegon.ui.model.hookup_words import KNOB_CC, PAD_CHANNEL, PAD_NOTE

if TYPE_CHECKING:
    from arpegon.ui.model.change import Change
from arpegon.ui.model.session import Session

KNOBS, PADS = 8, 16


class Knob(PaintedRange):
    """A knob of the play surface: drag up and down, wheel, arrows."""

    turned = pyqtSignal(int)
    renamed = pyqtSignal()

    def __init__(self, number: int) -> None:
        super().__init__()
        self.number = number
        self.value = 0
        self.name = ""
        self.hooked = ""
        self._drag: tuple[float, int] | None = None
        self.setFixedSize(40, 37)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.tell(0, 0, 127)

    def sizeHint(self) -> QSize:
        return self.size()

    def show_name(self, name: str, hooked: str) -> None:
        """Show what it is called, and what it is hooked up to."""
        self.name, self.hooked = name, hooked
        where = f"hooked up to {hooked}" if hooked else f"sends CC {KNOB_CC + self.number}"
        self.setToolTip(
            tip(f"{name or f'Knob {self.number + 1}'}: {where}. Drag, wheel, arrows; double click names it.")
        )
        self.setAccessibleName(name or f"Knob {self.number + 1}")
        self.update()

    def turn(self, value: int) -> None:
        """Turn to a value."""
        value = max(0, min(127, value))
        if value != self.value:
            self.value = value
            self.tell(value, 0, 127)
            self.update()
            self.turned.emit(value)

    def put(self, steps: int) -> None:
        self.turn(steps)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._drag = (event.position().y(), self.value)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._drag is not None:
            fine = 0.25 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            self.turn(round(self._drag[1] + (self._drag[0] - event.position().y()) * 1.4 * fine))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drag = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.renamed.emit()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            menu = QMenu(self)
            menu.addAction("Name it …", self.renamed.emit)
            menu.exec(event.globalPos())

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self.turn(self.value + (3 if event.angleDelta().y() > 0 else -3))
            event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        by = 3 * arrows.upwards(event)
        if by:
            self.turn(self.value + by)
        else:
            super().keyPressEvent(event)

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        middle = QPointF(self.width() / 2, 12.5)
        painter.setPen(QPen(theme.color(t.ink if self.hasFocus() else t.line), 1.2))
        painter.setBrush(theme.color(t.field))
        painter.drawEllipse(middle, 9.5, 9.5)
        painter.setPen(QPen(theme.color(t.ink), 2.4))
        start, span = -225.0, 270.0 * self.value / 127.0
        painter.drawArc(QRectF(middle.x() - 11, middle.y() - 11, 22, 22), round(-start * 16), round(-span * 16))
        angle = math.radians(start + span)
        end = middle + QPointF(7.5 * math.cos(angle), 7.5 * math.sin(angle))
        painter.drawLine(middle, end)
        painter.setFont(theme.label_font(11))
        painter.setPen(theme.color(t.second))
        words = self.name or str(self.number + 1)
        draw_fitted(painter, QRectF(0, 24, self.width(), 13), words, Qt.AlignmentFlag.AlignHCenter)
        if self.hooked:
            paint_mark(painter, QPointF(self.width() - 6, 6), t.paper)


class Pad(PaintedButton):
    """A pad of the play surface: struck with the mouse; lower on the pad is louder."""

    struck = pyqtSignal(int)
    left = pyqtSignal()
    renamed = pyqtSignal()

    def __init__(self, number: int) -> None:
        super().__init__()
        self.number = number
        self.name = ""
        self.hooked = ""
        self.down = False
        self._large = False
        self.setFixedSize(38, 35)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def sizeHint(self) -> QSize:
        return self.size()

    def set_large(self, on: bool) -> None:
        """As large as there is room, with larger words; or small."""
        self._large = on
        if on:
            self.setMinimumSize(60, 60)
            self.setMaximumSize(16_777_215, 16_777_215)
        else:
            self.setFixedSize(38, 35)
        self.update()

    def show_name(self, name: str, hooked: str) -> None:
        """Show what it is called, and what it is hooked up to."""
        self.name, self.hooked = name, hooked
        where = f"hooked up to {hooked}" if hooked else f"strikes note {PAD_NOTE + self.number} on channel 10"
        self.setToolTip(
            tip(f"{name or f'Pad {self.number + 1}'}: {where}. Lower on it is louder; right click names it.")
        )
        self.setAccessibleName(name or f"Pad {self.number + 1}")
        self.update()

    def _strike(self, velocity: int) -> None:
        if not self.down:
            self.down = True
            self.update()
            self.struck.emit(velocity)

    def press(self) -> None:
        self._strike(100)
        self._let_go()

    def _let_go(self) -> None:
        if self.down:
            self.down = False
            self.update()
            self.left.emit()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._strike(max(1, min(127, round(30 + 97 * event.position().y() / self.height()))))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._let_go()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            menu = QMenu(self)
            menu.addAction("Name it …", self.renamed.emit)
            menu.exec(event.globalPos())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.isAutoRepeat():
            self._strike(100)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and not event.isAutoRepeat():
            self._let_go()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        self._let_go()  # the release of a key would go to another control
        super().focusOutEvent(event)

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        ground = t.bar if self.down else t.field
        painter.setPen(QPen(theme.color(t.ink if self.hasFocus() else t.line), 1.2))
        painter.setBrush(theme.color(ground))
        painter.drawRoundedRect(QRectF(1, 1, self.width() - 2, self.height() - 2), 5, 5)
        painter.setFont(theme.label_font(18 if self._large else 11))
        painter.setPen(theme.color(t.bar_text if self.down else t.second))
        room = QRectF(2, 2, self.width() - 4, self.height() - 4)
        draw_fitted(painter, room, self.name or str(self.number + 1), Qt.AlignmentFlag.AlignHCenter)
        if self.hooked:
            paint_mark(painter, QPointF(self.width() - 7, 7), ground)


class KnobsAndPads(QWidget):
    """Eight knobs and sixteen pads, in two rows each."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(2)
        self.knobs = [Knob(number) for number in range(KNOBS)]
        self.pads = [Pad(number) for number in range(PADS)]
        for number, knob in enumerate(self.knobs):
            grid.addWidget(knob, number // 4, number % 4)
            knob.turned.connect(lambda value, number=number: self._turn(number, value))
            knob.renamed.connect(lambda number=number: self._ask_name("knobs", number))
        for number, pad in enumerate(self.pads):
            # The first pad lies at the bottom left, as on most devices.
            grid.addWidget(pad, 1 - number // 8, 4 + number % 8)
            pad.struck.connect(lambda velocity, number=number: self._strike(number, velocity))
            pad.left.connect(lambda number=number: self._let_go(number))
            pad.renamed.connect(lambda number=number: self._ask_name("pads", number))
        session.changed.connect(self._changed)
        self.refresh()

    def set_large(self, on: bool) -> None:
        """Pads alone, as large as there is room, or beside the knobs."""
        for knob in self.knobs:
            knob.setVisible(not on)
        for pad in self.pads:
            pad.set_large(on)

    def _changed(self, change: Change) -> None:
        if change.fields:  # words of hookups name strands and instruments, but no values of stages
            self.refresh()

    def refresh(self) -> None:
        """Show names, and what is hooked up."""
        names = self.session.project.surface
        for number, knob in enumerate(self.knobs):
            knob.show_name(_name(names.knobs, number), self._words("cc", KNOB_CC + number, 0))
        for number, pad in enumerate(self.pads):
            pad.show_name(_name(names.pads, number), self._words("note", PAD_NOTE + number, PAD_CHANNEL))

    def _words(self, kind: str, number: int, channel: int) -> str:
        """What a control is hooked up to, in words."""

        def matches(one: Hookup) -> bool:
            here = one.feed in ("", "surface") and one.channel in (None, channel)
            return one.control == kind and one.number == number and here

        found = [target_words(self.session.project, one) for one in self.session.project.hookups if matches(one)]
        return ", ".join(words or "something that is gone" for words in found)

    def _turn(self, number: int, value: int) -> None:
        self.session.feed(control(studio.now(), 0, KNOB_CC + number, value))

    def _strike(self, number: int, velocity: int) -> None:
        self.session.feed(note_on(studio.now(), PAD_CHANNEL, PAD_NOTE + number, velocity))

    def _let_go(self, number: int) -> None:
        self.session.feed(note_off(studio.now(), PAD_CHANNEL, PAD_NOTE + number))

    def rest(self) -> None:
        """Let go of all pads."""
        for pad in self.pads:
            pad._let_go()

    def _ask_name(self, kind: str, number: int) -> None:
        what = f"{'Knob' if kind == 'knobs' else 'Pad'} {number + 1}"
        now = _name(getattr(self.session.project.surface, kind), number)
        name, taken = QInputDialog.getText(self, "Name it", f"{what} is called", text=now)
        if taken:
            self.name(kind, number, name)

    def name(self, kind: str, number: int, name: str) -> None:
        """Name a knob or pad (an empty name counts it again)."""
        before = getattr(self.session.project.surface, kind)
        names = [*before, *[""] * (number + 1 - len(before))]
        names[number] = name.strip()[:12]
        surface = msgspec.structs.replace(self.session.project.surface, **{kind: tuple(names)})
        self.session.edit("Name a control", edits.set_project(self.session.project, surface=surface))


def _name(names: tuple[str, ...], number: int) -> str:
    return names[number] if number < len(names) else ""
