"""What the program has to say: a bar of sentences that never blocks, and the line at the foot."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import QEvent, QObject, QPointF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from arpegon.core.counting import counted
from arpegon.core.document.mending import mend_label
from arpegon.core.document.path_check import Break
from arpegon.ui.controls.elided import Elided
from arpegon.ui.look import theme
from arpegon.ui.look.painted import Painted
from arpegon.ui.look.plain import Label, unmarked
from arpegon.ui.look.timers import one_shot, ticking
from arpegon.ui.model.notices import NoticeAction
from arpegon.ui.model.session import Session

_PASSING = {"edit", "done", "take", "kept", "restart"}
_GOOD = {"done", "learn", "kept", "recover", "restart"}
_PASSING_MS = 6000
_MAX = 3
_WIDEST = 860
_NUMBERS = {3: "three", 4: "four", 5: "five", 6: "six", 7: "seven", 8: "eight", 9: "nine", 10: "ten"}


class NoticeRow(Painted):
    """One sentence, with what can be done about it."""

    smooth = False

    def __init__(self, text: str, acts: Sequence[NoticeAction], good: bool, dismiss: Callable[[], None]) -> None:
        super().__init__()
        self._good = good
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 4, 10, 4)
        label = Label(text)
        label.setWordWrap(True)
        label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        row.addWidget(label, 1)
        for words, act in acts:
            button = QPushButton(unmarked(words))
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(act)
            row.addWidget(button)
        close = QPushButton("dismiss")
        close.setProperty("flat", True)
        close.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        close.clicked.connect(dismiss)
        row.addWidget(close)

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        shade = t.good if self._good else t.warning
        painter.fillRect(self.rect(), theme.color(theme.mix(t.paper, shade, 0.12)))
        painter.setPen(theme.color(theme.mix(t.paper, shade, 0.45)))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.fillRect(0, 0, 4, self.height(), theme.color(shade))


class NoticeBar(QWidget):
    """The newest sentences, over what is under the header, so that nothing moves; what only passes goes by itself.

    Args:
        over: in which it lies.
        under: beneath which it begins.
    """

    def __init__(self, session: Session, over: QWidget, under: QWidget) -> None:
        super().__init__(over)
        self.session = session
        self._over, self._under = over, under
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(2)
        over.installEventFilter(self)
        self._timer = one_shot(self, _PASSING_MS)
        self._timer.timeout.connect(self._pass)
        session.noticed.connect(self.refresh)
        self.refresh()

    @property
    def texts(self) -> list[str]:
        """The sentences in sight, newest first."""
        return list(self.session.notices.values())[::-1][:_MAX]

    def refresh(self) -> None:
        """Show the notices."""
        while self._box.count():
            item = self._box.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        shown = list(self.session.notices.items())[::-1][:_MAX]
        for topic, text in shown:
            row = NoticeRow(
                text,
                self.session.notice_list.acts.get(topic, ()),
                topic in _GOOD,
                partial(self.session.notice, topic, ""),
            )
            self._box.addWidget(row)
            row.show()
        self.setVisible(bool(shown))
        self._lay()
        if any(topic in _PASSING for topic, _ in shown):
            self._timer.start()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() in (QEvent.Type.Resize, QEvent.Type.Show, QEvent.Type.LayoutRequest):
            self._lay()
        return False

    def _lay(self) -> None:
        """In the middle, as high as its sentences need."""
        if self.isHidden():
            return
        width = min(_WIDEST, self._over.width() - 24)
        layout = self.layout()
        height = layout.heightForWidth(width) if layout is not None and layout.hasHeightForWidth() else -1
        height = height if height > 0 else self.sizeHint().height()
        self.setGeometry((self._over.width() - width) // 2, self._under.geometry().bottom() + 5, width, height)
        self.raise_()

    def _pass(self) -> None:
        for topic in [topic for topic in self.session.notices if topic in _PASSING]:
            self.session.notice(topic, "")


class StatusLine(Painted):
    """The foot of the window: whether all strands sound, and how the engine is."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setFixedHeight(24)
        self._left = ""
        self._right = ""
        self._good = True
        self._first: Break | None = None
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip("Whether every strand sounds. Click to go where the first one breaks.")
        row = QHBoxLayout(self)
        row.setContentsMargins(30, 1, 10, 1)
        self._words = Elided()
        self._words.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.mend = QPushButton("")
        self.follow = QPushButton("follow")
        self.follow.setCheckable(True)
        self.follow.setToolTip(
            "Write on the rolls what the last note became at every step, and where it ended (Ctrl+F)."
        )
        for button in (self.mend, self.follow):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.setFixedHeight(20)
        self.mend.clicked.connect(self._mend)
        self._health = Elided()
        self._health.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        row.addWidget(self._words)
        row.addWidget(self.mend)
        row.addStretch(1)
        row.addWidget(self._health)
        row.addSpacing(8)
        row.addWidget(self.follow)
        self._timer = ticking(self, 400)
        self._timer.timeout.connect(self.refresh)
        self._timer.start()
        session.paths.broken.connect(self.refresh)
        session.changed.connect(self.refresh)
        session.noticed.connect(self.refresh)
        theme.changed.connect(self._dress)
        self._dress()
        self.refresh()

    def _dress(self) -> None:
        t = theme.theme()
        for label in (self._words, self._health):
            label.setStyleSheet(f"color: {t.bar_text}; font-size: 13px;")
        quiet = theme.mix(t.bar, t.bar_text, 0.18)
        for button in (self.mend, self.follow):
            button.setStyleSheet(
                f"QPushButton {{ background: {quiet}; color: {t.bar_text}; border: none; border-radius: 4px;"
                f" padding: 0 9px; font-size: 12px; }}"
                f"QPushButton:checked {{ background: {t.bar_text}; color: {t.bar}; }}"
                f"QPushButton:focus {{ border: 1px solid {t.bar_text}; }}"
            )
        self.update()

    def _mend(self) -> None:
        if self._first is not None:
            self.session.paths.mend(self._first)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if self._first is not None:
            self.session.paths.go_to(self._first)

    @property
    def text(self) -> str:
        """What stands at the left."""
        return self._left

    def refresh(self) -> None:
        """Show how things are."""
        session = self.session
        strands = session.project.strands
        breaks = session.paths.breaks
        self._good = not breaks
        self._first = first = next(iter(breaks.values()), None)
        if first is not None:
            strand = session.project.strand(first.strand)
            more = f" (and {len(breaks) - 1} more)" if len(breaks) > 1 else ""
            self._left = f"{strand.name if strand else ''} is silent: {first.reason}{more}"
        elif not strands:
            self._left = "An empty project"
        else:
            words = {1: "The strand reaches", 2: "Both strands reach"}
            count = _NUMBERS.get(len(strands), str(len(strands)))
            self._left = f"{words.get(len(strands), f'All {count} strands reach')} a destination"
        health = session.telemetry.health
        parts = [f"engine {health.events_per_second:.0f} events/s", f"{counted(health.sounding, 'note')} held"]
        parts.append(counted(health.audio_dropouts, "drop-out") if health.audio_dropouts else "no drop-outs")
        if health.audio:
            parts.append(f"audio load {health.audio_load * 100:.0f} %")
        else:
            parts.append("audio rests" if health.audio_rests else "no audio device")
        if health.thinned:
            parts.append(f"{counted(health.thinned, 'controller value')} thinned")
        self._right = " · ".join(parts)
        self._words.setText(self._left)
        self._health.setText(self._right)
        label = mend_label(first) if first is not None else None
        self.mend.setText(unmarked(label or ""))
        self.mend.setVisible(label is not None)
        self.update()

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        painter.fillRect(self.rect(), theme.color(t.bar))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(theme.DAY.good if self._good else t.warning))
        painter.drawEllipse(QPointF(17, 12), 4.5, 4.5)
