"""What a frame of the board costs, and how late the engine is while the window paints."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QEvent
from PyQt6.QtWidgets import QApplication

from arpegon.core.document.model import Project
from arpegon.engine.wire.protocol import Telemetry
from arpegon.files.settings import Settings
from arpegon.ui.app import make_application
from arpegon.ui.model.session import Session
from arpegon.ui.window import Window
from bench.rows import Row, median
from bench.scene import busy_project

WARM, MEASURED = 4.0, 12.0

_KEPT: list[object] = []
"""The one application of this process, kept for the next window."""

BARE = """
import select, sys, time
sys.path.insert(0, sys.argv[1])
from arpegon.engine.live.loop import ask_for_realtime
ask_for_realtime()
late, worst, due = [], [], time.monotonic() + 0.01
end, part = due + float(sys.argv[2]), due + 2.0
while due < end:
    wait = due - time.monotonic()
    if wait > 0:
        select.select([], [], [], wait)
    late.append(time.monotonic() - due)
    due += 0.00523
    if due >= part:
        worst.append(sorted(late)[int(0.99 * len(late))])
        late, part = [], part + 2.0
print(sorted(worst)[len(worst) // 2])
"""


def bare_lateness(seconds: float) -> float:
    """The 99th percentile of two seconds of a bare waiting loop in an idle process: the median of several such."""
    source = str(Path(__file__).resolve().parent.parent / "src")
    done = subprocess.run(
        [sys.executable, "-c", BARE, source, str(seconds)], capture_output=True, text=True, check=True
    )
    return float(done.stdout)


def painted(make: Callable[[Path], Project]) -> tuple[float, float, float]:
    """Lateness (p99) and frame time in seconds while the window paints what plays, and that of the bare loop.

    Args:
        make: writes what the project needs into a folder, and makes it.
    """
    bare = [bare_lateness(6.0)]
    application = QApplication.instance() or make_application(sys.argv[:1])
    _KEPT.append(application)
    with tempfile.TemporaryDirectory() as folder:
        session = Session(Settings())
        window = Window(session)
        window.resize(1280, 800)
        window.show()
        session.load(make(Path(folder)), None, Path(folder))
        session.select_stage(next(session.project.stages())[1].id)
        session.start()
        healths = []

        def told(telemetry: Telemetry) -> None:
            healths.append(telemetry.health)

        session.reported.connect(told)
        _live(WARM / 2)
        session.link.play()
        _live(WARM)
        window.frames.stop()  # the frames are made below
        frames = []
        end = time.monotonic() + MEASURED
        while time.monotonic() < end:
            began = time.perf_counter()
            window.board.frame()
            QApplication.sendPostedEvents(window, QEvent.Type.UpdateRequest.value)
            frames.append(time.perf_counter() - began)
            window.bench.tick(time.monotonic())
            _live(max(0.001, 1 / 60 - frames[-1]))
        lates = [health.late_p99 for health in healths[len(healths) // 4 :]]
        window.close()
        application.processEvents()
    bare.append(bare_lateness(6.0))
    return median(lates), median(frames), sum(bare) / 2


def lateness_row(what: str, late: float, idle: float) -> Row:
    """A row of lateness beside the bare loop."""
    return Row(
        f"Lateness of due events (p99), {what}",
        f"{late * 1000:.3f} ms",
        f"{idle * 1000:.3f} ms (bare waiting loop, idle process)",
        f"{late / idle:.2f}",
        "at most 2 times the bare loop, under 1 ms",
        late / idle <= 2 and late < 0.001,
    )


def rows() -> list[Row]:
    """Both rows, from one window with eight busy strands."""
    late, frame, idle = painted(busy_project)
    return [
        lateness_row("eight busy strands painted at 60 Hz", late, idle),
        Row(
            "Paint: a whole frame of the board, eight busy strands, 1280x800 (median)",
            f"{frame * 1000:.2f} ms",
            "16.7 ms (a frame at 60 Hz)",
            f"{frame * 60:.2f}",
            "under 8 ms",
            frame < 0.008,
        ),
    ]


def _live(seconds: float) -> None:
    """Let the window live for a while."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        QApplication.processEvents()
        time.sleep(0.001)
