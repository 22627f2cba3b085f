"""``python -m bench``: measures everything and writes docs/benchmarks.md."""

from __future__ import annotations

import os
import platform
import sys
import tempfile
import time
from pathlib import Path

from rich.console import Console
from rich.table import Table
from tools.jack_server import jack_server
from tools.pages import PAGE, WHOLE_PROGRAM, write_section, write_table
from tools.processes import Stolen

from bench import (
    audio,
    controllers,
    even,
    growth,
    latency,
    listen,
    offline,
    paint,
    pulse,
    size,
    stages,
    takes,
    truth,
    whole,
)
from bench.rows import Row

_WHOLE = {"size", "growth", "whole"}
"""What makes a section of its own."""


def _machine() -> str:
    lines = Path("/proc/cpuinfo").read_text().splitlines()
    name = next((line.split(":")[1].strip() for line in lines if "model name" in line), platform.machine())
    return f"{name}, {os.cpu_count()} cores, Python {platform.python_version()}"


def _words(stolen: str) -> list[str]:
    return [
        f"Machine: {_machine()}. {time.strftime('%d %B %Y')}.",
        f"While it ran, {stolen}.",
        "",
    ]


def _table(rows: list[Row]) -> list[str]:
    """Rows as Markdown."""
    lines = ["| what | measured | bare limit | ratio | asked for | met |", "|---|---|---|---|---|---|"]
    for row in rows:
        met = "yes" if row.met else "**no**"
        cells = (row.what, row.measured, row.bare, row.ratio, row.asked, met)
        lines.append(f"| {' | '.join(cells)} |")
    return lines


def page(rows: list[Row], stolen: str) -> str:
    """The table as Markdown."""
    lines = [
        "# Measures",
        "",
        "Written by `make bench`; every number is from one run on one machine, and the ratio to the bare limit in the",
        "same run says more than the number itself.",
        "",
    ]
    return "\n".join([*lines, *_words(stolen), *_table(rows), "", NOTES])


def whole_page(rows: list[Row], stolen: str) -> str:
    """The section of what the whole program costs."""
    lines = ["Written by `make bench`, or by `python -m bench size growth whole` alone.", ""]
    return "\n".join([*lines, *_words(stolen), *_table(rows), "", WHOLE_NOTES])


NOTES = """## How

- *Lateness*: the engine's own record of how long after its due time each clip event was worked on: the 99th
  percentile of the last two seconds, of which the median over the run is given. It is in a process of its own, while a
  window in another process repaints a board of eight strands 60 times a second and the engine also renders their audio.
  The bare loop does nothing but wait with `select` and read the clock; it has the same scheduling (real time where the
  system allows it) and is measured in the same way before and after, alone.
- *Note in to note out*: by the frames of JACK at which notes leave the keyboard and reach the synthesizer, at seven
  places of the period; the bare client echoes within the period, the engine answers one period later.
- *Gaps astray*, *first sample*: by the frames at which another program hears them; gaps in a process that does nothing
  but that, beside a client that sends ticks and nothing else. A server that loses a period, as it does on a busy
  machine whoever its clients are, lets that program hear a period late, early or twice: such gaps are off by whole
  periods (5.33 ms at 256 frames). Ticks fall between frames: that alone is an sd of 0.0098 ms.
- *Offline*: both sides make the incoming events; the run then sends them through source, three stages and outlet, the
  bare loop only makes as many events again as each of the three stages does, with the same constructors.
- *Eight mixed stages*: one strand of a sieve, Humanize, Velocity with accents, Scale, Transpose by degrees, a key map,
  a fixed length and a channel; the bare loop makes as many events again as each of them does.
- *While stages are added*: a strand holds 32 notes and gets or loses stages eight times a second, while a clip in
  another strand strikes every 13 ms; its lateness is that of the clip's events.
- *Arpeggiators*: measured like the eight busy strands; each of sixteen strands holds a chord of four notes.
- *Following a clock*: the clock box sends 24 ticks a quarter, each up to 1 ms late, to an engine that runs offline; the
  tempo is that of the filter (a delay-locked loop), the beat that of the transport.
- *Controllers*: the stream is a clip, so that its lateness is the engine's own record; what comes out goes to Arpegon's
  own MIDI output. A processor that sleeps a thousand times a second is slow after each waking: on this virtual machine
  a bare loop of 0.15 ms of plain Python takes half as long again with a sleep before each round as without.
- *Twelve strands*: processor time of the engine's process over eight seconds; clips strike the notes, no instruments.
- *Hits, pitch*: on sounds made for it (`tools/stand_ins.py`), scored with mir_eval, onsets within 50 ms, where notes
  truly began as far as the listener tells afterwards; delays are those of sending, block by block, without the block.
  The reference is pYIN of librosa offline on the same lines, with the plainest segmentation.
- *Two notes at once*: two plucked strings struck together; the listener is made for one. Where what it found is a root
  that two notes share and nobody played, least squares over its harmonics tell, and it says the stronger of the two.
- *Audio*: one mixer with one instrument, all voices sounding, no events.
- *Paint*: moving all papers, meters and keyboards of the board to now and painting what changed, as the window does.
"""

WHOLE_NOTES = """- *All processes*: the demo in a real window on a screen of its own (Xvfb), under a JACK server of 256
  frames; seconds of the processor that its processes used, by the kernel's count. The start is from an empty process to
  the first paint with the demo in it, with its bytecode there, and to the first sample that is not silence.
- *Engine, listening against size*: the live engine without a window, by the kernel's count, while a clip brings so many
  events a second, and while so many listeners hear files.
- *Step of a drag*: one movement of the mouse over Humanize's faces, until all that it changes was told and sent.
"""


def main() -> None:
    """Measure, show, write."""
    console = Console()
    rows: list[Row] = []
    of_whole: list[Row] = []
    stolen = Stolen()
    with tempfile.TemporaryDirectory() as own, jack_server("arpegon-bench", 128):
        for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME"):
            os.environ[name] = own
        modules = (
            offline,
            truth,
            stages,
            controllers,
            takes,
            audio,
            latency,
            even,
            paint,
            pulse,
            listen,
            size,
            growth,
            whole,
        )
        measures = {module.__name__.rpartition(".")[2]: module for module in modules}
        for name, module in measures.items():
            if len(sys.argv) > 1 and name not in sys.argv[1:]:
                continue
            with console.status(f"Measuring {name} ..."):
                (of_whole if name in _WHOLE else rows).extend(module.rows())
    table = Table("what", "measured", "bare", "ratio", "asked for", "met")
    for row in [*rows, *of_whole]:
        table.add_row(row.what, row.measured, row.bare, row.ratio, row.asked, "yes" if row.met else "no")
    console.print(table)
    words = stolen.words
    if len(sys.argv) == 1:
        write_table(page(rows, words))
    if len(sys.argv) == 1 or set(sys.argv[1:]) == _WHOLE:
        write_section(WHOLE_PROGRAM, whole_page(of_whole, words))
        console.print(f"Written to {PAGE}.")


if __name__ == "__main__":
    main()
