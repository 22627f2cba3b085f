"""A session by keyboard alone: from the empty board to a saved take."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from arpegon.files.project import load_project

_K = Qt.Key


def press(window, key, modifiers=Qt.KeyboardModifier.NoModifier):
    QTest.keyClick(window.focusWidget() or window, key, modifiers)


def tab_to(window, wanted, steps=400):
    """Press Tab until a control has the keys."""
    for _ in range(steps):
        if wanted(window.focusWidget()):
            return window.focusWidget()
        press(window, _K.Key_Tab)
    raise AssertionError("Tab does not lead there")


def test_from_the_empty_board_to_a_saved_take(window, qtbot, tmp_path, monkeypatch):
    session = window.session
    window.activateWindow()
    button = tab_to(window, lambda one: getattr(one, "text", lambda: "")() == "Felt piano" if one else False)
    press(window, _K.Key_Return)
    assert [strand.name for strand in session.project.strands] and button is not None
    # A stage, by the finder.
    window._actions["find"].trigger()
    window.finder.field.setText("transpose")
    press(window, _K.Key_Return)
    assert [stage.kind for stage in session.project.strands[0].stages] == ["transpose"]
    # An octave up, on its slider.
    slider = window.bench.editor.controls["octaves"]
    tab_to(window, lambda one: one is slider)
    press(window, _K.Key_Right)
    assert session.project.strands[0].stages[0].params["octaves"] == 1
    # Played with the computer's keys, kept, looked at.
    window.board.setFocus()
    for key in (_K.Key_Q, _K.Key_W, _K.Key_E):
        QTest.keyPress(window.board, key)
        qtbot.waitUntil(lambda: session.telemetry.health.sounding > 0)
        QTest.keyRelease(window.board, key)
    qtbot.waitUntil(lambda: session.telemetry.health.sounding == 0)
    window._actions["keep"].trigger()
    qtbot.waitUntil(lambda: len(session.project.takes) == 1)
    window._actions["take"].trigger()
    assert window.view == "Take"
    # Saved under a name that was typed.
    path = tmp_path / "by-keys.arpegon"
    monkeypatch.setattr("arpegon.ui.window.ask_where", lambda *given: path)
    window._actions["save"].trigger()
    assert len(load_project(path).takes) == 1
    assert QApplication.instance() is not None


def test_return_presses_what_has_the_keys_and_space_plays(window, qtbot):
    window.open_demo()
    window.session.link.stop()
    qtbot.waitUntil(lambda: not window.session.telemetry.playing)
    window.bench.wide.setFocus()
    press(window, _K.Key_Return)
    assert window.bench.wide.isChecked()
    press(window, _K.Key_Return)
    assert not window.bench.wide.isChecked()
    press(window, _K.Key_Space)
    qtbot.waitUntil(lambda: window.session.telemetry.playing)
    assert not window.bench.wide.isChecked()
