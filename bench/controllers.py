"""Controllers: a dense stream through three stages on four strands, and what an LFO sends."""

from __future__ import annotations

import tempfile
import time
from itertools import pairwise
from pathlib import Path

from arpegon.core.document.model import ClipSource, PortDestination, Project, Stage, Strand, StrandSource
from arpegon.core.events import CONTROL, control
from arpegon.engine.offline import run
from arpegon.engine.wire import protocol
from arpegon.files.midi import Track, write_midi
from bench.paint import bare_lateness
from bench.rows import Row, median
from bench.stages import cpu_seconds, engine_at_work

_SECONDS = 8.0
FAN = [{"number": 20 + number, "points": [[0, 0], [64, 127 - 9 * number], [127, 9 * number]]} for number in range(8)]


def _project(folder: Path) -> Project:
    """Four strands that take the same thousand values a second through Convert, Smooth and an eightfold Fan."""
    wave = [control(place / 1000.0, 0, 1, abs(place * 3 % 254 - 127)) for place in range(16_000)]
    write_midi(folder / "stream.mid", [Track("stream", wave)], 60.0)
    strands = tuple(
        Strand(
            id=f"s{number}",
            name=f"Stream {number + 1}",
            sources=(StrandSource(strand="stream"),),
            stages=(
                Stage(id=f"c{number}", kind="convert", params={"to_number": 11}),
                Stage(id=f"m{number}", kind="smooth", params={"what": "cc", "number": 11, "up_ms": 50, "down_ms": 50}),
                Stage(id=f"f{number}", kind="fan", params={"number": 11, "shapes": [FAN]}),
            ),
            destinations=(PortDestination(channel=number),),
        )
        for number in range(4)
    )
    stream = Strand(id="stream", name="Stream", sources=(ClipSource(file="stream.mid"),))
    return Project(tempo=60.0, strands=(stream, *strands))


def _stream(folder: Path) -> list[Row]:
    bare = bare_lateness(6.0)
    told, client = engine_at_work(_project(folder), folder)
    before = cpu_seconds(client.pid)
    time.sleep(3.0)
    idle = (cpu_seconds(client.pid) - before) / 3.0
    client.send(protocol.Play(0.0))
    time.sleep(2.0)
    first = len(told)
    before, began = cpu_seconds(client.pid), time.monotonic()
    time.sleep(_SECONDS)
    share = (cpu_seconds(client.pid) - before) / (time.monotonic() - began)
    late = median([telemetry.health.late_p99 for telemetry in told[first:]])
    rate = told[-1].health.events_per_second
    client.close()
    return [
        Row(
            f"Engine: 1,000 controller values a second through Convert, Smooth, Fan on four strands ({rate:.0f} in)",
            f"{share * 100:.0f} % of one core, {(share - idle) * 100:.0f} % without what runs anyway",
            f"{idle * 100:.0f} % (the same engine, stopped, with its audio stream and ports)",
            f"{share / max(0.001, idle):.1f}",
            "under 30 %",
            share < 0.3,
        ),
        Row(
            "Lateness of due events (p99) under that stream",
            f"{late * 1000:.3f} ms",
            f"{bare * 1000:.3f} ms (bare waiting loop, idle process)",
            f"{late / bare:.2f}",
            "under 1 ms",
            late < 0.001,
        ),
    ]


def _lfo() -> Row:
    """Whether an LFO with its defaults sends a value twice running, in ten minutes."""
    project = Project(strands=(Strand(id="s", name="S", stages=(Stage(id="l", kind="lfo"),)),), tempo=97.0)
    sent = [event.data2 for event in run(project, seconds=600.0).strands["s"] if event.kind == CONTROL]
    twice = sum(before == after for before, after in pairwise(sent))
    return Row(
        f"LFO at its defaults for ten minutes: values sent twice running, of {len(sent):,}",
        str(twice),
        "0",
        "–",
        "none",
        twice == 0,
    )


def rows() -> list[Row]:
    """All of them."""
    with tempfile.TemporaryDirectory() as folder:
        return [*_stream(Path(folder)), _lfo()]
