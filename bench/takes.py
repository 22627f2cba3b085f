"""What a long take costs: scrolled, zoomed, put onto the grid, opened, saved; and what ten minutes of memory take."""

from __future__ import annotations

import os
import random
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtWidgets import QApplication

from arpegon.core.document import take_edits
from arpegon.core.document.model import Project
from arpegon.core.document.remedies import REMEDIES
from arpegon.core.events import control
from arpegon.core.notes.course import Course
from arpegon.core.notes.memory import Memory, encode
from arpegon.core.notes.sheet import Note, Sheet
from arpegon.core.notes.takes import Take, TakePart
from arpegon.core.notes.taps import IN, OUT, Batch, Passage
from arpegon.engine import offline
from arpegon.files.assets import CLIPS
from arpegon.files.places import DEMO
from arpegon.files.project import load_project, save_project
from arpegon.ui.app import make_application
from arpegon.ui.take.paper import TakePaper
from arpegon.ui.take.span import Span
from bench.rows import Row, median

_NOTES, _VALUES = 20_000, 50_000
_MINUTES = 10
_KEPT: list[object] = []


def long_take() -> Take:
    """A take of 20,000 notes and 50,000 values, over half an hour."""
    draw = random.Random("tide")
    beats = _NOTES * 0.18
    notes = [
        Note(place * 0.18 + draw.random() * 0.05, place * 0.18 + 0.3, 40 + draw.randrange(40), 1 + draw.randrange(127))
        for place in range(_NOTES)
    ]
    values = tuple(control(place * beats / _VALUES, 0, 1, draw.randrange(128)) for place in range(_VALUES))
    events = Sheet((), values).added(notes)[0].events()
    part = TakePart(strand="a", name="Fog", played=events, generated=events)
    return Take(id="t", name="Tide", beats=beats, course=Course(), parts=(part,))


def _times(do: Callable[[], object], count: int) -> list[float]:
    found = []
    for _ in range(count):
        began = time.perf_counter()
        do()
        found.append(time.perf_counter() - began)
    return found


def _frames(take: Take) -> tuple[float, float]:
    """Milliseconds of a frame while the paper scrolls and while it zooms: the worst of nine in ten."""
    application = QApplication.instance() or make_application([])
    _KEPT.append(application)
    span = Span()
    span.length, span.low, span.high = take.beats, 38, 82
    paper = TakePaper(span)
    paper.resize(480, 620)
    paper.show_sheet(Sheet.of(take.parts[0].generated, take.beats), 0)
    paper.show()
    for _ in range(3):
        application.processEvents()

    def scroll() -> None:
        paper.scroll_to(span.start + 0.7)
        paper.repaint()

    scrolled = sorted(_times(scroll, 120))
    zoomed = []
    for steps in (1.0, -1.0):

        def zoom(steps: float = steps) -> None:
            paper.zoom(steps, 200.0)
            paper.repaint()

        zoomed += _times(zoom, 30)
    paper.close()
    return 1000.0 * scrolled[108], 1000.0 * sorted(zoomed)[54]


def _memory() -> tuple[int, int]:
    """How many bytes ten minutes of the demo take in the memory, and how many events they are."""
    document = load_project(DEMO)
    clips, _ = CLIPS.load(document, DEMO.parent)
    result = offline.run(document, [], clips, seconds=60.0 * _MINUTES)
    memory, count = Memory(), 0
    rows = [
        (event.time, strand, place, event)
        for place, strands in ((IN, result.played), (OUT, result.strands))
        for strand, events in strands.items()
        for event in events
    ]
    rows.sort(key=lambda row: row[0])
    batch: list[Passage] = []
    due = 1.0 / 60.0
    for at, strand, place, event in rows:
        if at > due:
            if batch:
                record = Batch(1, batch)
                memory.remember(record, encode(record))
            batch, due = [], at + 1.0 / 60.0
        batch.append(Passage(strand, (place,), [event]))
        count += 1
    return memory.size, count


def rows() -> list[Row]:
    """The rows of the table."""
    take = long_take()
    scroll, zoom = _frames(take)
    sheet = Sheet.of(take.parts[0].generated, take.beats)
    values = {"rate": "1/16", "ends": True, "controllers": True}
    grid = median(_times(lambda: REMEDIES["grid"].plan(sheet, (), take.course, values), 5))
    project = take_edits.add_take(Project(), take)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "long.arpegon"
        saved = median(_times(lambda: save_project(project, path), 3))
        opened = median(_times(lambda: load_project(path), 3))
    size, count = _memory()
    what = f"a take of {_NOTES:,} notes and {_VALUES:,} values"
    return [
        Row(f"{what}: nine of ten frames that scroll", f"{scroll:.1f} ms", "–", "–", "16 ms", scroll < 16.0),
        Row(f"{what}: nine of ten frames that zoom", f"{zoom:.1f} ms", "–", "–", "16 ms", zoom < 16.0),
        Row(f"{what}: put onto the grid", f"{1000 * grid:.0f} ms", "–", "–", "200 ms", grid < 0.2),
        Row(f"{what}, both versions: saved", f"{saved:.2f} s", "–", "–", "1 s", saved < 1.0),
        Row(f"{what}, both versions: opened", f"{opened:.2f} s", "–", "–", "1 s", opened < 1.0),
        Row(
            f"memory of ten minutes of the demo, {count:,} events at both ends of its strands",
            f"{size / 1024:.0f} KB",
            "–",
            "–",
            "none",
            True,
        ),
    ]
