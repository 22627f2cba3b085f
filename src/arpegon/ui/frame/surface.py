"""The play surface: keyboard and wheels, played with the mouse and the computer's keys."""

from __future__ import annotations

from collections.abc import Collection

from PyQt6.QtCore import QRectF, QSignalBlocker, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QResizeEvent, QShowEvent, QWheelEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from arpegon.core.events import SUSTAIN, Event, bend, control, note_off, note_on, pressure
from arpegon.core.theory.pitch import written
from arpegon.core.theory.scales import Key
from arpegon.core.time import studio
from arpegon.ui.controls import arrows
from arpegon.ui.controls.keyboard import Keyboard
from arpegon.ui.frame.computer_keys import LAYOUTS, ComputerKeys, in_key
from arpegon.ui.frame.surface_parts import KnobsAndPads
from arpegon.ui.look import theme
from arpegon.ui.look.painted import OwnKeys, PaintedRange
from arpegon.ui.look.plain import Label, tip
from arpegon.ui.model.session import Session

HEIGHT = 106
_STAGE_HEIGHT = 190
_ROOM_FOR_BOTH = 1180
"""Pixels across that the keyboard, and knobs and pads beside it, need."""
_STEP = 5 / 127
"""How far a step of the arrows or of the mouse's wheel turns a wheel."""


class Wheel(OwnKeys, PaintedRange):
    """A wheel: bend springs back to its middle, the others stay. Drag, wheel and arrows turn it."""

    own_keys = (Qt.Key.Key_Home,)
    turned = pyqtSignal(float)

    def __init__(self, label: str, rest: float, springs: bool, help_text: str) -> None:
        super().__init__()
        self.label = label
        self.rest = rest
        self.springs = springs
        self.value = rest
        self._held = False
        self.setFixedWidth(30)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        back = "lets go" if springs else "puts it to rest"
        self.setToolTip(tip(f"{help_text} Drag or arrows turn it, Shift is fine; double click or Home {back}."))
        self.setAccessibleName(label)
        self.tell(rest, 0.0, 1.0, 1 / 127)

    def put(self, steps: int) -> None:
        self.set_value(steps / 127)
        self._spring()

    def sizeHint(self) -> QSize:
        return QSize(30, 76)

    def set_value(self, value: float, tell: bool = True) -> None:
        """Turn to a value 0-1."""
        value = max(0.0, min(1.0, value))
        if value != self.value:
            self.value = value
            self.tell(value, 0.0, 1.0, 1 / 127)
            self.update()
            if tell:
                self.turned.emit(value)

    def _turn(self, event: QMouseEvent) -> None:
        self.set_value(1.0 - (event.position().y() - 5) / max(1, self.height() - 26))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._held = True
            self._turn(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._held:
            self._turn(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held:
            self._held = False
            self._spring()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.set_value(self.rest)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None and not self.springs:  # a turn of the mouse's wheel has no end at which to spring back
            self.set_value(self.value + (_STEP if event.angleDelta().y() > 0 else -_STEP))
            event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        by = arrows.upwards(event)
        if event is not None and by:
            fine = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            self.set_value(self.value + by * (1 / 127 if fine else _STEP))
        elif event is not None and event.key() == Qt.Key.Key_Home:
            self.set_value(self.rest)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and not event.isAutoRepeat():
            self._spring()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        self._spring()
        super().focusOutEvent(event)

    def _spring(self) -> None:
        """Let go: what springs goes back."""
        if self.springs:
            self.set_value(self.rest)

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        body = QRectF(3, 1, self.width() - 6, self.height() - 18)
        painter.setPen(theme.color(t.ink if self.hasFocus() else t.line))
        painter.setBrush(theme.color(t.field))
        painter.drawRoundedRect(body, 5, 5)
        y = body.bottom() - 5 - self.value * (body.height() - 10)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(t.ink))
        painter.drawRoundedRect(QRectF(body.left() + 3, y - 3, body.width() - 6, 6), 2, 2)
        painter.setPen(theme.color(t.second))
        painter.setFont(theme.label_font(11))
        painter.drawText(QRectF(-4, self.height() - 16, self.width() + 8, 16), Qt.AlignmentFlag.AlignCenter, self.label)


class PlaySurface(QWidget):
    """Everything that can be played with nothing plugged in."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.octave = 4
        self.layout_ = session.settings.key_layout if session.settings.key_layout in LAYOUTS else "piano"
        self._held: dict[object, int] = {}
        self._on_stage = self._in_place_of_keys = False
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(HEIGHT)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 6, 14, 6)
        row.setSpacing(5)
        wheels = (
            ("bend", 0.5, True, "Pitch bend; springs back.", self._bend),
            ("mod", 0.0, False, "Modulation (CC 1).", lambda value: self._control(1, value)),
            ("press", 0.0, False, "Channel pressure (aftertouch); also by dragging on from a key.", self._pressure),
            ("pedal", 1.0, False, "The expression pedal (CC 11).", lambda value: self._control(11, value)),
            (
                "veloc.",
                96 / 127,
                False,
                "The velocity of the computer's keys, 1 to 127; with the mouse it is the height of the stroke.",
                lambda value: self._say(),
            ),
        )
        self.wheels: dict[str, Wheel] = {}
        for label, rest, springs, help_text, turned in wheels:
            wheel = self.wheels[label] = Wheel(label, rest, springs, help_text)
            wheel.turned.connect(turned)
            row.addWidget(wheel)
        row.addSpacing(4)
        self.parts = KnobsAndPads(session)
        row.addWidget(self.parts)
        row.addSpacing(4)
        self._keys = QWidget()
        column = QVBoxLayout(self._keys)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(3)
        column.addLayout(self._head())
        self.keyboard = Keyboard(36, 96)
        self.keyboard.pressed.connect(lambda note, velocity: self.press("mouse", note, velocity))
        self.keyboard.released.connect(lambda note: self.release("mouse"))
        self.keyboard.pressed_on.connect(lambda value: self._send(pressure(studio.now(), 0, value)))
        column.addWidget(self.keyboard, 1)
        row.addWidget(self._keys, 1)
        self.all_off = QPushButton("All off")
        self.all_off.setProperty("alarm", True)
        self.all_off.setToolTip("Silence everything, whatever happened (Ctrl+.).")
        self.all_off.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.all_off.setFixedWidth(190)
        self.all_off.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.all_off.hide()
        row.addWidget(self.all_off)
        self._say()
        self._arrange()
        session.changed.connect(self._say)
        self.computer_keys = ComputerKeys(self)

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(14)
        self._title = Label("PLAY SURFACE")
        self._title.setProperty("role", "caps")
        row.addWidget(self._title)
        self._words = Label("")
        self._words.setProperty("role", "second")
        row.addWidget(self._words)
        row.addStretch(1)
        self.layout_button = QPushButton("")
        self.layout_button.setProperty("flat", True)
        self.layout_button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.layout_button.setToolTip(
            "Lay the computer's keys out as a piano, or in rows within the project's key: "
            "along a row the degrees, a row up an octave (Ctrl+Shift+L)."
        )
        self.layout_button.clicked.connect(self.change_layout)
        row.addWidget(self.layout_button)
        self._octaves: list[QPushButton] = []
        for text, step, help_text in (("octave −", -1, "Page Down"), ("octave +", 1, "Page Up")):
            button = QPushButton(text)
            button.setProperty("flat", True)
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.setToolTip(tip(f"Move the computer's keys by an octave ({help_text})."))
            button.clicked.connect(lambda _=False, step=step: self.shift(step))
            row.addWidget(button)
            self._octaves.append(button)
        self.shown = QPushButton("knobs and pads")
        self.shown.setProperty("flat", True)
        self.shown.setCheckable(True)
        self.shown.setChecked(self.session.settings.knobs_and_pads)
        self.shown.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.shown.setToolTip("Eight knobs and sixteen pads beside the keyboard, to be hooked up and named.")
        self.shown.toggled.connect(self._show_parts)
        row.addWidget(self.shown)
        self.pedal = QPushButton("sustain")
        self.pedal.setProperty("flat", True)
        self.pedal.setCheckable(True)
        self.pedal.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.pedal.setToolTip("The sustain pedal (CC 64).")
        self.pedal.toggled.connect(lambda on: self._control(SUSTAIN, 1.0 if on else 0.0))
        row.addWidget(self.pedal)
        return row

    def set_on_stage(self, on: bool) -> None:
        """Only pads, large, and *All off*; or all of it."""
        self._on_stage = on
        self.all_off.setVisible(on)
        self.parts.set_large(on)
        self.setFixedHeight(_STAGE_HEIGHT if on else HEIGHT)
        self._arrange()

    @property
    def _narrow(self) -> bool:
        """Whether there is room for the keyboard or for knobs and pads, but not for both."""
        return self.width() < _ROOM_FOR_BOTH

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.computer_keys.follow()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._arrange()

    def _arrange(self) -> None:
        """Show what there is room for."""
        narrow, stage = self._narrow, self._on_stage
        parts = self._in_place_of_keys if narrow else self.session.settings.knobs_and_pads
        keys = not stage and not (narrow and parts)
        for widget in (*self.wheels.values(), self.keyboard, self._title, self.layout_button, *self._octaves):
            widget.setVisible(keys)
        self._keys.setVisible(not stage)
        self.parts.setVisible(stage or parts)
        self._words.setVisible(keys and not parts and not narrow)
        with QSignalBlocker(self.shown):
            self.shown.setChecked(parts)

    @property
    def key(self) -> Key:
        """What notes in a key are counted in."""
        return self.session.project.key

    @property
    def velocity(self) -> int:
        """The velocity of the computer's keys."""
        return max(1, round(127 * self.wheels["veloc."].value))

    def _say(self) -> None:
        self.layout_button.setText(f"keys: {LAYOUTS[self.layout_]}")
        low = 12 * (self.octave + 1)
        if self.layout_ == "key":
            key = self.session.project.key
            first = written(max(0, min(127, in_key(0, 0, key, self.octave))), key.names)
            keys = f"rows of {key.label}, Z is {first}, each row an octave up"
        else:
            keys = f"Z–M from {written(low)}, Q–P from {written(low + 12)}"
        words = f"computer keys: {keys}, velocity {self.velocity}   ·   mouse: lower on the key is louder"
        self._words.setText(words)
        self.keyboard.setToolTip(tip(f"{words}; dragging on is pressure."))

    def change_layout(self) -> None:
        """Piano to in-key rows and back; what is held is let go."""
        self.release_all()
        self.layout_ = "key" if self.layout_ == "piano" else "piano"
        self.session.change_settings(key_layout=self.layout_)
        self._say()

    # -- playing -----------------------------------------------------------------------------------

    def press(self, key: object, note: int, velocity: int) -> None:
        """Start a note on behalf of a key (a name of whatever holds it)."""
        if key in self._held or not 0 <= note <= 127:
            return
        sounding = note in self._held.values()
        self._held[key] = note
        if not sounding:
            self.session.feed(note_on(studio.now(), 0, note, velocity))
        self._held_changed()

    def release(self, key: object) -> None:
        """End the note that a key started."""
        note = self._held.pop(key, None)
        if note is not None and note not in self._held.values():
            self.session.feed(note_off(studio.now(), 0, note))
        self._held_changed()

    def _held_changed(self) -> None:
        self.keyboard.set_held(frozenset(self._held.values()))
        self.computer_keys.hold(bool(self._held))

    def release_all(self) -> None:
        """End every note that is held here (the window lost the keyboard, or All off)."""
        for key in list(self._held):
            self.release(key)

    @property
    def held(self) -> Collection[object]:
        """What holds notes."""
        return self._held

    def _show_parts(self, on: bool) -> None:
        if self._narrow:
            self._in_place_of_keys = on
        else:
            self.session.change_settings(knobs_and_pads=on)
        self._arrange()

    def shift(self, octaves: int) -> None:
        """Move the computer's keys."""
        self.octave = max(0, min(8, self.octave + octaves))
        self._say()

    def rest(self) -> None:
        """Everything as it is when nobody plays."""
        self.release_all()
        self.pedal.setChecked(False)
        self.parts.rest()
        for wheel in self.wheels.values():
            wheel.set_value(wheel.rest)

    def _send(self, event: Event) -> None:
        self.session.feed(event)

    def _bend(self, value: float) -> None:
        self._send(bend(studio.now(), 0, max(-8192, min(8191, round((value - 0.5) * 16384)))))

    def _control(self, number: int, value: float) -> None:
        self._send(control(studio.now(), 0, number, round(value * 127)))

    def _pressure(self, value: float) -> None:
        self._send(pressure(studio.now(), 0, round(value * 127)))
