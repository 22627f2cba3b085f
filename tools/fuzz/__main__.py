"""Give changed, made-up and real files to every reader for some minutes, and count what should not be.

``python -m tools.fuzz --minutes 30 [--seed WORDS] [--songs FOLDER] [--write]``

A case is drawn from the seed and its number alone: ``--seed`` and the number that is told of a failure make it again.
What failed becomes a test.
"""

from __future__ import annotations

import argparse
import json
import os
import queue
import random
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from itertools import chain
from pathlib import Path

from tools.fuzz.command_line import CommandLine
from tools.fuzz.songs import fetch, songs
from tools.fuzz.songs_check import Verdict, judge
from tools.fuzz.worker import CPU_SECONDS, MOST_MEGABYTES
from tools.pages import OTHERS_FILES, write_section

FAILURES = ("exception", "hang", "memory", "odd words")
_SMALL = 30_000
"""Longer MIDI files are read as they are, but not changed: most changes would be lost in them."""
_START_SECONDS = 60.0
_SILENT_SECONDS = 60.0
"""A worker that says nothing for so long hangs, however busy the machine is."""


class Tally:
    """What became of the cases, by kind."""

    def __init__(self) -> None:
        self.counts: Counter[tuple[str, str]] = Counter()
        self.failed: list[str] = []

    def add(self, kind: str, how: str, what: str, case: str) -> None:
        """Count a case."""
        self.counts[kind, how] += 1
        if how in FAILURES:
            self.failed.append(f"{kind}, {case}: {how}: {what}")
            print(self.failed[-1], flush=True)

    def rows(self) -> list[str]:
        """The table, one row for each kind of case."""
        kinds = sorted({kind for kind, _ in self.counts})
        rows = ["| files | tried | taken | refused | " + " | ".join(FAILURES) + " |", "|---|" + "---|" * 7]
        for kind in kinds:
            cells = [self.counts[kind, how] for how in ("taken", "refused", *FAILURES)]
            rows.append(f"| {kind} | {sum(cells):,} | " + " | ".join(f"{cell:,}" for cell in cells) + " |")
        return rows


def try_readers(seed: str, first: int, until: float, songs_folder: Path, tally: Tally) -> None:
    """Keep a worker at it until a time; where it hangs or dies, another goes on with the next case."""
    number = first
    while time.monotonic() < until:
        with tempfile.TemporaryDirectory() as folder:
            own = {"XDG_CONFIG_HOME": f"{folder}/config", "XDG_STATE_HOME": f"{folder}/state"}
            worker = subprocess.Popen(
                [sys.executable, "-m", "tools.fuzz.worker", seed, str(number), songs_folder, folder],
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
                env={**os.environ, **own},
            )
            number = _follow(worker, number, until, tally)
            worker.kill()
            worker.wait()


def _follow(worker: subprocess.Popen[bytes], number: int, until: float, tally: Tally) -> int:
    """Count what a worker says, until the time is up or it says no more; the number of the case to go on with."""
    lines: queue.SimpleQueue[bytes] = queue.SimpleQueue()
    assert worker.stdout is not None
    stdout = worker.stdout
    threading.Thread(target=lambda: [lines.put(line) for line in chain(stdout, (b"",))], daemon=True).start()
    case, patience = "", _START_SECONDS
    while time.monotonic() < until:
        try:
            line = lines.get(timeout=patience)
        except queue.Empty:
            tally.add(case or "start", "hang", f"nothing was heard for {patience:.0f} s", f"case {number}")
            return number + 1
        if not line:
            if case:
                tally.add(case, "exception", f"the process died ({worker.wait()})", f"case {number}")
            return number + 1
        told = json.loads(line)
        patience = _SILENT_SECONDS
        if "begins" in told:
            number, case = told["begins"], told["case"]
        else:
            tally.add(case, told["how"], told["words"], f"case {number}")
            case = ""
    return number


def try_commands(seed: str, until: float, files: list[bytes], tally: Tally) -> None:
    """Try commands until a time."""
    commands = CommandLine(files)
    number = 0
    while time.monotonic() < until:
        with tempfile.TemporaryDirectory() as folder:
            how, what = commands.attempt(random.Random(f"{seed}/command/{number}"), Path(folder))
        tally.add("command line", how, what, f"case {number}")
        number += 1


def judge_songs(found: dict[str, bytes]) -> tuple[Verdict, int]:
    """What our reader makes of real files, summed, and how many that two others take were refused."""
    total, refused = Verdict(), 0
    with tempfile.TemporaryDirectory() as folder:
        for name, content in found.items():
            one = judge(name, content, Path(folder))
            total.notes += one.notes
            total.empty += one.empty
            total.moved += one.moved
            total.struck += one.struck
            if one.refused:
                print(one.refused, flush=True)
                refused += one.taken_by == 2
    return total, refused


def main() -> int:
    """Try for the time that was asked for; 1 where something failed."""
    parser = argparse.ArgumentParser(description="Give files of others to every reader.")
    parser.add_argument("--minutes", type=float, default=30.0)
    parser.add_argument("--seed", default=time.strftime("%Y-%m-%d"))
    parser.add_argument("--songs", type=Path, default=Path(tempfile.gettempdir()) / "arpegon-songs")
    parser.add_argument("--write", action="store_true", help="write the table to docs/benchmarks.md")
    asked = parser.parse_args()
    failed = fetch(asked.songs)
    found = songs(asked.songs)
    print(f"{len(found)} MIDI files{f'; not fetched: {failed}' if failed else ''}", flush=True)
    total, refused = judge_songs(found)
    tally = Tally()
    until = time.monotonic() + 60.0 * asked.minutes
    small = [content for content in found.values() if len(content) < _SMALL]
    folder = asked.songs / "small"
    folder.mkdir(exist_ok=True)
    for number, content in enumerate(small):
        (folder / f"{number:04}.mid").write_bytes(content)
    threads = [
        threading.Thread(target=try_readers, args=(asked.seed, 10_000_000 * place, until, folder, tally))
        for place in range(max(1, (os.cpu_count() or 2) - 1))
    ]
    threads.append(threading.Thread(target=try_commands, args=(asked.seed, until, small, tally)))
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    text = "\n".join(
        [
            f"Written by `make fuzz`: {asked.minutes:g} minutes, seed “{asked.seed}”, {time.strftime('%d %B %Y')}. "
            f"A case fails by an exception that is not ours, {CPU_SECONDS:g} s of a core, {MOST_MEGABYTES} MB, or "
            "a refusal that is no sentence of ours.",
            "",
            *tally.rows(),
            "",
            f"Of {len(found)} real MIDI files with {total.notes:,} notes, compared with what another reader finds: "
            f"{refused} refused that two other readers take, {total.empty} notes of length 0 that the file does not "
            f"have, {total.moved} keys that sound at other times, {total.struck} moments at which a key is struck in "
            "one of them only.",
        ]
    )
    print(text)
    if asked.write:
        write_section(OTHERS_FILES, text)
    return 1 if tally.failed or refused or total.empty or total.moved or total.struck else 0


if __name__ == "__main__":
    sys.exit(main())
