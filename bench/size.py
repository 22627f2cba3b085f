"""What cost grows with: strands, an hour of the demo with its sound, and a drag in a project of many hookups."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import msgspec
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication

from arpegon.core.document.model import Hookup, Project, Stage
from arpegon.engine import offline
from arpegon.files.assets import CLIPS
from arpegon.files.places import DEMO
from arpegon.files.settings import Settings
from arpegon.rendering import Wish, render_project
from arpegon.ui.app import make_application
from arpegon.ui.bench.humanize_editor import VelocityFaces
from arpegon.ui.model.session import Session
from arpegon.ui.window import Window
from bench.rows import Row, median
from bench.scene import busy_project

_KINDS = ("humanize", "scale", "velocity", "transpose", "length", "humanize", "scale", "channel")
_MUSIC_SECONDS = 50.0
_DEMO_SECONDS = 120.0
_STEPS = 200


def _deep(folder: Path, strands: int) -> Project:
    """Strands of eight stages, each with sixteenths of its own."""
    made = busy_project(folder, strands)
    deep = tuple(
        msgspec.structs.replace(
            one, stages=tuple(Stage(id=f"{one.id}-{place}", kind=kind) for place, kind in enumerate(_KINDS))
        )
        for one in made.strands
    )
    return msgspec.structs.replace(made, strands=deep)


def _offline(folder: Path, strands: int) -> tuple[float, int]:
    """Seconds that 50 seconds of music take, and how many events leave."""
    document = _deep(folder, strands)
    clips, _ = CLIPS.load(document, folder)
    begun = time.perf_counter()
    result = offline.run(document, [], clips, seconds=_MUSIC_SECONDS)
    return time.perf_counter() - begun, sum(map(len, result.strands.values()))


def _with_sound(folder: Path) -> float:
    """How many times as fast as it is played the demo is rendered with its sound."""
    begun = time.perf_counter()
    for _ in render_project(Wish(project=DEMO, seconds=_DEMO_SECONDS, wav_out=folder / "demo.wav")):
        pass
    return _DEMO_SECONDS / (time.perf_counter() - begun)


def _drag(folder: Path) -> float:
    """Seconds that a step of a drag takes with ten strands and 64 hookups, without the paint that follows."""
    application = QApplication.instance() or make_application(sys.argv[:1])
    session = Session(Settings())
    window = Window(session)
    window.resize(1280, 800)
    window.show()
    hookups = tuple(
        Hookup(id=f"k{number}", control="cc", number=number, target=f"h{number % 10}", param="low")
        for number in range(64)
    )
    session.load(msgspec.structs.replace(busy_project(folder, 10), hookups=hookups), None)
    session.start()
    session.select_stage("h3")
    faces = window.bench.findChild(VelocityFaces)
    assert faces is not None

    def move(kind: QEvent.Type, velocity: float) -> float:
        place = QPointF(faces.x_of(velocity), 60.0)
        left, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        event = QMouseEvent(kind, place, faces.mapToGlobal(place), left, left, none)
        begun = time.perf_counter()
        application.sendEvent(faces, event)
        return time.perf_counter() - begun

    move(QEvent.Type.MouseButtonPress, faces.low)
    steps = []
    for number in range(_STEPS):
        steps.append(move(QEvent.Type.MouseMove, 20.0 + number % 60))
        application.processEvents()
    session.close()
    window.close()
    return median(steps)


def rows() -> list[Row]:
    """The rows of the table."""
    with tempfile.TemporaryDirectory() as own:
        folder = Path(own)
        sizes = {strands: _offline(folder, strands) for strands in (1, 10, 40)}
        each = ", ".join(f"{1e6 * took / max(1, count):.0f} µs" for took, count in sizes.values())
        took = sizes[40][0]
        speed = _with_sound(folder)
        drag = 1000.0 * _drag(folder)
    return [
        Row(
            "Offline: 40 strands of eight stages, 50 s of music",
            f"{took:.1f} s",
            f"{each} an event with 1, 10, 40 strands",
            f"{took / 3.0:.2f}",
            "≤ 3 s",
            took <= 3.0,
        ),
        Row(
            "Two minutes of the demo offline, with its sound",
            f"{speed:.0f} times as fast as played",
            "–",
            f"{speed / 25.0:.2f}",
            "≥ 25 times",
            speed >= 25.0,
        ),
        Row(
            "A step of a drag with ten strands and 64 hookups",
            f"{drag:.1f} ms",
            "–",
            f"{drag / 3.0:.2f}",
            "≤ 3 ms",
            drag <= 3.0,
        ),
    ]
