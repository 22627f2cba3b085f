"""The application: fonts, theme, session, window."""

from __future__ import annotations

import faulthandler
import os
import signal
import sys
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from arpegon import APP_ID
from arpegon.core.theory.pitch import write_middle_c_as
from arpegon.files.logs import keep_last_words, start_log
from arpegon.files.places import DATA
from arpegon.files.settings import Settings, load_settings, settings_trouble
from arpegon.starting import begun
from arpegon.ui.frame.place import place_window
from arpegon.ui.frame.recovery import offer_recovery
from arpegon.ui.look import theme
from arpegon.ui.model.free_memory import keep_together
from arpegon.ui.model.managed import ENVIRONMENT, Managed
from arpegon.ui.model.session import Session
from arpegon.ui.single import raise_other
from arpegon.ui.window import VIEWS, Window


def make_application(arguments: list[str]) -> QApplication:
    """The QApplication with our fonts and look."""
    keep_together()
    application = QApplication(arguments)
    application.setApplicationName("Arpegon")
    application.setDesktopFileName(APP_ID)
    application.setWindowIcon(QIcon(str(DATA / "desktop" / "arpegon.svg")))
    application.setStyle("Fusion")
    theme.load_fonts()
    application.setFont(theme.label_font(13))  # what is measured before it is dressed is measured with it
    return application


def open_window(settings: Settings, project: Path | None = None, demo: bool = False) -> Window:
    """The window in sight and at work, on a project, the demo or an empty board."""
    trouble = settings_trouble()
    theme.choose(settings.theme)
    write_middle_c_as(settings.middle_c)
    session = Session(settings)
    window = Window(session)
    window.faults.catch()
    leftovers = session.filing.autosave.leftovers()
    if project is not None and not session.filing.open(project):
        session.notice("file", session.notices.get("file", ""))
    if settings.view in VIEWS and not demo:
        window.show_view(settings.view)
    session.start()
    if demo:
        window.open_demo()
    offer_recovery(window.session, leftovers)
    session.notice("settings", trouble)
    theme.dress()
    place_window(window, settings)
    window.show()
    begun()
    return window


def run_app(project: Path | None, demo: bool) -> int:
    """Open the window on a project, the demo, or an empty board; its exit code."""
    if not os.environ.get("DISPLAY") and not os.environ.get("WAYLAND_DISPLAY") and "QT_QPA_PLATFORM" not in os.environ:
        print(
            "arpegon: there is no display; start it in a desktop, or by “make demo”, which makes one.", file=sys.stderr
        )
        return 2
    start_log("window")
    settings = load_settings()
    if settings.text_percent != 100:
        os.environ.setdefault("QT_SCALE_FACTOR", str(settings.text_percent / 100.0))
    application = make_application(sys.argv[:1])
    if project is not None and raise_other(project):
        return 0
    last_words = keep_last_words("window-errors.log")  # held open as long as the program runs
    window = open_window(settings, project, demo)
    if url := os.environ.get(ENVIRONMENT):
        window.be_managed(Managed(window.session, url))
    signal.signal(signal.SIGINT, lambda *_: window.end())
    signal.signal(signal.SIGTERM, lambda *_: window.end())
    # Python sees signals only when it runs: give it the chance.
    breath = QTimer()
    breath.setInterval(200)
    breath.timeout.connect(lambda: None)
    breath.start()
    code = application.exec()
    if last_words is not None:
        faulthandler.disable()
        last_words.close()
    return code
