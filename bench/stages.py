"""Eight mixed stages offline; a stage that is added while 32 notes are held; twelve strands of six stages live."""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path

from arpegon.core.document import edits
from arpegon.core.document.model import (
    ClipSource,
    Instrument,
    InstrumentDestination,
    Project,
    Stage,
    Strand,
    SurfaceSource,
)
from arpegon.core.events import Event, note_off, note_on
from arpegon.engine.live.client import EngineClient
from arpegon.engine.offline import run
from arpegon.engine.wire import protocol
from arpegon.files.midi import Track, write_midi
from bench.rows import Row, median

COUNT = 40_000
_TURNS = 5

MIXED: tuple[tuple[str, dict[str, object]], ...] = (
    ("sieve", {"kinds": ["cc"], "controllers": [1]}),
    ("humanize", {}),
    ("velocity", {"accents": [1.2, 0.8, 1.0]}),
    ("scale", {"root": "D", "scale": "dorian"}),
    ("transpose", {"degrees": 2}),
    ("keymap", {"threads": {"60": [62]}}),
    ("length", {"unit": "ms", "ms": 40}),
    ("channel", {"channel": 2}),
)
SIX = (
    ("humanize", {}),
    ("scale", {"follow_key": True}),
    ("chord", {"offsets": [7]}),
    ("thin", {"count": 2}),
    ("velocity", {"curve": 0.3}),
    ("channel", {"channel": 1}),
)


def _stages(chain: tuple[tuple[str, dict[str, object]], ...], prefix: str) -> tuple[Stage, ...]:
    return tuple(Stage(id=f"{prefix}{place}", kind=kind, params=params) for place, (kind, params) in enumerate(chain))


def _project(strand: Strand) -> Project:
    return Project(instruments=(Instrument(id="x", sound="felt-piano"),), strands=(strand,))


def _played() -> list[Event]:
    events = []
    for place in range(COUNT // 2):
        note = 36 + place * 7 % 48
        events += [note_on(place * 0.01, 0, note, 100), note_off(place * 0.01 + 0.008, 0, note)]
    return events


def _offline() -> Row:
    strand = Strand(
        id="a",
        name="A",
        sources=(SurfaceSource(),),
        stages=_stages(MIXED, "m"),
        destinations=(InstrumentDestination(instrument="x"),),
    )
    project = _project(strand)
    ours, bare = [], []
    for _ in range(5):
        began = time.perf_counter()
        result = run(project, _played(), seconds=COUNT)
        ours.append(COUNT / (time.perf_counter() - began))
        assert len(result.instruments) >= COUNT
        began = time.perf_counter()
        made = [_played() for _ in range(1 + len(MIXED))]
        bare.append(COUNT / (time.perf_counter() - began))
        assert len(made[-1]) == COUNT
    return Row(
        "Offline: incoming note events a second through eight mixed stages",
        f"{median(ours):,.0f} /s",
        f"{median(bare):,.0f} /s (creates the same events)",
        f"{median(ours) / median(bare):.2f}",
        "60,000 /s",
        median(ours) >= 60_000,
    )


def engine_at_work(project: Project, folder: Path) -> tuple[list[protocol.Telemetry], EngineClient]:
    told: list[protocol.Telemetry] = []
    client = EngineClient(lambda report: told.append(report) if isinstance(report, protocol.Telemetry) else None)
    client.start()
    client.set_project(project, folder)
    end = time.monotonic() + 20.0
    while not told and time.monotonic() < end:
        time.sleep(0.05)
    assert told, "the engine does not answer"
    time.sleep(2.0)
    return told, client


def _adding(folder: Path) -> Row:
    """How late a note is that falls due while a stage is put in under 32 held notes."""
    beats = [event for place in range(3000) for event in _click(place)]
    write_midi(folder / "clicks.mid", [Track("clicks", beats)], 120.0)
    held = Strand(
        id="held",
        name="Held",
        sources=(SurfaceSource(),),
        stages=_stages(SIX[:3], "h"),
        destinations=(InstrumentDestination(instrument="x"),),
    )
    clicks = Strand(
        id="clicks", name="Clicks", sources=(ClipSource(file="clicks.mid"),), destinations=held.destinations
    )
    project = Project(instruments=(Instrument(id="x", sound="felt-piano"),), strands=(held, clicks))
    told, client = engine_at_work(project, folder)
    client.send(protocol.Play(0.0))
    now = time.monotonic()
    client.send(protocol.Feed("surface", [note_on(now, 0, 40 + place, 90) for place in range(32)]))
    quiet, late = [], []
    for _ in range(_TURNS):
        time.sleep(3.2)
        quiet.append(told[-1].health.late_p99)
        for place in range(28):
            project, _ = edits.add_stage(project, "held", ("transpose", "velocity", "sieve")[place % 3], 1)
            if place % 6 == 5:
                for stage in project.strands[0].stages[1:6]:
                    project = edits.remove_stage(project, stage.id)
            client.set_project(project, folder)
            time.sleep(0.12)
        late.append(told[-1].health.late_p99)
    client.close()
    adding, resting = median(late), median(quiet)
    return Row(
        "Lateness of due events (p99) while stages are added under 32 held notes",
        f"{adding * 1000:.2f} ms",
        f"{resting * 1000:.2f} ms (the same engine, nothing added)",
        f"{adding / max(1e-6, resting):.2f}",
        "under 2 ms",
        adding < 0.002,
    )


def _click(place: int) -> list[Event]:
    return [note_on(place * 0.0131, 0, 76, 60), note_off(place * 0.0131 + 0.006, 0, 76)]


def _busy(folder: Path) -> Row:
    """The engine's share of a core with twelve strands of six stages, sixteenths of three notes in each."""
    strands = []
    for number in range(12):
        events = []
        for step in range(64):
            for voice in range(3):
                note = 36 + (step * 7 + number * 5 + voice * 4) % 40
                events += [note_on(step * 0.125, 0, note, 100), note_off(step * 0.125 + 0.1, 0, note)]
        events.sort(key=lambda event: event.time)
        write_midi(folder / f"dense-{number}.mid", [Track("dense", events)], 120.0)
        strands.append(
            Strand(
                id=f"d{number}",
                name=f"Dense {number + 1}",
                sources=(ClipSource(file=f"dense-{number}.mid"),),
                stages=_stages(SIX, f"d{number}-"),
                destinations=(InstrumentDestination(instrument="none", channel=0),),
            )
        )
    # Without an instrument: what is measured is the way of the notes, not their sound.
    told, client = engine_at_work(Project(strands=tuple(strands), tempo=120.0), folder)
    before = cpu_seconds(client.pid)
    time.sleep(3.0)
    idle = (cpu_seconds(client.pid) - before) / 3.0
    client.send(protocol.Play(0.0))
    time.sleep(1.0)
    before, began = cpu_seconds(client.pid), time.monotonic()
    time.sleep(8.0)
    share = (cpu_seconds(client.pid) - before) / (time.monotonic() - began)
    rate = told[-1].health.events_per_second
    client.close()
    return Row(
        f"Engine: twelve strands of six stages, {rate:.0f} events a second coming in",
        f"{share * 100:.0f} % of one core",
        f"{idle * 100:.0f} % (the same engine, stopped)",
        f"{share / max(0.001, idle):.1f}",
        "under 50 %",
        share < 0.5,
    )


def cpu_seconds(pid: int | None) -> float:
    """Seconds of processor time that a process has used."""
    words = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    return (int(words[11]) + int(words[12])) / os.sysconf("SC_CLK_TCK")


def rows() -> list[Row]:
    """All three."""
    with tempfile.TemporaryDirectory() as folder:
        return [_offline(), _adding(Path(folder)), _busy(Path(folder))]
