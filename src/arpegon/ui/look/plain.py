"""Text as it is: names that a musician, or a file of somebody else's, gave are never read as markup.

Qt takes for HTML whatever looks like it, and loads what it names. So all labels are :class:`Label`\\ s, all tool tips
come from :func:`tip` or :func:`rich`, and names in buttons and menus from :func:`unmarked`; a test holds that.
"""

from __future__ import annotations

import re
from html import escape

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton, QAbstractItemView, QComboBox, QLabel, QLineEdit, QWidget


class Label(QLabel):
    """A label that shows its text as it is."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)


class Tip(str):
    """The words of a tool tip, in markup that Qt may read."""

    __slots__ = ()


def tip(words: str) -> Tip:
    """Words for a tool tip, as they are."""
    return words if isinstance(words, Tip) else Tip(f"<qt>{escape(words)}</qt>" if words else "")


def rich(markup: str, *names: object) -> Tip:
    """A tool tip in markup of ours, with ``{}`` where names of others stand."""
    return Tip(f"<qt>{markup.format(*(name if isinstance(name, Tip) else escape(str(name)) for name in names))}</qt>")


def unmarked(name: str) -> str:
    """A name on a button or in a menu, where ``&`` would mark a letter."""
    return name.replace("&", "&&")


_TAG = re.compile(r"<[^>]*>")
_NAMED = (QLineEdit, QComboBox, QAbstractButton, QAbstractItemView)


def name_controls(root: QWidget) -> None:
    """Give each control that has no name of its own, for screen readers, the first sentence of its tooltip."""
    for kind in _NAMED:
        for control in root.findChildren(kind):
            words = control.text() if isinstance(control, QAbstractButton) and callable(control.text) else ""
            if not control.accessibleName() and not words:
                plain = _TAG.sub(" ", control.toolTip()).strip()
                control.setAccessibleName(plain.split(". ")[0].rstrip("."))
