"""The commands, given files of others: what they exit with, and what they say."""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import threading
from pathlib import Path

from tools.fuzz.changes import as_json, changed_bytes, changed_tree
from tools.fuzz.worker import CPU_SECONDS, MOST_MEGABYTES, odd_words

from arpegon.files.places import DEMO

_PATIENCE = 60.0
_NAMES = ("x.arpegon", "x.mid", "half a \udcff name.arpegon", "x" * 200, "dash -.arpegon")
_STARTS = 2.0
"""CPU seconds that a command needs to start, before it does anything."""


class CommandLine:
    """Tries commands, one at a time.

    Args:
        songs: MIDI files to change.
    """

    def __init__(self, songs: list[bytes]) -> None:
        self._songs = songs
        self._demo = json.loads(DEMO.read_text(encoding="utf-8"))
        for file in DEMO.parent.glob("*.mid"):
            self._songs.append(file.read_bytes())

    def attempt(self, draw: random.Random, folder: Path) -> tuple[str, str]:
        """Try a command; how it ended, and what there is to say of that."""
        project, midi = folder / draw.choice(_NAMES), folder / "in.mid"
        tree = changed_tree(draw, self._demo)
        content = as_json(tree)
        _put(project, changed_bytes(draw, content) if draw.random() < 0.4 else content)
        _put(midi, changed_bytes(draw, draw.choice(self._songs)))
        length = draw.choice((["--bars", "1"], ["--seconds", "2"], []))
        command = draw.choice(
            (
                ["check", project],
                ["render", project, "--midi", folder / "out.mid", *length],
                ["render", DEMO, "--midi-in", midi, "--midi", folder / "out.mid", "--seconds", "2"],
                ["render", project, "--wav", folder / draw.choice(("out.wav", "out.xyz")), "--seconds", "1"],
                ["listen", midi, "--pitch"],
            )
        )
        return _run([os.fspath(word) for word in command])


def _run(command: list[str]) -> tuple[str, str]:
    with tempfile.TemporaryFile() as errors:
        words = [sys.executable, "-m", "arpegon.cli", *command]
        process = subprocess.Popen(words, stdout=subprocess.DEVNULL, stderr=errors)
        patience = threading.Timer(_PATIENCE, process.kill)
        patience.start()
        _, status, used = os.wait4(process.pid, 0)  # what this one used, whatever runs beside it
        patience.cancel()
        process.returncode = code = os.waitstatus_to_exitcode(status)
        errors.seek(0)
        said = errors.read().decode("utf-8", "replace").strip()
    cpu, megabytes = used.ru_utime + used.ru_stime, used.ru_maxrss / 1024
    if code == -signal.SIGKILL or cpu > CPU_SECONDS + _STARTS:
        return "hang", f"{command} took {cpu:.1f} s of a core, and ended with {code}"
    if code not in ((0, 1, 2) if command[0] == "check" else (0, 2)) or "Traceback" in said:
        return "exception", f"{command} exited with {code}: {said[-500:]}"
    if megabytes > MOST_MEGABYTES:
        return "memory", f"{command} took {megabytes:.0f} MB"
    if code == 2 and odd_words(said.removeprefix("arpegon: ")):
        return "odd words", f"{command}: {said}"
    return "refused" if code else "taken", said


def _put(file: Path, content: bytes) -> None:
    try:
        file.write_bytes(content)
    except OSError:  # a name that this file system does not take
        file.with_name("x.arpegon").write_bytes(content)
