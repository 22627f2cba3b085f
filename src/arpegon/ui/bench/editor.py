"""The base of stage editors, and the one that any stage gets from its declarations alone."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QIntValidator
from PyQt6.QtWidgets import QBoxLayout, QGridLayout, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from arpegon.core.document import Stage, Strand
from arpegon.core.events import NOTE_ON, Event
from arpegon.core.parameters import Choice, Flags, NoteKey, NoteValue, Number, Numbers, Param, PitchClass, Switch
from arpegon.core.pitch import note_name, pretty_name
from arpegon.core.rhythm import NOTE_VALUES
from arpegon.engine.protocol import Passed
from arpegon.processors import processor_class
from arpegon.ui import theme
from arpegon.ui.controls import choices
from arpegon.ui.controls.checks import Chips
from arpegon.ui.controls.slider import Slider, tooltip
from arpegon.ui.session import Session

ROOTS = ("C", "C#", "Db", "D", "D#", "Eb", "E", "F", "F#", "Gb", "G", "G#", "Ab", "A", "A#", "Bb", "B")
MOST_ON_A_SLIDER = 20_000
STANDARD = (Number, Choice, Switch, PitchClass, Numbers, NoteValue, NoteKey, Flags)
"""Declarations that have a standard control; others are for editors of their own."""
FEW = 4
"""Choices up to this many are shown side by side."""


class StageEditor(QWidget):
    """Edits one stage and shows its effect on what passes.

    Subclasses build their widgets in ``build``, show values in ``show_values`` and what passes in ``passed``.
    """

    def __init__(self, session: Session, strand: Strand, stage: Stage, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.strand = strand
        self.stage = stage
        self.processor = processor_class(stage.kind)
        self.params: dict[str, Param] = {param.key: param for param in self.processor.params}
        self.ink = theme.ink(session.ink_number(strand.id))
        self.controls: dict[str, QWidget] = {}
        self._halves = QBoxLayout(QBoxLayout.Direction.TopToBottom, self)
        self._halves.setContentsMargins(0, 0, 0, 0)
        self._halves.setSpacing(12)
        self.box, self.side = QVBoxLayout(), QVBoxLayout()
        for half, share in ((self.box, 6), (self.side, 5)):
            half.setContentsMargins(0, 0, 0, 0)
            half.setSpacing(10)
            self._halves.addLayout(half, share)
        self.build()
        if self.side.count():
            self.side.addStretch(1)
        self.refresh(strand, stage)

    def set_wide(self, wide: bool) -> None:
        """Lay the two halves side by side, or one under the other."""
        direction = QBoxLayout.Direction
        self._halves.setDirection(direction.LeftToRight if wide and self.side.count() else direction.TopToBottom)
        self._halves.setSpacing(28 if wide else 12)

    @property
    def values(self) -> dict[str, Any]:
        """All parameters of the stage, defaults included."""
        return self.session.values(self.stage)

    def build(self) -> None:
        """Make the widgets: here one standard control for each parameter."""
        for key, param in self.params.items():
            if isinstance(param, STANDARD):
                self.box.addWidget(self.captioned(key))

    def grid(self, *keys: str, columns: int = 2) -> QGridLayout:
        """Standard controls side by side."""
        grid = QGridLayout()
        grid.setHorizontalSpacing(20)
        grid.setVerticalSpacing(8)
        for column in range(columns):
            grid.setColumnStretch(column, 1)
        for place, key in enumerate(keys):
            grid.addWidget(self.captioned(key), place // columns, place % columns, Qt.AlignmentFlag.AlignBottom)
        return grid

    def refresh(self, strand: Strand, stage: Stage) -> None:
        """Show a stage as it is now."""
        self.strand, self.stage = strand, stage
        values = self.values
        for key, control in self.controls.items():
            control.set_value(values[key])  # type: ignore[attr-defined]
        self.show_values(values)

    def show_values(self, values: dict[str, Any]) -> None:
        """Show what the standard controls do not."""

    def passed(self, batch: Sequence[Passed]) -> None:
        """Show what passed."""

    def tick(self, now: float) -> None:
        """One frame."""

    def set(self, settled: bool = True, **values: Any) -> None:
        """Set parameters."""
        self.session.set_params(self.stage.id, values, settled)

    # -- standard controls -------------------------------------------------------------------------

    def control(self, key: str) -> QWidget:
        """The standard control of a parameter, from its declaration."""
        param = self.params[key]
        made: QWidget
        if isinstance(param, Number) and param.high > MOST_ON_A_SLIDER:
            made = SeedField(param)
            made.chosen.connect(lambda value: self.set(**{key: value}))
        elif isinstance(param, Number):
            made = Slider(param, self.ink)
            made.moved.connect(lambda value: self.set(False, **{key: param.clamp(value)}))
            made.settled.connect(self.session.settle)
        elif isinstance(param, NoteKey):
            number = NoteNumber(**{name: getattr(param, name) for name in ("key", "label", "help", "default")})
            made = Slider(number, self.ink)
            made.moved.connect(lambda value: self.set(False, **{key: round(value)}))
            made.settled.connect(self.session.settle)
        elif isinstance(param, Flags):
            made = Chips(param.options, tooltip(param))
            made.chosen.connect(lambda values: self.set(**{key: values}))
        elif isinstance(param, NoteValue):
            made = choices.Picker({value: value for value in NOTE_VALUES}, tooltip(param))
            made.chosen.connect(lambda value: self.set(**{key: value}))
        elif isinstance(param, Switch):
            made = choices.Switch(param.label, tooltip(param))
            made.toggled.connect(lambda on: self.set(**{key: on}))
        elif isinstance(param, Choice) and len(param.options) <= FEW:
            made = choices.Segments(param.options, tooltip(param))
            made.chosen.connect(lambda value: self.set(**{key: value}))
        elif isinstance(param, (Choice, PitchClass)):
            options = param.options if isinstance(param, Choice) else {root: pretty_name(root) for root in ROOTS}
            made = choices.Picker(options, tooltip(param))
            made.chosen.connect(lambda value: self.set(**{key: value}))
        else:
            made = NumbersField(param)
            made.numbers.connect(lambda numbers: self.set(**{key: numbers}))
        made.setAccessibleName(param.label)
        self.controls[key] = made
        return made

    def captioned(self, key: str) -> QWidget:
        """A standard control under its label (sliders and switches bear their own)."""
        control = self.control(key)
        if isinstance(control, (Slider, choices.Switch)):
            return control
        return under_caption(self.params[key].label, control)


def strokes(batch: Iterable[Passed]) -> Iterator[tuple[Event | None, list[Event]]]:
    """The note ons among what passed: what came in (``None`` where a stage acts by itself), what went out."""
    for one in batch:
        made = [event for event in one.out if event.kind == NOTE_ON]
        struck = one.event if one.event is not None and one.event.kind == NOTE_ON else None
        if struck is not None or (one.event is None and made):
            yield struck, made


class NoteNumber(Number, frozen=True, kw_only=True):
    """A note on a slider."""

    low: float = 0
    high: float = 127

    def text(self, value: Any) -> str:
        return note_name(value)


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
        self.field.setToolTip(tooltip(param))
        self.field.editingFinished.connect(lambda: self._choose(int(self.field.text() or 0)))
        self.another = QPushButton("another")
        self.another.setToolTip(f"{param.label}: another one, by chance. Ctrl+Z brings the one before back.")
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
        self.setToolTip(tooltip(param))
        self.editingFinished.connect(self._typed)

    def set_value(self, numbers: Sequence[float]) -> None:
        """Show a list."""
        self.setText(self.param.text(numbers))

    def _typed(self) -> None:
        try:
            numbers = [float(word) for word in self.text().replace("−", "-").replace(",", " ").split()]
        except ValueError:
            return  # what is no list of numbers changes nothing
        self.numbers.emit(numbers)


def under_caption(caption: str, widget: QWidget) -> QWidget:
    """A widget under a small label."""
    holder = QWidget()
    box = QVBoxLayout(holder)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(3)
    label = QLabel(caption)
    label.setProperty("role", "second")
    label.setBuddy(widget)
    box.addWidget(label)
    box.addWidget(widget)
    return holder


def counted_heading(text: str, what: str, count: Callable[[int], None]) -> QHBoxLayout:
    """A heading with buttons for one ``what`` fewer and one more."""
    head = QHBoxLayout()
    head.addWidget(caps(text), 1)
    for sign, by, words in (("−", -1, f"One {what} fewer."), ("+", 1, f"One {what} more, up to 32.")):
        button = QPushButton(sign)
        button.setFixedSize(30, 24)
        button.setStyleSheet("padding: 0;")
        button.setToolTip(words)
        button.clicked.connect(lambda _=False, by=by: count(by))
        head.addWidget(button)
    return head


def caps(text: str) -> QLabel:
    """A small heading in capitals."""
    label = QLabel(text.upper())
    label.setProperty("role", "caps")
    label.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom)
    return label
