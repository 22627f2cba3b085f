"""The logs, to be read and copied."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import (
    QApplication,
    QDialog,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from arpegon.files.logs import log_dir
from arpegon.ui.look.plain import Label

_TAIL_BYTES = 64 * 1024
EMPTY = "Nothing was written yet. What goes wrong is written here, and the music goes on."


def tail(path: Path) -> str:
    """The end of a file, from the first whole line on; what cannot be read is said."""
    try:
        with path.open("rb") as file:
            size = file.seek(0, 2)
            file.seek(max(0, size - _TAIL_BYTES))
            text = file.read().decode("utf-8", "replace")
    except OSError as error:
        return f"This log could not be read: {error.strerror}."
    return text if size <= _TAIL_BYTES else text.partition("\n")[2]


def logs(folder: Path) -> list[Path]:
    """The logs that have anything in them, the newest first."""
    found = (
        [path for path in folder.glob("*.log*") if path.is_file() and path.stat().st_size] if folder.is_dir() else []
    )
    return sorted(found, key=lambda path: -path.stat().st_mtime)


class LogView(QDialog):
    """What our processes wrote to their logs, one after the other, the newest first."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Log")
        self.resize(860, 520)
        box = QVBoxLayout(self)
        box.setContentsMargins(18, 14, 18, 14)
        box.setSpacing(10)
        self.where = Label(f"The logs lie in {log_dir()}.")
        self.where.setProperty("role", "second")
        self.where.setWordWrap(True)
        box.addWidget(self.where)
        self.text = QPlainTextEdit()
        self.text.setReadOnly(True)
        self.text.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        box.addWidget(self.text, 1)
        row = QHBoxLayout()
        copy = QPushButton("Copy all")
        copy.setToolTip("Copy the logs, to send them to somebody who can help.")
        copy.clicked.connect(self.copy)
        close = QPushButton("Close")
        close.clicked.connect(self.close)
        row.addWidget(copy)
        row.addStretch(1)
        row.addWidget(close)
        box.addLayout(row)
        self.refresh()

    def refresh(self) -> None:
        """Read the logs anew."""
        parts = [f"── {path.name} ──\n{tail(path).rstrip()}" for path in logs(log_dir())]
        self.text.setPlainText("\n\n".join(parts) or EMPTY)

    def copy(self) -> None:
        """Put all of it on the clipboard."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.text.toPlainText())
