"""Where the window stands, which view it shows, and one window for one project."""

from __future__ import annotations

import subprocess
import sys

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QRect, QSize

from arpegon.files.settings import Settings, load_settings
from arpegon.ui.frame.place import fitted, place_of, place_window
from arpegon.ui.window import Window

LEAST = QSize(980, 620)
SCREENS = [QRect(0, 0, 1366, 728), QRect(0, 28, 1280, 772), QRect(1920, 0, 2560, 1440), QRect(0, 0, 800, 480)]
RECTS = st.builds(QRect, st.integers(-3000, 6000), st.integers(-3000, 4000), st.integers(1, 6000), st.integers(1, 4000))


@given(st.none() | RECTS, st.sampled_from(SCREENS))
def test_it_always_fits_the_screen(last, screen):
    place = fitted(last, screen, LEAST)
    assert screen.contains(place), (last, screen, place)
    if (
        last is not None
        and screen.adjusted(0, 40, -4, 0).contains(last)
        and last.width() >= 980
        and last.height() >= 620
    ):
        if last.height() <= screen.height() - 36:
            assert place == last, "what fitted stays"


def test_the_usual_size_stands_in_the_middle_of_a_large_screen():
    place = fitted(None, QRect(0, 0, 2560, 1440), LEAST)
    assert place.size() == QSize(1280, 800) and abs(place.center().x() - 1280) <= 1
    assert fitted(None, QRect(0, 0, 1366, 728), LEAST).height() < 728


def test_place_and_view_are_kept_for_the_next_start(window, qtbot):
    window.setGeometry(30, 60, 1010, 640)
    window.show_view("Hookups")
    window.close()
    settings = load_settings()
    assert settings.place == (30, 60, 1010, 640) and settings.view == "Hookups" and not settings.maximized
    place_window(window, settings)
    assert place_of(window)[3] == 640


@pytest.mark.parametrize("odd", [(5000, 5000, 10, 10), (-9999, 0, 99999, 99999)])
def test_a_screen_that_is_gone_leaves_the_window_in_sight(window, odd):
    place_window(window, Settings(place=odd))
    assert window.screen().availableGeometry().contains(window.geometry().topLeft())


SECOND = """
import sys
from pathlib import Path
from PyQt6.QtCore import QCoreApplication
from arpegon.ui.single import raise_other
application = QCoreApplication([])
print(raise_other(Path(sys.argv[1])))
"""


def second_start(path):
    return subprocess.Popen([sys.executable, "-c", SECOND, str(path)], stdout=subprocess.PIPE, text=True)


def test_a_second_start_on_the_same_project_raises_the_window_that_is_there(window, qtbot, tmp_path, monkeypatch):
    raised = []
    monkeypatch.setattr(Window, "come_to_front", lambda self: raised.append(self))
    window._raising._come = window.come_to_front
    here, other = tmp_path / "tide.arpegon", tmp_path / "ebb.arpegon"
    assert window.session.filing.save(here)
    for path, found in ((here, "True"), (other, "False"), (tmp_path / "." / "tide.arpegon", "True")):
        process = second_start(path)
        qtbot.waitUntil(lambda process=process: process.poll() is not None)
        assert process.stdout.read().strip() == found
    assert len(raised) == 2
    assert window.session.filing.save(other)
    for path, found in ((here, "False"), (other, "True")):
        process = second_start(path)
        qtbot.waitUntil(lambda process=process: process.poll() is not None)
        assert process.stdout.read().strip() == found
