"""The header: the project, the transport, the key, the views, how the engine is, All off."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QMenu, QPushButton, QVBoxLayout, QWidget

from arpegon.core import edits
from arpegon.core.clock import TEMPO_RANGE, bar_beats
from arpegon.core.parameters import SCALE_OPTIONS
from arpegon.core.pitch import pretty_name
from arpegon.core.scales import Key
from arpegon.engine.protocol import Locate, Telemetry
from arpegon.ui import theme
from arpegon.ui.bench.standard import ROOTS
from arpegon.ui.controls.name_field import NameField
from arpegon.ui.session import Session

HEIGHT = 54
_METERS = ((2, 4), (3, 4), (4, 4), (5, 4), (6, 4), (7, 4), (3, 8), (5, 8), (6, 8), (7, 8), (9, 8), (12, 8))


class Mark(QWidget):
    """The brand's figure: a twelve-sided ring with a star in it; it turns a little with every beat."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedSize(32, 32)
        self.turn = 0.0

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        corners = [
            QPointF(16 + 14 * math.sin(math.radians(30 * place)), 16 - 14 * math.cos(math.radians(30 * place)))
            for place in range(12)
        ]
        painter.setPen(QPen(theme.color(t.ink), 1.6))
        painter.drawPolygon(QPolygonF(corners))
        painter.setPen(QPen(theme.color(theme.roll_ink(0)), 1.6))
        start = round(self.turn)
        painter.drawPolygon(QPolygonF([corners[(start + place * 5) % 12] for place in (0, 1, 2, 3, 4)]))


class TransportButton(QPushButton):
    """A button with a drawn sign, so that no font need have it."""

    def __init__(self, sign: str, help_text: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.sign = sign
        self.active = False
        self.setFixedSize(36, 30)
        self.setToolTip(help_text)
        self.setAccessibleName(help_text)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def show_active(self, active: bool) -> None:
        """Show that it is on."""
        if active != self.active:
            self.active = active
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ground = t.rule if self.isDown() else t.field
        shade = t.ink
        if self.active:
            ground = t.warning if self.sign == "record" else t.bar
            shade = theme.text_on(ground)
        elif self.sign == "record":
            shade = t.warning
        painter.setPen(QPen(theme.color(t.ink if self.hasFocus() else t.line), 1))
        painter.setBrush(theme.color(ground))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(shade))
        middle = QRectF(self.rect()).center()
        if self.sign == "record":
            painter.drawEllipse(middle, 6, 6)
        elif self.sign == "start":
            painter.drawRect(QRectF(middle.x() - 8, middle.y() - 6, 2.4, 12))
            for left in (-4.5, 2.0):
                points = [QPointF(left + 6, -6), QPointF(left + 6, 6), QPointF(left, 0)]
                painter.drawPolygon(QPolygonF([point + middle for point in points]))
        elif self.active:
            painter.drawRect(QRectF(middle.x() - 5, middle.y() - 5, 10, 10))
        else:
            points = [QPointF(-4, -7), QPointF(-4, 7), QPointF(8, 0)]
            painter.drawPolygon(QPolygonF([point + middle for point in points]))


class Field(QWidget):
    """A caption with a value beneath; ``clicked`` or dragged, wheeled and typed by its owner."""

    clicked = pyqtSignal()
    stepped = pyqtSignal(float)
    settled = pyqtSignal()
    typed = pyqtSignal(str)

    def __init__(self, caption: str, help_text: str, width: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.caption = caption
        self.text = ""
        self._drag: float | None = None
        self._moved = False
        self._field: QLineEdit | None = None
        self.setFixedSize(width, 40)
        self.setToolTip(help_text)
        self.setAccessibleName(caption)

    def show_text(self, text: str) -> None:
        """Show a value."""
        if text != self.text:
            self.text = text
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(self.width(), 40)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._drag, self._moved = event.position().y(), False

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._drag is None:
            return
        delta = self._drag - event.position().y()
        if self._moved or abs(delta) > 3:
            self._moved = True
            self._drag = event.position().y()
            fine = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            self.stepped.emit(delta * 0.5 * fine)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag is not None:
            self._drag = None
            if self._moved:
                self.settled.emit()
            else:
                self.clicked.emit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self.stepped.emit(1.0 if event.angleDelta().y() > 0 else -1.0)
            self.settled.emit()
            event.accept()

    def type_value(self) -> None:
        """Let a value be typed."""
        field = self._field = QLineEdit(self.text, self)
        field.setFont(theme.number_font(14, 500))
        field.setGeometry(0, 13, self.width(), 26)
        field.selectAll()
        field.editingFinished.connect(self._typed)
        field.show()
        field.setFocus()

    def _typed(self) -> None:
        field, self._field = self._field, None
        if field is not None:
            self.typed.emit(field.text())
            field.deleteLater()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.theme()
        painter = QPainter(self)
        painter.setFont(theme.caps_font())
        painter.setPen(theme.color(t.second))
        painter.drawText(QRectF(0, 2, self.width(), 14), Qt.AlignmentFlag.AlignVCenter, self.caption.upper())
        painter.setFont(theme.number_font(16, 500) if self.text[:1].isdigit() else theme.label_font(15, 600))
        painter.setPen(theme.color(t.ink))
        painter.drawText(QRectF(0, 17, self.width(), 21), Qt.AlignmentFlag.AlignVCenter, self.text)


class Tab(QPushButton):
    """A view's name, underlined where it is in sight."""

    def __init__(self, text: str, help_text: str) -> None:
        super().__init__(text)
        self.setCheckable(True)
        self.setAutoExclusive(True)
        self.setFixedSize(64, HEIGHT - 2)
        self.setToolTip(help_text)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.theme()
        painter = QPainter(self)
        painter.setFont(theme.label_font(15, 600 if self.isChecked() else 400))
        painter.setPen(theme.color(t.ink if self.isChecked() or self.underMouse() else t.second))
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.text())
        if self.isChecked():
            painter.fillRect(QRectF(0, self.height() - 4, self.width(), 4), theme.color(theme.roll_ink(0)))
        if self.hasFocus():
            painter.drawRect(self.rect().adjusted(4, 12, -5, -12))


class Header(QWidget):
    """The strip at the top.

    Signals:
        view: a view is wanted, by its name.
        menu: the project menu is wanted, beneath this widget.
    """

    view = pyqtSignal(str)
    menu = pyqtSignal(QWidget)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(HEIGHT)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 0, 12, 0)
        row.setSpacing(6)
        self.mark = Mark()
        row.addWidget(self.mark)
        row.addLayout(self._names(), 1)
        self._build_transport(row)
        self._build_fields(row)
        self._build_views(row)
        self._build_health(row)
        session.changed.connect(self.refresh)
        session.file_changed.connect(self.refresh)
        session.reported.connect(self._reported)
        theme.changed.connect(self.update)
        self.refresh()

    # -- building ----------------------------------------------------------------------------------

    def _names(self) -> QVBoxLayout:
        names = QVBoxLayout()
        names.setSpacing(0)
        names.setContentsMargins(2, 5, 0, 5)
        self.title = NameField("", "title")
        self.title.setFixedHeight(23)
        self.title.renamed.connect(
            lambda text: self.session.edit("Title", edits.set_project(self.session.project, title=text))
        )
        self.menu_button = QPushButton("")
        self.menu_button.setProperty("flat", True)
        self.menu_button.setStyleSheet("text-align: left; padding: 0 4px 0 0;")
        self.menu_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.menu_button.setToolTip("New, open, save, undo, look, audio (Alt+P).")
        self.menu_button.clicked.connect(lambda: self.menu.emit(self.menu_button))
        names.addWidget(self.title)
        names.addWidget(self.menu_button, 0, Qt.AlignmentFlag.AlignLeft)
        return names

    def _build_transport(self, row: QHBoxLayout) -> None:
        self.to_start = TransportButton("start", "To the start (Home)")
        self.to_start.clicked.connect(self.session.rewind)
        self.play = TransportButton("play", "Play or stop (Space)")
        self.play.clicked.connect(self.session.play)
        self.record = TransportButton("record", "Record a take, from here to the next press (Ctrl+R)")
        self.record.clicked.connect(self.session.record)
        for button in (self.to_start, self.play, self.record):
            row.addWidget(button)
        self.keep = QPushButton("Keep")
        self.keep.setFixedHeight(30)
        self.keep.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.keep.setToolTip(
            "<qt>Keep what was just played, as a take: everything since the last rest of four seconds, as played "
            "and as generated (Ctrl+K). Right click for other lengths, up to the last ten minutes.</qt>"
        )
        self.keep.clicked.connect(lambda: self._keep(None))
        self.keep.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.keep.customContextMenuRequested.connect(lambda place: self._keep_menu())
        row.addWidget(self.keep)
        row.addSpacing(8)

    def _build_fields(self, row: QHBoxLayout) -> None:
        self.position = Field("Position", "Bar, beat and tick. Click to go to a bar.", 104)
        self.position.clicked.connect(self.position.type_value)
        self.position.typed.connect(self._go_to)
        self.tempo = Field(
            "Tempo",
            "Quarter notes a minute, 20 to 400. Drag, wheel (Shift is fine), click to type; Ctrl+Space taps it.",
            62,
        )
        self.tempo.clicked.connect(self.tempo.type_value)
        self.tempo.typed.connect(self._type_tempo)
        self.tempo.stepped.connect(lambda step: self._set_tempo(self.session.project.tempo + step))
        self.tempo.settled.connect(self.session.settle)
        self.meter = Field("Meter", "Beats in a bar. Click to choose.", 50)
        self.meter.clicked.connect(self._meter_menu)
        self.key = Field("Key", "The project's key: stages that follow it, and the spelling of notes. Click.", 96)
        self.key.clicked.connect(self._key_menu)
        for field in (self.position, self.tempo, self.meter, self.key):
            row.addWidget(field)

    def _build_views(self, row: QHBoxLayout) -> None:
        self.tabs: dict[str, Tab] = {}
        for name, help_text in (("Board", "All strands (Ctrl+1)"), ("Take", "What was kept and recorded (Ctrl+2)")):
            tab = self.tabs[name] = Tab(name, help_text)
            tab.clicked.connect(lambda _=False, name=name: self.view.emit(name))
            row.addWidget(tab)
        self.tabs["Board"].setChecked(True)

    def _build_health(self, row: QHBoxLayout) -> None:
        health = QVBoxLayout()
        health.setSpacing(0)
        health.addStretch(1)
        self.timing = QLabel("timing –")
        self.audio = QLabel("audio –")
        for label, help_text in (
            (self.timing, "How late the engine was at worst in 99 of 100 cases, in the last two seconds."),
            (self.audio, "From an event to its sound: the constant latency of the audio device."),
        ):
            label.setProperty("role", "small-number")
            label.setFixedHeight(17)
            label.setToolTip(help_text)
            label.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            label.setFixedWidth(104)
            health.addWidget(label)
        health.addStretch(1)
        row.addLayout(health)
        row.addSpacing(6)
        self.all_off = QPushButton("All off")
        self.all_off.setProperty("alarm", True)
        self.all_off.setFixedSize(56, 30)
        self.all_off.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.all_off.setToolTip("Silence everything, whatever happened (Ctrl+.)")
        row.addWidget(self.all_off)

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the document."""
        session = self.session
        project = session.project
        self.title.setText(project.title)
        file = session.path.name if session.path else "not a file yet"
        state = "unsaved changes" if session.history.dirty else "saved" if session.path else "new"
        self.menu_button.setText(f"{file} · {state}  ▾")
        self.tempo.show_text(f"{project.tempo:.1f}")
        self.meter.show_text(f"{project.meter[0]}/{project.meter[1]}")
        self.key.show_text(project.key.label)
        self.record.show_active(session.recording_since is not None)

    def _reported(self, told: Telemetry) -> None:
        self.play.show_active(told.playing)
        health = told.health
        self.timing.setText(f"timing {health.late_p99 * 1000:.1f} ms")
        self.audio.setText(f"audio {health.audio_latency * 1000:.1f} ms" if health.audio else "audio none")

    def tick(self, now: float) -> None:
        """One frame."""
        self.position.show_text(self.session.position(now))
        turn = int(self.session.beat_at(now)) % 12
        if turn != self.mark.turn:
            self.mark.turn = turn
            self.mark.update()

    # -- edits -------------------------------------------------------------------------------------

    def _set_tempo(self, tempo: float) -> None:
        tempo = round(min(TEMPO_RANGE[1], max(TEMPO_RANGE[0], tempo)), 1)
        self.session.edit("Tempo", edits.set_project(self.session.project, tempo=tempo), "tempo")

    def _type_tempo(self, text: str) -> None:
        try:
            tempo = float(text.replace(",", "."))
        except ValueError:
            self.session.notice("edit", f"“{text}” is no tempo: type quarter notes a minute, 20 to 400.")
            return
        if not TEMPO_RANGE[0] <= tempo <= TEMPO_RANGE[1]:
            self.session.notice("edit", f"The tempo runs from 20 to 400; {tempo:g} was taken as its nearest bound.")
        self._set_tempo(tempo)
        self.session.settle()

    def _go_to(self, text: str) -> None:
        meter = self.session.project.meter
        try:
            parts = [int(part) for part in text.split(".")]
            beat = (parts[0] - 1) * bar_beats(meter) + (parts[1] - 1 if len(parts) > 1 else 0) * 4.0 / meter[1]
        except ValueError:
            self.session.notice("edit", f"“{text}” is no position: type a bar, or bar and beat as in 12.3.")
            return
        self.session.client.send(Locate(max(0.0, beat)))

    def _meter_menu(self) -> None:
        menu = QMenu(self)
        for meter in _METERS:
            menu.addAction(
                f"{meter[0]}/{meter[1]}",
                lambda meter=meter: self.session.edit("Meter", edits.set_project(self.session.project, meter=meter)),
            )
        menu.exec(self.meter.mapToGlobal(self.meter.rect().bottomLeft()))

    def _key_menu(self) -> None:
        menu = QMenu(self)
        now = self.session.project.key
        roots = menu.addMenu(f"Root: {pretty_name(now.root)}")
        scales = menu.addMenu(f"Scale: {SCALE_OPTIONS[now.scale]}")
        if roots is None or scales is None:
            return
        for root in ROOTS:
            roots.addAction(pretty_name(root), lambda root=root: self._set_key(Key(root, now.scale)))
        for scale, label in SCALE_OPTIONS.items():
            scales.addAction(label, lambda scale=scale: self._set_key(Key(now.root, scale)))
        menu.exec(self.key.mapToGlobal(self.key.rect().bottomLeft()))

    def _set_key(self, key: Key) -> None:
        self.session.edit(f"Key {key.label}", edits.set_project(self.session.project, key=key))

    def _keep(self, seconds: float | None) -> None:
        if not self.session.keep(seconds):
            self.session.notice("take", "There is nothing to keep yet: play something first.")

    def _keep_menu(self) -> None:
        menu = QMenu(self)
        menu.addAction("Since the last rest", lambda: self._keep(None))
        for words, seconds in (
            ("Last 30 seconds", 30.0),
            ("Last 2 minutes", 120.0),
            ("All of the last ten minutes", 600.0),
        ):
            menu.addAction(words, lambda seconds=seconds: self._keep(seconds))
        menu.exec(self.keep.mapToGlobal(self.keep.rect().bottomLeft()))
