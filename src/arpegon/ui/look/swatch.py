"""Small fields of the colours that strands and takes have."""

from __future__ import annotations

from PyQt6.QtGui import QIcon, QPixmap

from arpegon.ui.look import theme


def ink_icon(number: int) -> QIcon:
    """A swatch of a strand's ink."""
    swatch = QPixmap(14, 14)
    swatch.fill(theme.color(theme.ink(number)))
    return QIcon(swatch)
