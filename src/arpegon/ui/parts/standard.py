"""The standard controls: one for each type of declaration."""

from __future__ import annotations

import random
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QIntValidator, QPaintEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from arpegon.core.processing.parameters import (
    Channel,
    Choice,
    Controller,
    Flags,
    NoteKey,
    NoteValue,
    Number,
    Numbers,
    Param,
    PitchClass,
    Switch,
)
from arpegon.core.theory.controllers import cc_number, cc_words
from arpegon.core.theory.pitch import pretty_name, read_written, written
from arpegon.core.time.rhythm import NOTE_VALUES
from arpegon.ui.controls import choices
from arpegon.ui.controls.checks import Chips
from arpegon.ui.controls.refusal import say_at
from arpegon.ui.controls.slider import Slider, tooltip
from arpegon.ui.look import theme
from arpegon.ui.look.plain import Label, tip

ROOTS = ("C", "C#", "Db", "D", "D#", "Eb", "E", "F", "F#", "Gb", "G", "G#", "Ab", "A", "A#", "Bb", "B")
MAX_ON_A_SLIDER = 20_000
STANDARD = (Number, Choice, Switch, PitchClass, Numbers, NoteValue, NoteKey, Flags)
"""Declarations that have a standard control; others are for editors of their own."""
_MOVE_ONE = "move one …"
FEW = 4
"""Choices up to this many are shown side by side."""

Choose = Callable[[Any, bool], None]
"""Called with a new value, and whether the gesture has ended."""


def standard_control(param: Param, ink: str, choose: Choose, settle: Callable[[], None]) -> QWidget:
    """The control of a declaration; ``set_value`` shows a value on it.

    Args:
        ink: the colour of sliders.
        choose: takes what is chosen.
        settle: called when a drag ends.
    """
    made: QWidget
    if isinstance(param, Number) and param.high > MAX_ON_A_SLIDER:
        made = SeedField(param)
        made.chosen.connect(lambda value: choose(value, True))
    elif isinstance(param, Controller):
        made = ControllerField(param)
        made.chosen.connect(lambda value: choose(value, True))
    elif isinstance(param, Channel):
        numbers = range(int(param.low), int(param.high) + 1)
        made = ChannelPicker({str(number): param.text(number) for number in numbers}, tooltip(param))
        made.chosen.connect(lambda value: choose(int(value), True))
    elif isinstance(param, (Number, NoteKey)):
        number = (
            param
            if isinstance(param, Number)
            else NoteNumber(**{name: getattr(param, name) for name in ("name", "label", "help", "default")})
        )
        made = Slider(number, ink)
        made.moved.connect(lambda value: choose(number.clamp(value), False))
        made.settled.connect(settle)
    elif isinstance(param, Flags):
        made = Chips(param.options, tooltip(param))
        made.chosen.connect(lambda values: choose(values, True))
    elif isinstance(param, NoteValue):
        made = RateField(param)
        made.chosen.connect(lambda value: choose(value, True))
    elif isinstance(param, Switch):
        made = choices.ToggleSwitch(param.label, tooltip(param))
        made.toggled.connect(lambda on: choose(on, True))
    elif isinstance(param, Choice) and len(param.options) <= FEW:
        made = choices.Segments(param.options, tooltip(param))
        made.chosen.connect(lambda value: choose(value, True))
    elif isinstance(param, (Choice, PitchClass)):
        options = param.options if isinstance(param, Choice) else {root: pretty_name(root) for root in ROOTS}
        made = choices.Picker(options, tooltip(param))
        made.chosen.connect(lambda value: choose(value, True))
    else:
        made = NumbersField(param)
        made.numbers.connect(lambda numbers: choose(numbers, True))
    made.setAccessibleName(param.label)
    return made


class ChannelPicker(choices.Picker):
    """A MIDI channel, from a list."""

    def set_value(self, value: object) -> None:
        super().set_value(str(value))


class ControllerField(QComboBox):
    """The number of a controller: chosen from a list by name or number, typed, or moved.

    Signals:
        asked: the next controller that is moved is wanted.
    """

    chosen = pyqtSignal(int)
    asked = pyqtSignal()

    def __init__(self, param: Controller) -> None:
        super().__init__()
        self._param = param
        self._value = int(param.default)
        self._own: dict[int, str] = {}
        self.setEditable(True)
        self.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.setToolTip(tip(f"{tooltip(param)} Choose it, type its name or number, or move one."))
        self.setMaxVisibleItems(20)
        self.setMinimumContentsLength(6)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.addItem(_MOVE_ONE, -1)
        for number in range(int(param.low), int(param.high) + 1):
            self.addItem(cc_words(number), number)
        self.activated.connect(lambda place: self._take(self.itemData(place)))
        line = self.lineEdit()
        if line is not None:
            line.editingFinished.connect(self._typed)
        self.set_value(self._value)

    def set_names(self, own: Mapping[int, str]) -> None:
        """Names of one's own come before those of the standard."""
        if own != self._own:
            self._own = dict(own)
            for row in range(1, self.count()):
                self.setItemText(row, cc_words(self.itemData(row), own))
            self.set_value(self._value)

    def value(self) -> int:
        """The number that is shown."""
        return self._value

    def set_value(self, value: object) -> None:
        """Show a number; nothing is emitted."""
        self._value = int(value)  # type: ignore[call-overload]
        self.setCurrentIndex(self.findData(self._value))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        choices.draw_drop_arrow(self)

    def take(self, number: int) -> None:
        """A controller was moved."""
        if self._param.low <= number <= self._param.high:
            self._take(number)

    def _take(self, number: int) -> None:
        if number < 0:
            self.set_value(self._value)
            self.asked.emit()
        elif number != self._value:
            self.set_value(number)
            self.chosen.emit(number)

    def _typed(self) -> None:
        text = self.currentText()
        if text in (_MOVE_ONE, cc_words(self._value, self._own)):
            return
        number = cc_number(text, self._own)
        if number is None or not self._param.low <= number <= self._param.high:
            say_at(self, f"“{text}” is no controller: type a number up to {self._param.high:g}, or a name.")
            self.set_value(self._value)
        else:
            self._take(number)


class RateField(QComboBox):
    """A note value: chosen from the list, or typed (5 in 4)."""

    chosen = pyqtSignal(str)

    def __init__(self, param: Param) -> None:
        super().__init__()
        self._value = str(param.default)
        self.setEditable(True)
        self.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.setToolTip(tip(tooltip(param)))
        self.setMaxVisibleItems(26)
        self.setMinimumContentsLength(5)
        self.addItems(NOTE_VALUES)
        self.activated.connect(lambda _: self._choose())
        line = self.lineEdit()
        if line is not None:
            line.editingFinished.connect(self._choose)
        self.set_value(self._value)

    def value(self) -> str:
        """The value that is shown."""
        return self._value

    def set_value(self, value: str) -> None:
        """Show a value; nothing is emitted."""
        self._value = value
        self.setCurrentText(value)

    def _choose(self) -> None:
        text = self.currentText().strip()
        if text != self._value:
            before = self._value
            self.chosen.emit(text)
            if self._value == before:  # it was refused, with a sentence in the status line
                self.setCurrentText(before)


class NoteNumber(Number, frozen=True, kw_only=True):
    """A note on a slider."""

    low: float = 0
    high: float = 127

    def text(self, value: Any) -> str:
        return written(value)

    def typed(self, text: str) -> float:
        """A note by its name or number."""
        return read_written(text)


class SeedField(QWidget):
    """A large number: typed, or another one at random."""

    chosen = pyqtSignal(int)

    def __init__(self, param: Number) -> None:
        super().__init__()
        self.param = param
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        self.field = QLineEdit()
        self.field.setFont(theme.number_font(12))
        self.field.setValidator(QIntValidator(int(param.low), int(param.high)))
        self.field.setToolTip(tip(tooltip(param)))
        self.field.editingFinished.connect(lambda: self._choose(int(self.field.text() or 0)))
        self.another = QPushButton("another")
        self.another.setToolTip(tip(f"{param.label}: another one, by chance. Ctrl+Z brings the one before back."))
        self.another.clicked.connect(lambda: self._choose(random.randint(int(param.low), int(param.high))))
        row.addWidget(self.field, 1)
        row.addWidget(self.another)

    def set_value(self, value: int) -> None:
        """Show a value; nothing is emitted."""
        self.field.setText(str(value))

    def _choose(self, value: int) -> None:
        self.chosen.emit(value)


class NumbersField(QLineEdit):
    """A list of numbers, typed with spaces between."""

    numbers = pyqtSignal(list)

    def __init__(self, param: Param) -> None:
        super().__init__()
        self.param = param
        self.setFont(theme.number_font(12))
        self.setToolTip(tip(tooltip(param)))
        self.editingFinished.connect(self._typed)

    def set_value(self, numbers: Sequence[float]) -> None:
        """Show a list."""
        self.setText(self.param.text(numbers))

    def _typed(self) -> None:
        try:
            numbers = [float(word) for word in self.text().replace("−", "-").replace(",", " ").split()]
        except ValueError:
            say_at(self, f"“{self.text()}” is no list of numbers: type {self.param.range_text}.")
            return
        self.numbers.emit(numbers)


def captioned(param: Param, control: QWidget) -> QWidget:
    """A standard control under its label (sliders and switches bear their own)."""
    return control if isinstance(control, (Slider, choices.ToggleSwitch)) else under_caption(param.label, control)


def under_caption(caption: str, widget: QWidget) -> QWidget:
    """A widget under a small label."""
    holder = QWidget()
    box = QVBoxLayout(holder)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(3)
    label = Label(caption)
    label.setProperty("role", "second")
    label.setBuddy(widget)
    if not widget.accessibleName():
        widget.setAccessibleName(caption)
    box.addWidget(label)
    box.addWidget(widget)
    return holder


def counted_heading(text: str, what: str, count: Callable[[int], None], max_count: int = 32) -> QHBoxLayout:
    """A heading with buttons for one ``what`` fewer and one more."""
    head = QHBoxLayout()
    head.addWidget(caps(text), 1)
    for sign, by, words in (("−", -1, f"One {what} fewer."), ("+", 1, f"One {what} more, up to {max_count}.")):
        button = QPushButton(sign)
        button.setFixedSize(30, 24)
        button.setStyleSheet("padding: 0;")
        button.setToolTip(tip(words))
        button.clicked.connect(lambda _=False, by=by: count(by))
        head.addWidget(button)
    return head


def caps(text: str) -> Label:
    """A small heading in capitals."""
    label = Label(text.upper())
    label.setProperty("role", "caps")
    label.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom)
    return label
