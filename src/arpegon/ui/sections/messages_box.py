"""What a section sends when it begins: program changes and controllers, a row for each."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSpinBox, QVBoxLayout, QWidget

from arpegon.core.document.model import Project, SectionMessage
from arpegon.ui.controls.choices import Picker
from arpegon.ui.look.plain import Label, tip
from arpegon.ui.parts.end_editor import CHANNELS
from arpegon.ui.parts.standard import caps

_KINDS = {"program": "program", "cc": "CC"}


class MessagesBox(QWidget):
    """The rows, and a button for one more; ``changed`` carries all messages as they shall be."""

    changed = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        head = QHBoxLayout()
        head.addWidget(caps("Sends when it begins"), 1)
        self.more = QPushButton("+ message")
        self.more.setToolTip("A program change or a controller, to all destinations of a strand.")
        self.more.clicked.connect(self._add)
        head.addWidget(self.more)
        column.addLayout(head)
        self._column = QVBoxLayout()
        self._column.setSpacing(4)
        column.addLayout(self._column)
        self.rows: list[MessageRow] = []
        self._messages: tuple[SectionMessage, ...] = ()
        self._strands: dict[str, str] = {}

    def show_messages(self, project: Project, messages: tuple[SectionMessage, ...]) -> None:
        """Show what is sent."""
        self._strands = {strand.id: strand.name for strand in project.strands}
        self._messages = messages
        self.more.setEnabled(bool(self._strands))
        while len(self.rows) > len(messages):
            row = self.rows.pop()
            self._column.removeWidget(row)
            row.hide()
            row.deleteLater()
        while len(self.rows) < len(messages):
            row = MessageRow(len(self.rows))
            row.changed.connect(self._change)
            row.removed.connect(self._remove)
            self.rows.append(row)
            self._column.addWidget(row)
        for row, message in zip(self.rows, messages, strict=True):
            row.show_message(message, self._strands)

    def _add(self) -> None:
        self.changed.emit((*self._messages, SectionMessage(strand=next(iter(self._strands)))))

    def _change(self, place: int, changes: dict[str, object]) -> None:
        messages = list(self._messages)
        messages[place] = msgspec.structs.replace(messages[place], **changes)
        self.changed.emit(tuple(messages))

    def _remove(self, place: int) -> None:
        self.changed.emit((*self._messages[:place], *self._messages[place + 1 :]))


class MessageRow(QWidget):
    """One message: strand, channel, kind, number, and the value of a controller or the bank of a program."""

    changed = pyqtSignal(int, dict)
    removed = pyqtSignal(int)

    def __init__(self, place: int) -> None:
        super().__init__()
        self._place = place
        self._kind = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 4)
        column.setSpacing(4)
        self.strand = Picker({}, "The strand to whose destinations it goes.")
        self.strand.chosen.connect(lambda value: self._emit(strand=value))
        self.channel = Picker(CHANNELS, "The MIDI channel; a destination with one of its own changes it.")
        self.channel.chosen.connect(lambda value: self._emit(channel=int(value)))
        drop = QPushButton("×")
        drop.setFixedSize(26, 24)
        drop.setStyleSheet("padding: 0;")
        drop.setToolTip("Send this no more.")
        drop.clicked.connect(lambda: self.removed.emit(self._place))
        row = QHBoxLayout()
        row.addWidget(self.strand, 3)
        row.addWidget(self.channel, 2)
        row.addWidget(drop)
        column.addLayout(row)
        self.kind = Picker(_KINDS, "A program change, or a controller.")
        self.kind.chosen.connect(lambda value: self._emit(kind=value))
        self.number = _spin(0, 127, "The program (from 0) or the controller.")
        self.number.valueChanged.connect(lambda value: self._emit(number=value))
        self.words = Label("to")
        self.words.setProperty("role", "second")
        self.value = _spin(0, 127, "The value of the controller.")
        self.value.valueChanged.connect(lambda value: self._emit(value=value))
        self.bank = _spin(-1, 16_383, "The bank (0 to 16383), sent before the program.")
        self.bank.setSpecialValueText("none")
        self.bank.valueChanged.connect(lambda value: self._emit(bank=None if value < 0 else value))
        row = QHBoxLayout()
        for widget, wide in ((self.kind, 2), (self.number, 2), (self.words, 0), (self.value, 2), (self.bank, 2)):
            row.addWidget(widget, wide)
        row.addSpacing(32)
        column.addLayout(row)

    def show_message(self, message: SectionMessage, strands: dict[str, str]) -> None:
        """Show it as it is now."""
        known = strands if message.strand in strands else {**strands, message.strand: f"{message.strand} (gone)"}
        self.strand.set_options(known)
        self.strand.set_value(message.strand)
        self.channel.set_value(str(message.channel))
        self.kind.set_value(message.kind)
        by_value = message.kind == "cc"
        self.value.setVisible(by_value)
        self.bank.setVisible(not by_value)
        self.words.setText("to" if by_value else "of bank")
        bank = -1 if message.bank is None else message.bank
        for spin, value in ((self.number, message.number), (self.value, message.value), (self.bank, bank)):
            spin.blockSignals(True)
            spin.setValue(value)
            spin.blockSignals(False)

    def _emit(self, **changes: object) -> None:
        self.changed.emit(self._place, changes)


def _spin(low: int, high: int, tooltip: str) -> QSpinBox:
    made = QSpinBox()
    made.setRange(low, high)
    made.setToolTip(tip(tooltip))
    made.setKeyboardTracking(False)
    made.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
    return made
