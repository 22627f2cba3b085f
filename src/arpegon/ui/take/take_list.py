"""The list of takes: found by words, each with its colour, its star and what somebody wrote about it."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from arpegon.core.counting import counted
from arpegon.core.notes.takes import Take
from arpegon.ui.look.plain import Label
from arpegon.ui.look.swatch import ink_icon


class TakeList(QWidget):
    """The takes, beside the papers of the chosen one.

    Signals:
        chosen: another take is to be shown (its id).
        noted: something was written about the chosen one.
    """

    chosen = pyqtSignal(str)
    noted = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedWidth(176)
        self._takes: tuple[Take, ...] = ()
        self._shown = ""
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        head = Label("Takes")
        head.setProperty("role", "title")
        box.addWidget(head)
        self.sought = QLineEdit()
        self.sought.setPlaceholderText("find")
        self.sought.setToolTip("Show the takes whose name, note or strands hold these words; “star” for those.")
        self.sought.textChanged.connect(lambda: self.show_takes(self._takes, self._shown))
        box.addWidget(self.sought)
        self.list = QListWidget()
        self.list.setAccessibleName("Takes")
        self.list.currentItemChanged.connect(self._chosen)
        box.addWidget(self.list, 1)
        self.note = QLineEdit()
        self.note.setPlaceholderText("a note about this take")
        self.note.setToolTip("What you want to remember of this take.")
        self.note.editingFinished.connect(lambda: self.noted.emit(self.note.text()))
        box.addWidget(self.note)

    def show_takes(self, takes: Iterable[Take], shown: str) -> None:
        """Show takes, one of them as chosen."""
        self._takes, self._shown = tuple(takes), shown
        self.list.blockSignals(True)
        self.list.clear()
        for take in self._takes:
            if not _is_found(take, self.sought.text()):
                continue
            strands = counted(len(take.parts), "strand")
            star = " ★" if take.starred else ""
            item = QListWidgetItem(f"{take.name}{star}\n{take.seconds:.1f} s · {strands}")
            item.setData(Qt.ItemDataRole.UserRole, take.id)
            if take.ink is not None:
                item.setIcon(ink_icon(take.ink))
            self.list.addItem(item)
            if take.id == shown:
                self.list.setCurrentItem(item)
        self.list.blockSignals(False)

    def show_note(self, note: str) -> None:
        """Show what was written about the chosen take, unless somebody writes there now."""
        if not self.note.hasFocus():
            self.note.setText(note)

    def rest(self) -> None:
        """Letters play notes, until somebody asks for a field."""
        self.list.setFocus()

    def _chosen(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self._shown = item.data(Qt.ItemDataRole.UserRole)
            self.chosen.emit(self._shown)


def _is_found(take: Take, words: str) -> bool:
    """Whether all words are found in what is said of a take."""
    text = " ".join((take.name, take.note, "star" if take.starred else "", *(part.name for part in take.parts))).lower()
    return all(word in text for word in words.lower().split())
