"""What the live engine's cost grows with: events that come in, and listeners at work."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Sequence
from pathlib import Path

from arpegon.core.document.model import AudioSource, ClipSource, Project, Stage, Strand
from arpegon.core.events import note_off, note_on
from arpegon.engine.wire import protocol
from arpegon.files.midi import Track, write_midi
from bench.rows import Row
from bench.stages import engine_at_work
from bench.whole import cost, family

_RATES = (0, 100, 1_000, 10_000)
_LISTENERS = (1, 4, 8)
_KINDS = ("humanize", "scale", "velocity")
_SECONDS = 6.0
_MUSIC_SECONDS = 20


def _stream(folder: Path, rate: int) -> Project:
    """A strand of three stages into which so many events a second come."""
    events = []
    for place in range(rate // 2 * _MUSIC_SECONDS):
        time_on, note = 2.0 * place / rate, 36 + place * 7 % 48
        events += [note_on(time_on, 0, note, 100), note_off(time_on + 1.0 / rate, 0, note)]
    write_midi(folder / f"stream-{rate}.mid", [Track("stream", events)], 120.0)
    stages = tuple(Stage(id=kind, kind=kind) for kind in _KINDS)
    return Project(strands=(Strand(id="s", name="S", sources=(ClipSource(file=f"stream-{rate}.mid"),), stages=stages),))


def _listening(count: int) -> Project:
    """So many strands that each listen for the pitch of a hummed tune."""
    return Project(
        strands=tuple(
            Strand(
                id=f"s{place}",
                name=f"S {place}",
                sources=(AudioSource(id=f"a{place}", listen="pitch", file="stand-in:hummed-tune"),),
            )
            for place in range(count)
        )
    )


def _shares(project: Project, folder: Path) -> tuple[dict[str, float], float]:
    """Per cent of a core of the engine and of the listening process while it plays, and events a second."""
    told, client = engine_at_work(project, folder)
    assert client.pid is not None
    client.send(protocol.Play(0.0))
    time.sleep(2.0)
    processes = {pid: "engine" if name == "window" else name for pid, name in family(client.pid).items()}
    before, began = {pid: cost(pid) for pid in processes}, time.monotonic()
    time.sleep(_SECONDS)
    took = time.monotonic() - began
    shares: dict[str, float] = {}
    for pid, name in processes.items():
        shares[name] = shares.get(name, 0.0) + 100.0 * (cost(pid) - before[pid]) / took
    rate = told[-1].health.events_per_second
    client.close()
    return shares, rate


def _row(what: str, sizes: Sequence[float], shares: Sequence[float], limit: float, asked: str) -> Row:
    each = ", ".join(f"{share:.1f}" for share in shares)
    more = (shares[-1] - shares[0]) / (sizes[-1] - sizes[0])
    return Row(
        what,
        f"{each} % of a core",
        f"{shares[0]:.1f} % with {sizes[0]:,.0f}",
        f"{shares[-1] / max(0.1, shares[0]):.1f}",
        asked,
        more <= limit,
    )


def rows() -> list[Row]:
    """The rows of the table."""
    with tempfile.TemporaryDirectory() as own:
        folder = Path(own)
        engines, came = [], []
        for rate in _RATES:
            shares, events = _shares(_stream(folder, rate), folder)
            engines.append(shares["engine"])
            came.append(events)
        listeners = [_shares(_listening(count), folder)[0]["listening"] for count in _LISTENERS]
    seen = ", ".join(f"{events:,.0f}" for events in came)
    return [
        _row(
            f"Engine, one strand of three stages: {seen} events a second coming in",
            came,
            engines,
            0.01,
            "at most 10 % for 1,000 more",
        ),
        _row(
            f"Listening: {', '.join(map(str, _LISTENERS))} listeners for pitch, each with a file of its own strand",
            _LISTENERS,
            listeners,
            5.0,
            "at most 5 % for each more",
        ),
    ]
