"""The real window with a real engine, offscreen."""

from __future__ import annotations

from functools import partial

import pytest
from gestures import settled, unfolded
from PyQt6.QtCore import QCoreApplication, QEvent, Qt
from PyQt6.QtTest import QTest

from arpegon.core.document import edits
from arpegon.files.settings import Settings
from arpegon.ui.look import theme
from arpegon.ui.model.session import Session
from arpegon.ui.window import Window


@pytest.fixture(scope="session")
def qapp(qapp):
    """The application with our fonts and look."""
    qapp.setStyle("Fusion")
    theme.load_fonts()
    theme.use("day")
    return qapp


@pytest.fixture
def qtbot(qtbot):
    """A qtbot that has patience: these machines are noisy."""
    qtbot.waitUntil = partial(qtbot.waitUntil, timeout=20_000)
    return qtbot


@pytest.fixture
def shown(qapp, qtbot):
    """Shows a widget at a size."""

    def show(widget, width=360, height=160):
        qtbot.addWidget(widget)
        widget.resize(width, height)
        widget.show()
        return widget

    return show


@pytest.fixture
def window(qapp, qtbot, monkeypatch):
    """An open window on an empty project, its engine running; no sound server is needed."""
    monkeypatch.setenv("JACK_NO_START_SERVER", "1")
    monkeypatch.setenv("JACK_DEFAULT_SERVER", "arpegon-none")
    session = Session(Settings())
    window = Window(session)
    window.show()
    qtbot.waitExposed(window)
    told = []
    session.reported.connect(told.append)
    session.start()
    qtbot.waitUntil(lambda: bool(told), timeout=30_000)
    yield window
    window.close()
    theme.use("day")
    window.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


@pytest.fixture
def strand(window):
    """The id of a first strand, made from the empty board by one click."""
    QTest.mouseClick(window.board.empty.buttons["felt-piano"], Qt.MouseButton.LeftButton)
    (one,) = window.session.project.strands
    return one.id


@pytest.fixture
def on_bench(window, strand, qtbot):
    """Puts a stage of a kind on the bench, and gives its editor."""

    def put(kind, **values):
        project, stage_id = edits.add_stage(window.session.project, strand, kind)
        window.session.edit("add", edits.set_params(project, stage_id, values))
        window.session.select_stage(stage_id)
        settled(window, qtbot)
        return unfolded(window.bench.editor)

    return put
