"""Little room: what is needed least goes first, and the window serves on a small screen with everything drawn large."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QPushButton, QWidget

from arpegon.core.document import edits
from arpegon.core.document.model import Stage
from arpegon.ui.parts.narrow import Narrow
from arpegon.ui.window import LEAST


@pytest.fixture
def row(shown):
    """A row of four buttons, 100 pixels each, of which two may go, and what stands for the second."""
    holder = shown(QWidget(), 1200, 60)
    widget = QWidget(holder)
    layout = QHBoxLayout(widget)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(0)
    buttons = [QPushButton(name) for name in "abcd"]
    short = QPushButton("…")
    for button, width in ((buttons[0], 100), (buttons[1], 100), (buttons[2], 100), (buttons[3], 100), (short, 30)):
        button.setFixedWidth(width)
        layout.addWidget(button)
    Narrow(widget, ([buttons[1]], [buttons[0]]), {0: short})
    widget.resize(400, 40)
    widget.show()
    return widget, buttons, short, holder


@pytest.mark.parametrize(
    ("width", "seen"), [(400, "abcd"), (399, "acd…"), (330, "acd…"), (329, "cd…"), (50, "cd…"), (1000, "abcd")]
)
def test_what_is_needed_least_goes_first_and_comes_back_last(row, qtbot, width, seen):
    widget, buttons, short, _ = row
    for wide in (230, 1000, width):
        widget.resize(wide, 40)
    qtbot.waitUntil(lambda: "".join(one.text() for one in (*buttons, short) if one.isVisible()) == seen)


def test_longer_words_make_room_too(row, qtbot):
    widget, buttons, short, _ = row
    widget.resize(400, 40)
    qtbot.waitUntil(buttons[1].isVisible)
    buttons[3].setFixedWidth(150)
    qtbot.waitUntil(lambda: short.isVisible() and not buttons[1].isVisible())


def test_the_least_window_lets_nothing_overlap_and_reaches_everything(window, strand, qtbot):
    session = window.session
    session.edit("x", edits.set_strand(session.project, strand, stages=(Stage(id="c", kind="chord"),)))
    window.resize(LEAST)
    qtbot.waitUntil(window.header.views.isVisible)
    assert window.header.layout().totalMinimumSize().width() <= LEAST.width()
    menu = {action.text(): action for action in window.header.views.menu_.actions()}
    menu["Hookups"].trigger()
    assert window.views.currentWidget() is window.hookups and window.header.views.text() == "Hookups ▾"
    menu["Board"].trigger()
    # Keyboard or knobs and pads: there is no room for both.
    surface = window.surface
    assert surface.keyboard.isVisible() and not surface.parts.isVisible()
    surface.shown.click()
    assert surface.parts.isVisible() and not surface.keyboard.isVisible()
    assert surface.layout().totalMinimumSize().width() <= LEAST.width()
    surface.shown.click()
    # A wide bench has all of it.
    session.select_stage("c")
    window.bench.wide.setChecked(True)
    qtbot.waitUntil(lambda: window.bench.width() == LEAST.width() and not window.board.isVisible())
    window.bench.wide.setChecked(False)
    qtbot.waitUntil(window.board.isVisible)
    window.resize(1280, 800)
    qtbot.waitUntil(lambda: surface.parts.isVisible() and surface.keyboard.isVisible())
    assert window.header.tabs["Take"].isVisible() and not window.header.views.isVisible()


def test_nothing_is_laid_out_while_nothing_happens(window, qtbot):
    qtbot.waitUntil(window.header.tabs["Board"].isVisible)
    asked = []

    class Watch(QObject):
        def eventFilter(self, watched, event):
            if event.type() == QEvent.Type.LayoutRequest:
                asked.append(watched)
            return False

    watch = Watch()
    for part in (window.header, window.hookups, window.sections):
        part.installEventFilter(watch)
    for _ in range(50):
        QApplication.processEvents()
    assert len(asked) < 10
