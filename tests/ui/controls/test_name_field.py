"""A name that is typed where it stands."""

from __future__ import annotations

from gestures import LEFT, collect, typing_over
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from arpegon.ui.controls.elided import Elided
from arpegon.ui.controls.name_field import NameField


def test_a_name_is_typed_where_it_stands(shown):
    holder = shown(Elided("x"), 300, 40)
    name = NameField("Quay", parent=holder)
    name.resize(100, 20)
    renamed, clicked = collect(name.renamed), collect(name.clicked)
    QTest.mouseClick(name, LEFT)
    assert len(clicked) == 1
    for text in ("  ", "Pier "):
        name.rename()
        field = typing_over(holder)
        field.setText(text)
        QTest.keyClick(field, Qt.Key.Key_Return)
    assert renamed == ["Pier"]
