"""Takes the pictures of docs/screenshots from the demo while it plays.

    python -m tools.screenshots [FOLDER] [NAME ...]

Runs the real window (offscreen unless there is a display) with a real engine on a JACK server of its own.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from typing import Any

from PyQt6.QtGui import QPainter, QPixmap
from PyQt6.QtWidgets import QApplication
from tools.jack_server import jack_server

from arpegon.core.document import edits
from arpegon.core.document.model import Stage
from arpegon.core.events import note_off, note_on
from arpegon.core.time import studio
from arpegon.files.presets import factory_presets
from arpegon.ui.app import make_application
from arpegon.ui.bench.chord_editor import ChordEditor
from arpegon.ui.bench.listen_editors import HitsEditor
from arpegon.ui.bench.steps_editor import StepsEditor
from arpegon.ui.look import theme
from arpegon.ui.model.session import Selection, Session
from arpegon.ui.parts import clipboard
from arpegon.ui.window import Window


class Photographer:
    """Drives the window and takes pictures."""

    def __init__(self, folder: Path, wanted: list[str]) -> None:
        self.folder = folder
        self.wanted = wanted
        theme.use("day")
        from arpegon.files.settings import Settings

        self.session = Session(Settings(block=1024))
        self.window = Window(self.session)
        self.window.resize(1280, 800)
        self.window.show()
        self.session.start()
        self.wait(2.0)

    def demo(self) -> None:
        """The demo from its start; its first section is played again and again."""
        self.window.open_demo()
        project = self.session.project
        self.session.edit("show", edits.set_section(project, project.sections[0].id, then="again"))

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
            self.session.feed(note_on(studio.now(), 0, key, 100))
            self.wait(0.15)
        self.wait(0.2)
        for key in keys:
            self.session.feed(note_off(studio.now(), 0, key))

    def stage_at_work(self, kind: str, params: dict[str, Any], before: tuple[Stage, ...] = ()) -> None:
        """Let the lamp room's clip pass one stage, which stands on the bench."""
        session = self.session
        stage = Stage(id="shown", kind=kind, params=params)
        session.edit("show", edits.set_strand(session.project, "lamp", stages=(*before, stage)))
        session.select_stage("shown")
        self.wait(4.5)

    def sheet(self, name: str, stages: list[tuple[str, dict[str, Any], tuple[Stage, ...]]]) -> None:
        """The benches of several stages side by side."""
        if self.wanted and name not in self.wanted:
            return
        pictures = []
        for kind, params, before in stages:
            self.stage_at_work(kind, params, before)
            pictures.append(self.window.bench.grab())
        self.beside(name, pictures)

    def beside(self, name: str, pictures: list[QPixmap]) -> None:
        """Save pictures side by side as one."""
        if self.wanted and name not in self.wanted:
            return
        wide = sum(picture.width() + 6 for picture in pictures) - 6
        sheet = QPixmap(wide, max(picture.height() for picture in pictures))
        sheet.fill(theme.color(theme.theme().desk))
        painter = QPainter(sheet)
        x = 0
        for picture in pictures:
            painter.drawPixmap(x, 0, picture)
            x += picture.width() + 6
        painter.end()
        sheet.save(str(self.folder / f"{name}.png"))
        print(name)

    def editors(self) -> None:
        """The editors of all stages that have no picture of their own."""
        window = self.window
        fifth = (Stage(id="fifth", kind="chord", params={"offsets": [7]}),)
        self.sheet(
            "editors-pitch-and-touch",
            [
                ("velocity", {"curve": 0.3, "accents": [1.25, 0.7, 0.95, 0.7]}, ()),
                ("transpose", {"degrees": 2}, ()),
                ("mirror", {"way": "key", "axis": 62, "follow_key": True}, ()),
                ("chord", {"way": "key", "stack": "seventh", "lead": True}, ()),
                ("thin", {"keep": "highest"}, fifth),
            ],
        )
        self.sheet(
            "editors-time-and-traffic",
            [
                ("length", {"value": "1/16"}, fifth),
                ("hold", {"until": "next"}, fifth),
                ("repeat", {"rhythm": [1.0, 0.0, 0.6, 0.8]}, ()),
                ("echo", {"rate": "1/16D", "move": 2, "move_by": "degrees", "follow_key": True}, ()),
                ("sieve", {"action": "pass", "low_key": 50, "high_key": 66}, ()),
                ("chance", {"percent": 60}, ()),
                ("channel", {"channel": 10}, ()),
            ],
        )
        self.sheet(
            "editors-controllers",
            [
                ("convert", {"source": "velocity", "to_number": 75, "shape": "soft", "release": "hold"}, ()),
                ("fan", {"source": "velocity"}, ()),
                ("smooth", {"up_ms": 600}, (Stage(id="pre", kind="lfo", params={"rate": "1/2", "wave": "square"}),)),
                ("stairs", {"levels": 6}, (Stage(id="pre", kind="lfo", params={"rate": "1 bar"}),)),
                ("lfo", {"wave": "triangle"}, ()),
                ("contour", {"length": "1 bar", "drawn": "points", "way": "glide"}, ()),
            ],
        )
        lane: list[dict[str, Any]] = [
            *({"play": "next"}, {"play": "next", "velocity": 0.7}, {"play": "rest"}),
            *({"play": "next", "octave": 1}, {"play": "all"}, {"play": "tie"}),
        ]
        self.stage_at_work(
            "arpeggiator", {"order": "stride", "octaves": 2, "patterns": [lane]}, (Stage(id="pre", kind="chord"),)
        )
        window.bench.wide.setChecked(True)
        self.wait(4.0)
        self.shot("arpeggiator-wide")
        window.bench.wide.setChecked(False)
        self.sources()
        self.stage_at_work("keymap", {"threads": {str(note): [note, note + 7] for note in range(60, 72)}})
        self.shot("keymap")
        degrees = ((1, "triad"), (6, "triad"), (4, "seventh"), (5, "triad"), (2, "seventh"), (3, "triad"), (7, "triad"))
        pads: list[dict[str, Any]] = [
            {"trigger": 45 + place * 3, "degree": degree, "stack": stack, "group": "tide" if place < 4 else "fog"}
            for place, (degree, stack) in enumerate(degrees)
        ]
        pads.append({"trigger": 36, "root": "Eb", "quality": "maj7"})
        self.stage_at_work("chord", {"way": "pads", "pads": pads})
        editor = window.bench.editor
        assert isinstance(editor, ChordEditor)
        editor.pads.select(4)
        self.wait(2.5)
        self.shot("chord-pads")
        window.status.follow.setChecked(True)
        self.stage_at_work("sieve", {"action": "pass", "low_key": 100})
        self.wait(1.5)
        self.shot("path-check")
        window.status.follow.setChecked(False)
        self.demo()
        self.wait(6.0)

    def sources(self) -> None:
        """The editors of the sources that make notes by themselves, and the clock."""
        window, session = self.window, self.session
        session.select_stage("deck-walk")
        editor = window.bench.editor
        assert isinstance(editor, StepsEditor)
        window.bench.wide.setChecked(True)
        editor.set(toss_bounds={"note": [38, 55]})
        for _ in range(5):
            editor.tosses.toss()
            self.wait(0.4)
        editor.tosses.star(2)
        editor.tosses.call_back(3)
        self.wait(3.0)
        self.shot("steps")
        session.select_stage("nets-rings")
        self.wait(3.0)
        pictures = [window.bench.grab()]
        source = edits.fresh_generator(session.project, "rebound", params={"beads": 3, "speed": 1.2})
        session.edit("show", edits.set_source(session.project, "fog", 0, source))
        session.select_source("fog", 0)
        self.wait(4.0)
        pictures.append(window.bench.grab())
        self.beside("rings-and-rebound", pictures)
        window.bench.wide.setChecked(False)
        window.header.open_clock()
        panel = window.header._clock_panel
        assert panel is not None
        panel.power.setChecked(True)
        panel.run.click()
        panel.follow_it.click()
        self.wait(3.0)
        self.beside("clock", [panel.grab()])
        panel._set("own", follow=False)
        panel.power.setChecked(False)
        panel.close()
        if not session.telemetry.playing:
            session.play()
        self.wait(0.5)

    def listening(self) -> None:
        """The editors of audio sources, and a calibration."""
        window, session = self.window, self.session
        pictures = []
        for source in ("hum-ear", "crate-left"):
            session.select_stage(source)
            self.wait(5.0)
            pictures.append(window.bench.grab())
        editor = window.bench.editor
        assert isinstance(editor, HitsEditor)
        editor.calibration.begin.click()
        self.wait(2.6)
        pictures.append(window.bench.grab())
        editor.calibration.stop()
        self.beside("listening", pictures)

    def all(self) -> None:
        """Every picture of the docs."""
        window, session = self.window, self.session
        self.shot("board-empty")
        self.demo()
        self.wait(9.0)
        self.shot("board-day")
        self.editors()
        pictures = []
        for stage in ("harbour-humanize", "harbour-scale"):
            session.select_stage(stage)
            self.wait(4.0)
            pictures.append(window.bench.grab())
        session.select_source("harbour", 1)
        self.wait(1.0)
        pictures.append(window.bench.grab())
        session.select(Selection("harbour", "destination", "", 0))
        self.wait(1.0)
        self.beside("humanize-scale-and-ends", [*pictures, window.bench.grab()])
        self.listening()
        session.select_stage("harbour-chord")
        self.wait(2.0)
        self._night(lambda: self.shot("board-night"))
        for value in range(20, 90, 3):
            window.surface.parts.knobs[1].turn(value)
            self.wait(0.02)
        window.show_view("Hookups")
        window.hookups.choose("walk")
        window.surface.parts.knobs[1].turn(95)
        self.wait(0.4)
        self.shot("hookups")
        window.show_view("Board")
        self.wait(2.0)
        session.recorder.keep()
        window.show_view("Take")
        self.wait(0.5)
        window.takes.playing.play_from(2.0)
        self.wait(2.0)
        roll = window.takes.versions["generated"].roll
        roll.choose(set(range(4, 9)))
        window.takes.remedies.choose("join")
        self.wait(0.6)
        self.shot("take")
        window.takes.remedies.choose("")
        session.piece.go(1)
        window.show_view("Sections")
        window.sections.choose("fog-in")
        self.wait(4.0)
        self.shot("sections")
        window.show_view("Board")
        for preset in [one for one in factory_presets() if one.strand is not None]:
            clipboard.put_in(session, preset)
        window.resize(1920, 1080)
        self.strum(60, 64, 67)
        self.wait(1.5)
        self.shot("board-large")

    def _night(self, act: Callable[[], None]) -> None:
        self.window.appearance.use_theme("night")
        self.wait(1.0)
        act()
        self.window.appearance.use_theme("night")

    def close(self) -> None:
        """Close the window and its engine."""
        self.window.close()


def main() -> None:
    """Take the pictures."""
    folder = Path(sys.argv[1] if len(sys.argv) > 1 else "docs/screenshots")
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as own, jack_server("arpegon-shots", 1024):
        for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME"):
            os.environ[name] = own
        application = make_application(sys.argv[:1])
        photographer = Photographer(folder, sys.argv[2:])
        photographer.all()
        photographer.close()
        application.quit()


if __name__ == "__main__":
    main()
