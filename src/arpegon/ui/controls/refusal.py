"""What a control says of what it cannot take, at the place where it was asked."""

from __future__ import annotations

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QToolTip, QWidget

from arpegon.ui.look.plain import tip

_MILLISECONDS = 6000


def say_at(control: QWidget, sentence: str) -> None:
    """Show a sentence under a control for some seconds."""
    QToolTip.showText(
        control.mapToGlobal(QPoint(0, control.height())), tip(sentence), control, control.rect(), _MILLISECONDS
    )
