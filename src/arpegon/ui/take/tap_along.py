"""Tapping along with a take that was played freely: its beats are where somebody hears them."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QWidget

from arpegon.core.errors import ArpegonError
from arpegon.core.notes.course import Course
from arpegon.core.notes.tapped import course_of_taps
from arpegon.core.theory.scales import Key
from arpegon.ui.controls.choices import ToggleSwitch
from arpegon.ui.look import theme
from arpegon.ui.look.painted import OwnKeys, PaintedButton
from arpegon.ui.look.plain import Label

_FLASH_SECONDS = 0.12


class TapPad(OwnKeys, PaintedButton):
    """What is struck on each beat; T and Space strike it too."""

    own_keys = (Qt.Key.Key_T, Qt.Key.Key_Space)
    struck = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.count = 0
        self.lit = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFixedSize(self.sizeHint())
        self.setAccessibleName("Tap")
        self.setToolTip("Strike it on each beat that you hear, or press T; the first is beat 1 of a bar.")

    def sizeHint(self) -> QSize:
        return QSize(92, 34)

    def press(self) -> None:
        self.struck.emit()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.struck.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and self.claims(event):
            if not event.isAutoRepeat():
                self.struck.emit()
            return
        super().keyPressEvent(event)

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        area = self.sheet()
        painter.setPen(QPen(theme.color(t.ink if self.hasFocus() else t.line), 1.4))
        painter.setBrush(theme.color(t.bar if self.lit else t.roll))
        painter.drawRoundedRect(area, 4.0, 4.0)
        painter.setPen(theme.color(t.roll if self.lit else t.ink))
        painter.setFont(theme.label_font(14, 600))
        painter.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, f"Tap {self.count or ''}".strip())


class TapAlong(QFrame):
    """The strip that is there while beats are tapped.

    Signals:
        asked: the pad was struck: :meth:`tap` is to be told when.
        begun: play the take from its start.
        changed: other taps are there.
        laid: lay the take on this course.
    """

    asked = pyqtSignal()
    begun = pyqtSignal()
    changed = pyqtSignal()
    laid = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("paper")
        self.taps: list[float] = []
        """Seconds of the take."""
        self._meter: tuple[int, int] = (4, 4)
        self._key: Key | None = None
        self._struck_at = 0.0
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 6, 14, 6)
        row.setSpacing(12)
        self.pad = TapPad()
        self.pad.struck.connect(self.asked)
        row.addWidget(self.pad)
        self.words = Label("")
        row.addWidget(self.words, 1)
        self.even = ToggleSwitch("One tempo", "The one tempo that fits your taps best, else it goes as they do.")
        self.even.toggled.connect(self._tell)
        row.addWidget(self.even)
        again = QPushButton("Again")
        again.setToolTip("Forget the taps, and play it from its start.")
        again.clicked.connect(lambda: self.start(self._meter, self._key))
        self.again = again
        row.addWidget(again)
        self.lay = QPushButton("Lay it on my taps")
        self.lay.setProperty("strong", True)
        self.lay.setToolTip("Bars and beats are where you tapped them; it sounds as before. Ctrl+Z undoes it.")
        self.lay.clicked.connect(self._lay)
        row.addWidget(self.lay)
        leave = QPushButton("Leave it")
        leave.clicked.connect(self.leave)
        row.addWidget(leave)
        self.hide()

    @property
    def on(self) -> bool:
        """Whether beats are tapped now."""
        return not self.isHidden()

    def start(self, meter: tuple[int, int], key: Key | None) -> None:
        """Begin with no taps."""
        self._meter, self._key, self.taps = meter, key, []
        self.show()
        self.pad.setFocus()
        self._tell()
        self.begun.emit()

    def leave(self) -> None:
        """Lay nothing."""
        self.taps = []
        self.hide()
        self.changed.emit()

    def tap(self, second: float, now: float) -> None:
        """Take a tap at a second of the take; the pad is lit from ``now`` on."""
        self._struck_at = now
        if not self.taps or second > self.taps[-1]:
            self.taps.append(second)
        self._tell()

    def tick(self, now: float) -> None:
        """One frame."""
        lit = bool(self.taps) and now - self._struck_at < _FLASH_SECONDS
        if lit != self.pad.lit:
            self.pad.lit = lit
            self.pad.update()

    def course(self) -> Course:
        """The course of the taps.

        Raises:
            ArpegonError: they make none.
        """
        return course_of_taps(self.taps, self._meter, self._key, even=self.even.value())

    def _tell(self) -> None:
        self.pad.count = len(self.taps)
        self.pad.update()
        try:
            tempi = [tempo for _, tempo in self.course().tempi]
        except ArpegonError as error:
            few = "Strike the pad, or T, on each beat that you hear; the first is beat 1 of a bar."
            self.words.setText(few if len(self.taps) < 2 else str(error))
            self.lay.setEnabled(False)
        else:
            low, high = round(min(tempi), 1), round(max(tempi), 1)
            self.words.setText(f"at {low:g}" if low == high else f"at {low:g} to {high:g}")
            self.lay.setEnabled(True)
        self.changed.emit()

    def _lay(self) -> None:
        course = self.course()
        self.taps = []
        self.hide()
        self.laid.emit(course)
