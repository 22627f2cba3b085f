"""The bench while nothing is selected."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from arpegon.ui.look.plain import Label
from arpegon.ui.parts.bench_part import BenchPart


class EmptyBench(BenchPart):
    """What the bench says when nothing is selected."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 8, 0, 0)
        text = Label(
            "Click a dark bar on the board: here you shape what that stage does, and beneath you read exactly "
            "what went in and what came out.\n\nClick the pill at the head of a strand to choose what feeds it, "
            "the name at its foot to choose where it sounds."
        )
        text.setWordWrap(True)
        text.setProperty("role", "second")
        box.addWidget(text)
        box.addStretch(1)
