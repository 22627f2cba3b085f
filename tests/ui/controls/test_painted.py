"""What all painted controls share."""

from __future__ import annotations

import pytest
from gestures import pixels
from PyQt6.QtCore import QRect, QRectF, Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from arpegon.ui.board.ends import DestinationRow
from arpegon.ui.frame.header_parts import Field
from arpegon.ui.look import theme
from arpegon.ui.look.painted import OwnKeys, Painted, Still, paint_paper


class Paper(OwnKeys, Painted):
    own_keys = (Qt.Key.Key_Home,)

    def __init__(self):
        super().__init__()
        self.keys = []
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def keyPressEvent(self, event):
        self.keys.append(event.key())

    def paint(self, painter, t):
        paint_paper(painter, t, self.sheet())


@pytest.mark.parametrize("name", ["day", "night"])
def test_it_is_painted_in_the_theme_of_now(shown, name):
    theme.use(name)
    try:
        paper = shown(Paper(), 100, 40)
        assert pixels(paper, theme.THEMES[name].roll) > 3000
        assert 150 < pixels(paper, theme.THEMES[name].line) < 400
    finally:
        theme.use("day")


def test_its_sheet_leaves_room_for_a_sharp_line(shown):
    assert shown(Paper(), 100, 40).sheet() == QRectF(0.5, 0.5, 99, 39)


def test_a_key_of_its_own_is_not_the_windows_while_it_has_the_focus(shown, qtbot):
    window = shown(QWidget())
    paper, other = Paper(), QWidget()
    other.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    box = QVBoxLayout(window)
    box.addWidget(paper)
    box.addWidget(other)
    told = []
    for key in ("Home", "End"):
        action = QAction(key, window)
        action.setShortcut(QKeySequence(key))
        action.triggered.connect(lambda _=False, key=key: told.append(key))
        window.addAction(action)
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    paper.setFocus()
    QTest.keyClick(paper, Qt.Key.Key_Home)
    QTest.keyClick(paper, Qt.Key.Key_End)
    assert paper.keys == [Qt.Key.Key_Home] and told == ["End"]
    other.setFocus()
    QTest.keyClick(other, Qt.Key.Key_Home)
    assert told == ["End", "Home"]


def test_what_does_not_move_is_drawn_once_and_again_when_it_is_another(shown):
    drawn = []

    class Standing(Paper):
        def __init__(self):
            super().__init__()
            self.still, self.key = Still(), 1

        def paint(self, painter, t):
            def draw(own):
                drawn.append((self.key, t.name))
                paint_paper(own, t, self.sheet())

            self.still.draw(painter, self, self.key, draw)

    control = shown(Standing(), 100, 40)
    for _ in range(3):
        control.grab()
    assert drawn == [(1, "day")]
    control.key = 2
    control.grab()
    theme.use("night")
    try:
        assert pixels(control, theme.THEMES["night"].roll) > 3000
    finally:
        theme.use("day")
    control.resize(120, 40)
    control.grab()
    assert drawn == [(1, "day"), (2, "day"), (2, "night"), (2, "day")]


def test_pictures_of_what_comes_again_are_kept_and_of_areas_lie_there(shown):
    drawn = []

    class Rows(Painted):
        def __init__(self):
            super().__init__()
            self.still, self.keys = Still(kept=2), (1, 2)

        def paint(self, painter, t):
            for place, key in enumerate(self.keys):
                area = QRect(0, 20 * place, 100, 20)
                self.still.draw(
                    painter, self, key, lambda own, key=key: drawn.append((key, own.device().height())), area
                )

    control = shown(Rows(), 100, 40)
    control.grab()
    control.keys = (2, 1)
    control.grab()
    assert drawn == [(1, 20), (2, 20)]
    control.keys = (3, 1)
    control.grab()
    assert drawn[2:] == [(3, 20), (1, 20)], "the oldest was let go for it"


@pytest.mark.parametrize("made", [lambda: Field("Tempo", "help", 60), lambda: DestinationRow(0, "Lamp", "", 1, "lamp")])
def test_what_moves_is_drawn_on_its_own_ground_whatever_the_style_says(shown, made):
    control = shown(made(), 120, 40)
    try:
        for name in ("night", "day"):
            theme.use(name)
            assert control.testAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
            control.grab()
            assert pixels(control, theme.THEMES[name].paper) > 1000
    finally:
        theme.use("day")
