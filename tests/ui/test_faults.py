"""Faults of the window are written down, said in a sentence, and survived."""

from __future__ import annotations

import logging
import subprocess
import sys
import threading

import pytest
from gestures import LEFT
from PyQt6.QtCore import QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QPushButton

from arpegon.core.events import note_off, note_on
from arpegon.files import logs
from arpegon.files.logs import log_dir, log_file, start_log
from arpegon.files.settings import change_kept, load_settings, settings_file, settings_trouble
from arpegon.ui.app import open_window
from arpegon.ui.frame.log_view import EMPTY, LogView, tail
from arpegon.ui.look.painted import Painted
from arpegon.ui.model.faults import TOPIC


@pytest.fixture
def caught(window):
    """The window with its faults caught, as the program has it."""
    hooks = sys.excepthook, threading.excepthook, sys.unraisablehook
    root = logging.getLogger()
    before = root.handlers, root.level
    start_log("window")
    window.faults.catch()
    yield window
    sys.excepthook, threading.excepthook, sys.unraisablehook = hooks
    root.handlers, root.level = before


class Broken(Painted):
    """A control that cannot be painted."""

    faults = 0

    def paint(self, painter, t):
        type(self).faults += 1
        raise ZeroDivisionError("no ink")


def written():
    return log_file("window.log").read_text()


@pytest.mark.qt_no_exception_capture
def test_a_fault_in_a_paint_is_said_once_and_music_goes_on(caught, strand, qtbot):
    session = caught.session
    broken = Broken(caught)
    broken.resize(50, 50)
    broken.show()
    qtbot.waitUntil(lambda: TOPIC in session.notices)
    for _ in range(30):
        broken.repaint()
        QApplication.processEvents()
    assert "ZeroDivisionError: no ink" in session.notices[TOPIC] and "goes on" in session.notices[TOPIC]
    assert Broken.faults > 20 and written().count("Traceback") == 1 and "for the 10th time" in written()
    broken.deleteLater()
    session.feed(note_on(0.0, 0, 60, 90), note_off(0.0, 0, 60))
    qtbot.waitUntil(lambda: len(session.paper(strand).line("out").begun(0.0)) == 1)


@pytest.mark.qt_no_exception_capture
def test_a_fault_in_a_slot_or_a_key_handler_ends_nothing(caught, qtbot, monkeypatch):
    def fault(*_):
        raise KeyError("slot")

    button = QPushButton(caught)
    button.clicked.connect(fault)
    button.show()
    QTest.mouseClick(button, LEFT)
    QTimer.singleShot(0, fault)
    qtbot.waitUntil(lambda: "KeyError" in caught.session.notices.get(TOPIC, ""))
    monkeypatch.setattr(type(caught.board), "keyPressEvent", fault, raising=False)
    QTest.keyClick(caught.board, "x")
    assert caught.isVisible()


def test_a_fault_in_a_thread_is_written_and_said(caught, qtbot):
    thread = threading.Thread(target=lambda: [][0])
    thread.start()
    thread.join()
    qtbot.waitUntil(lambda: "IndexError" in caught.session.notices.get(TOPIC, ""))
    assert "IndexError" in written()


def test_what_ends_a_process_of_ours_is_its_last_word():
    code = "from arpegon.files.logs import catch_faults, say_last; catch_faults(say_last); [][0]"
    ended = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
    assert ended.returncode == 1 and ended.stderr.splitlines()[-1] == "IndexError: list index out of range"


class Sinking:
    """What cannot go without a fault."""

    def __del__(self):
        raise OSError("the anchor is fast")


def test_a_fault_while_an_object_goes_is_written(caught):
    Sinking()
    assert "the anchor is fast" in written() and "Sinking.__del__" in written()
    assert TOPIC not in caught.session.notices


def test_the_notice_leads_to_the_log_and_the_menu_too(caught, qtbot):
    caught.faults.met(ValueError("a rope came loose"))
    qtbot.waitUntil(lambda: TOPIC in caught.session.notices)
    ((words, act),) = caught.session.notice_list.acts[TOPIC]
    assert words == "Show the log"
    logging.getLogger("arpegon").warning("the tide is high")
    act()
    (view,) = caught.findChildren(LogView)
    assert "the tide is high" in view.text.toPlainText()
    view.copy()
    assert "the tide is high" in QApplication.clipboard().text()
    view.close()
    groups = [group.menu() for group in caught.project_menu().actions()]
    assert any("Show the log" in action.text() for group in groups for action in group.actions())


def test_a_log_that_is_empty_or_cannot_be_read_is_said(window, tmp_path):
    assert LogView().text.toPlainText() == EMPTY or log_dir().exists()
    assert "could not be read" in tail(tmp_path)
    long = tmp_path / "long.log"
    long.write_text("".join(f"line {number}\n" for number in range(20_000)))
    shown = tail(long)
    assert shown.startswith("line ") and shown.endswith("line 19999\n") and len(shown) < 70_000


def test_logs_rotate_and_the_log_of_a_crash_stays(tmp_path, monkeypatch):
    monkeypatch.setattr(logs, "_BYTES", 2000)
    root = logging.getLogger()
    before = root.handlers, root.level
    try:
        for start in range(3):  # as three starts of the program
            start_log("engine")
            for line in range(10 if start == 0 else 20):
                logging.getLogger("x").info("start %d, line %d", start, line)
            for handler in root.handlers:
                handler.close()
    finally:
        root.handlers, root.level = before
    found = "".join(path.read_text() for path in sorted(log_dir().glob("engine.log*"), reverse=True))
    assert "start 0, line 9" in found and "start 2, line 19" in found
    assert 2 <= len(list(log_dir().glob("engine.log*"))) <= 1 + logs._BACKUPS


def test_a_fault_that_comes_again_and_again_does_not_drive_out_what_was_written_before(monkeypatch):
    monkeypatch.setattr(logs, "_BYTES", 20_000)
    root = logging.getLogger()
    before = root.handlers, root.level
    log = logging.getLogger("x")
    try:
        start_log("engine")
        log.error("the engine before stopped")
        for turn in range(2000):  # as a stage that fails at every note, which a loop says
            for act in (lambda: [][0], lambda: 1 // 0):
                try:
                    act()
                except ArithmeticError:
                    log.exception("a fault in bar %d", turn)
                except LookupError:
                    log.exception("no such note")
    finally:
        root.handlers, root.level = before
    (path,) = log_dir().glob("engine.log*")
    found = path.read_text()
    assert "the engine before stopped" in found and found.count("Traceback") == 2
    assert "no such note, for the 1000th time: IndexError: list index out of range" in found
    assert "a fault in bar 99, for the 100th time: ZeroDivisionError" in found


def test_a_folder_that_cannot_be_written_to_leaves_standard_error(tmp_path, monkeypatch, capsys):
    place = tmp_path / "file"
    place.write_text("")
    monkeypatch.setattr(logs, "state_dir", lambda: place)
    root = logging.getLogger()
    before = root.handlers, root.level
    try:
        start_log("window")
        logging.getLogger("x").warning("here")
    finally:
        root.handlers, root.level = before
    assert "here" in capsys.readouterr().err


def test_settings_that_cannot_be_read_are_said_at_the_start(qtbot, monkeypatch):
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    monkeypatch.setattr(threading, "excepthook", threading.excepthook)
    monkeypatch.setenv("JACK_DEFAULT_SERVER", "arpegon-none")
    change_kept([])
    settings_file().write_text("{")
    window = open_window(load_settings(), demo=True)
    qtbot.addWidget(window)
    assert window.session.notices["settings"] == settings_trouble() != ""
    window.close()
    assert load_settings().place is not None and not settings_trouble()
