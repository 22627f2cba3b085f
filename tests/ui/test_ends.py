"""The ends of a strand on the board: what is drawn anew of them."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QColor, QImage, QRegion

from arpegon.ui.board.ends import DestinationRow


def drawn(row, region):
    """A part of a row as it is drawn when only that is asked for, on a ground that it never has."""
    picture = QImage(row.size(), QImage.Format.Format_RGB32)
    picture.fill(QColor("magenta"))
    row.render(picture, region.boundingRect().topLeft(), region)
    return picture.copy(region.boundingRect())


@pytest.mark.parametrize("meter", ["bells", None])
@pytest.mark.parametrize("width", [100, 190])
@pytest.mark.parametrize("selected", [True, False])
def test_a_part_of_a_row_is_drawn_as_the_whole_is(qtbot, meter, width, selected):
    row = DestinationRow(0, "A long name of a destination", "channel 10", 2, meter)
    qtbot.addWidget(row)
    row.resize(width, row.HEIGHT)
    row.show()
    row.set_selected(selected)
    row.set_level(0.4)
    whole = drawn(row, QRegion(row.rect()))
    area = row._meter_rect
    assert drawn(row, QRegion(area)) == whole.copy(area)
    assert whole.copy(area).pixelColor(QPoint(3, 2)) != QColor("magenta")
