"""Presets to choose from: factory and own, with search; a field to keep what is selected."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from arpegon.core.errors import ArpegonError
from arpegon.files.presets import Preset, factory_presets, own_presets, remove_preset, save_preset, searched
from arpegon.ui.controls import arrows
from arpegon.ui.look.plain import Label, tip
from arpegon.ui.model.session import Session

_ROLE = Qt.ItemDataRole.UserRole
Make = Callable[[str], Preset | None]


class SearchField(QLineEdit):
    """A search field that hands the arrow keys to a list."""

    walked = pyqtSignal(int)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = -arrows.upwards(event)
        if step:
            self.walked.emit(step)
        else:
            super().keyPressEvent(event)


class PresetPicker(QFrame):
    """A panel over the window.

    Args:
        session: for notices.
        kind: only presets of this kind; empty: all.
        make: makes a preset of what is selected under a name, to be kept; ``None`` where nothing can be kept.

    Signals:
        chosen: a preset was chosen.
    """

    chosen = pyqtSignal(object)

    def __init__(
        self, session: Session, kind: str = "", make: Make | None = None, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.session = session
        self.kind = kind
        self.make = make
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setFrameShape(QFrame.Shape.StyledPanel)
        self.setFixedSize(360, 380)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 12, 12, 12)
        box.setSpacing(8)
        self.search = SearchField()
        self.search.setPlaceholderText("search presets")
        self.search.setToolTip("Type words of a name, a kind or a description; arrows and Enter choose.")
        self.search.textChanged.connect(self.refresh)
        self.search.returnPressed.connect(self._choose_current)
        self.search.walked.connect(self._walk)
        box.addWidget(self.search)
        self.list = QListWidget()
        self.list.itemClicked.connect(self._choose)
        self.list.itemActivated.connect(self._choose)
        box.addWidget(self.list, 1)
        self.none = Label("No preset has these words.")
        self.none.setProperty("role", "second")
        box.addWidget(self.none)
        row = QHBoxLayout()
        self.name = QLineEdit()
        self.name.setPlaceholderText("a name for what is selected")
        self.name.returnPressed.connect(self.keep)
        self.keep_button = QPushButton("Keep")
        self.keep_button.setToolTip("Keep what is selected as a preset of your own; one of the same name is replaced.")
        self.keep_button.clicked.connect(self.keep)
        self.remove_button = QPushButton("Remove")
        self.remove_button.setToolTip("Take the marked preset away, if it is your own.")
        self.remove_button.clicked.connect(self.remove)
        row.addWidget(self.name, 1)
        row.addWidget(self.keep_button)
        row.addWidget(self.remove_button)
        box.addLayout(row)
        for widget in (self.name, self.keep_button):
            widget.setVisible(make is not None)
        self.list.currentItemChanged.connect(lambda: self._allow())
        self.refresh()

    def refresh(self) -> None:
        """Show the presets that match."""
        own, wrong = own_presets()
        for sentence in wrong:
            self.session.notice("preset", sentence)
        self.list.clear()
        for preset in searched([*own, *factory_presets()], self.search.text(), self.kind):
            mine = "your own" if preset.file is not None else ""
            head = preset.name if self.kind else f"{preset.kind_label} · {preset.name}"
            words = " – ".join(part for part in (preset.about, mine) if part)
            item = QListWidgetItem(f"{head}\n{words}" if words else head)
            item.setData(_ROLE, preset)
            item.setToolTip(tip(preset.about))
            self.list.addItem(item)
        self.none.setVisible(not self.list.count())
        if self.list.count():
            self.list.setCurrentRow(0)
        self._allow()

    def _current(self) -> Preset | None:
        item = self.list.currentItem()
        preset = item.data(_ROLE) if item is not None else None
        return preset if isinstance(preset, Preset) else None

    def _allow(self) -> None:
        preset = self._current()
        self.remove_button.setEnabled(preset is not None and preset.file is not None)

    def _walk(self, step: int) -> None:
        self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + step)))

    def _choose(self, item: QListWidgetItem) -> None:
        preset = item.data(_ROLE)
        self.close()
        self.chosen.emit(preset)

    def _choose_current(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            self._choose(item)

    def keep(self) -> None:
        """Keep what is selected under the name that was typed."""
        preset = self.make(self.name.text().strip()) if self.make is not None else None
        if preset is None:
            return
        try:
            save_preset(preset)
        except ArpegonError as error:
            self.session.notice("preset", str(error))
            return
        self.name.clear()
        self.search.clear()
        self.refresh()

    def remove(self) -> None:
        """Take the marked preset away, if it is the musician's own."""
        preset = self._current()
        if preset is None:
            return
        try:
            remove_preset(preset)
        except ArpegonError as error:
            self.session.notice("preset", str(error))
        self.refresh()

    def open_at(self, where: QPoint) -> None:
        """Show the panel with its upper right corner at a global place, within the window."""
        self.move(where - QPoint(self.width(), 0))
        self.show()
        self.search.setFocus()
