"""A text that is typed where it stands."""

from __future__ import annotations

import pytest
from gestures import collect
from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from arpegon.ui.controls.in_place import InPlace


@pytest.fixture
def below(shown, qtbot):
    made = shown(QWidget(), 200, 60)
    made.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    made.activateWindow()
    qtbot.waitUntil(made.isActiveWindow)
    return made


@pytest.fixture
def field(below):
    return InPlace("Quay", below, QRect(10, 10, 90, 24))


def test_return_takes_what_was_typed_once_and_gives_the_focus_back(below, field):
    typed = collect(field.typed)
    assert field.selectedText() == "Quay"
    QTest.keyClicks(field, "Pier")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert typed == ["Pier"] and field.isHidden() and QApplication.focusWidget() is below


def test_going_elsewhere_takes_it_too_and_leaves_the_focus_there(below, field):
    typed = collect(field.typed)
    other = QWidget(below)
    other.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    other.show()
    QTest.keyClicks(field, "Tide")
    other.setFocus()
    assert typed == ["Tide"] and QApplication.focusWidget() is other


def test_escape_leaves_everything_and_is_not_the_windows(below, field):
    typed, triggered = collect(field.typed), []
    action = QAction("leave", below)
    action.setShortcut(QKeySequence("Esc"))
    action.triggered.connect(triggered.append)
    below.addAction(action)
    QTest.keyClicks(field, "Tide")
    QTest.keyClick(field, Qt.Key.Key_Escape)
    assert typed == [] and triggered == [] and field.isHidden()
