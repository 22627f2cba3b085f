"""Takes the pictures of docs/screenshots from the demo while it plays.

    python tools/screenshots.py [FOLDER] [NAME ...]

Runs the real window (offscreen unless there is a display) with a real engine on a JACK server of its own.
"""

from __future__ import annotations

import contextlib
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtWidgets import QApplication

from arpegon.core.events import note_off, note_on
from arpegon.ui import theme
from arpegon.ui.app import make_application
from arpegon.ui.session import Selection, Session
from arpegon.ui.window import Window


@contextlib.contextmanager
def jack_server() -> Iterator[None]:
    """A JACK server with the dummy driver, so that audio and MIDI ports are real."""
    name = f"arpegon-shots-{os.getpid()}"
    os.environ["JACK_DEFAULT_SERVER"] = name
    server = subprocess.Popen(
        ["jackd", "--no-realtime", "-n", name, "-d", "dummy", "-r", "48000", "-p", "256"],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    time.sleep(1.5)
    try:
        yield
    finally:
        server.terminate()
        server.wait()


class Photographer:
    """Drives the window and takes pictures."""

    def __init__(self, folder: Path, wanted: list[str]) -> None:
        self.folder = folder
        self.wanted = wanted
        theme.use("day")
        from arpegon.files.places import Settings

        self.session = Session(Settings())
        self.window = Window(self.session)
        self.window.resize(1280, 800)
        self.window.show()
        self.session.start()
        self.wait(2.0)

    def wait(self, seconds: float) -> None:
        """Let the window live for a while."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            QApplication.processEvents()
            time.sleep(0.004)

    def shot(self, name: str) -> None:
        """Take one picture."""
        if self.wanted and name not in self.wanted:
            return
        self.window.grab().save(str(self.folder / f"{name}.png"))
        print(name)

    def strum(self, *keys: int) -> None:
        """Play a few keys by hand."""
        for key in keys:
            self.session.feed(note_on(time.monotonic(), 0, key, 100))
            self.wait(0.15)
        self.wait(0.2)
        for key in keys:
            self.session.feed(note_off(time.monotonic(), 0, key))

    def all(self) -> None:
        """Every picture of the docs."""
        window, session = self.window, self.session
        self.shot("board-empty")
        window.open_demo()
        self.wait(9.0)
        self.shot("board-day")
        for stage in ("harbour-humanize", "harbour-scale", "lamp-humanize"):
            session.select_stage(stage)
            self.wait(4.0)
            self.shot({"harbour-humanize": "humanize", "harbour-scale": "scale"}.get(stage, "humanize-around"))
        session.select(Selection("harbour", "source", "", 1))
        self.wait(1.0)
        self.shot("source")
        session.select(Selection("harbour", "destination", "", 0))
        self.wait(1.0)
        self.shot("destination")
        session.select_stage("harbour-chord")
        window.bench.wide.setChecked(True)
        self.wait(4.0)
        self.shot("chord-wide")
        window.bench.wide.setChecked(False)
        self._night(lambda: self.shot("board-night"))
        session.keep()
        window.show_view("Take")
        self.wait(0.5)
        window.takes.play_from(2.0)
        self.wait(3.0)
        self.shot("take")
        self._night(lambda: self.shot("take-night"))
        window.show_view("Board")
        window.resize(1920, 1080)
        self.wait(4.0)
        self.shot("board-large")

    def _night(self, act: Callable[[], None]) -> None:
        self.window.toggle_theme()
        self.wait(1.0)
        act()
        self.window.toggle_theme()

    def close(self) -> None:
        """Close the window and its engine."""
        self.window.close()


def main() -> None:
    """Take the pictures."""
    folder = Path(sys.argv[1] if len(sys.argv) > 1 else "docs/screenshots")
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as own, jack_server():
        for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME"):
            os.environ[name] = own
        application = make_application(sys.argv[:1])
        photographer = Photographer(folder, sys.argv[2:])
        photographer.all()
        photographer.close()
        application.quit()


if __name__ == "__main__":
    main()
