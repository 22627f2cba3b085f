"""The whole program with the demo: what its processes cost while it plays in sight, minimized and stopped, its memory,
and how soon it is there."""

from __future__ import annotations

import contextlib
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from tools.jack_server import jack_server

from bench.rows import Row, median

_SETTLE_SECONDS = 10.0
"""By then the spare engine has started, too: that is not playing."""
_SECONDS = 8.0
_PAPER_SECONDS = 8.0
"""After a stop, what was printed moves on until it has left the paper."""
_RUNS = 5
PERIOD = 256
_TICK = os.sysconf("SC_CLK_TCK")

DRIVER = Path(__file__).with_name("whole_window.py")


def cost(pid: int) -> float:
    """Seconds of a core that a process used; 0 where it is gone."""
    try:
        fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    except OSError:
        return 0.0
    return (int(fields[11]) + int(fields[12])) / _TICK


def _memory(pid: int) -> float:
    """Megabytes of a process: of what it shares with others, its share."""
    for line in Path(f"/proc/{pid}/smaps_rollup").read_text().splitlines():
        if line.startswith("Pss:"):
            return int(line.split()[1]) / 1024.0
    return 0.0


def family(pid: int) -> dict[int, str]:
    """A process and all that it started, with what each of them is."""
    found = {pid: "window"}
    for child in Path(f"/proc/{pid}/task/{pid}/children").read_text().split():
        for one, name in family(int(child)).items():
            words = Path(f"/proc/{one}/cmdline").read_bytes().replace(b"\0", b" ").decode()
            found[one] = "listening" if "hearing" in words else "engine" if "engine" in words else name
    return found


class Program:
    """The window with the demo, in a process of its own, that does as it is told."""

    def __init__(self) -> None:
        self.process = subprocess.Popen(
            [sys.executable, str(DRIVER)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )
        self.begun = time.monotonic()
        self._said: dict[str, float] = {}

    def tell(self, word: str) -> None:
        """Have something done."""
        assert self.process.stdin is not None
        self.process.stdin.write(f"{word}\n")
        self.process.stdin.flush()

    def wait_for(self, word: str) -> float:
        """When it said a word, in seconds from its start on."""
        assert self.process.stdout is not None
        while word not in self._said:
            line = self.process.stdout.readline()
            if not line:
                raise RuntimeError(f"the window ended without “{word}”")
            self._said[line.strip()] = time.monotonic() - self.begun
        return self._said[word]

    def dropouts(self) -> int:
        """How many it counted: what the server complained of, and periods without the sound that they should have."""
        assert self.process.stdout is not None
        self.tell("count")
        while not (line := self.process.stdout.readline().strip()).isdigit():
            self._said[line] = time.monotonic() - self.begun
        return int(line)

    def shares(self, seconds: float) -> dict[str, float]:
        """Per cent of a core that each kind of process uses."""
        processes = family(self.process.pid)
        before = {pid: cost(pid) for pid in processes}
        begun = time.monotonic()
        time.sleep(seconds)
        took = time.monotonic() - begun
        found: dict[str, float] = {}
        for pid, name in processes.items():
            found[name] = found.get(name, 0.0) + 100.0 * max(0.0, cost(pid) - before[pid]) / took
        return found

    def memories(self) -> dict[str, float]:
        """Megabytes of each kind of process."""
        found: dict[str, float] = {}
        for pid, name in family(self.process.pid).items():
            found[name] = found.get(name, 0.0) + _memory(pid)
        return found

    def memory(self) -> float:
        """Megabytes of all its processes."""
        return sum(self.memories().values())

    def close(self) -> None:
        """End it."""
        with contextlib.suppress(BrokenPipeError):
            self.tell("quit")
        self.process.wait(timeout=20)


@contextlib.contextmanager
def screen() -> Iterator[None]:
    """A screen of its own, where there is one to be had."""
    number = 90 + os.getpid() % 9
    server = subprocess.Popen(
        ["Xvfb", f":{number}", "-screen", "0", "1280x800x24"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    before = os.environ.get("DISPLAY"), os.environ.get("QT_QPA_PLATFORM")
    os.environ |= {"DISPLAY": f":{number}", "QT_QPA_PLATFORM": "xcb"}
    try:
        for _ in range(100):
            if Path(f"/tmp/.X11-unix/X{number}").exists():
                break
            time.sleep(0.05)
        yield
    finally:
        server.kill()
        server.wait()
        for name, value in zip(("DISPLAY", "QT_QPA_PLATFORM"), before, strict=True):
            if value is None:
                os.environ.pop(name, None)
            else:
                os.environ[name] = value


@contextlib.contextmanager
def studio(name: str, period: int, realtime: bool = False) -> Iterator[None]:
    """A JACK server, a screen and folders of a program's own, for all that starts within."""
    with tempfile.TemporaryDirectory() as own, jack_server(name, period, realtime=realtime), screen():
        os.environ |= dict.fromkeys(("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME"), own)
        yield


def measure(runs: int = _RUNS, seconds: float = _SECONDS) -> dict[str, list[float]]:
    """What each run found, by what was measured."""
    found: dict[str, list[float]] = {}
    with studio("arpegon-whole", PERIOD):
        os.environ.pop("PYTHONDONTWRITEBYTECODE", None)  # whoever has installed it has its bytecode
        first = Program()
        first.wait_for("sounds")
        first.close()
        for _ in range(runs):
            one: dict[str, float] = {}
            program = Program()
            one["in sight"] = program.wait_for("seen")
            one["sounds"] = program.wait_for("sounds")
            program.tell("play")
            time.sleep(_SETTLE_SECONDS)
            one |= program.shares(seconds)
            one["all"] = sum(one.get(name, 0.0) for name in ("window", "engine", "listening"))
            program.tell("minimize")
            time.sleep(1.0)
            one["minimized"] = sum(program.shares(seconds / 2).values())
            one["memory"] = program.memory()
            program.tell("show")
            program.tell("stop")
            time.sleep(_PAPER_SECONDS)
            one["stopped"] = sum(program.shares(seconds / 2).values())
            program.close()
            for name, value in one.items():
                found.setdefault(name, []).append(value)
    return found


_BARS = (
    ("all", "Demo playing in sight, 256 frames: all processes together", 45.0, "% of a core"),
    ("window", "… of it the window", 15.0, "% of a core"),
    ("engine", "… of it the engine with sound", 20.0, "% of a core"),
    ("listening", "… of it listening", 10.0, "% of a core"),
    ("minimized", "Demo playing, the window minimized", 28.0, "% of a core"),
    ("stopped", "Demo stopped", 4.0, "% of a core"),
    ("in sight", "Window in sight, from the start of the process", 0.9, "s"),
    ("sounds", "First key sounds, from the start of the process", 1.4, "s"),
    ("memory", "Memory of all processes with the demo", 330.0, "MB"),
)


def rows() -> list[Row]:
    """The rows of the table."""
    found = measure()
    made = []
    for name, what, bar, unit in _BARS:
        value = median(found[name])
        digits = 2 if unit == "s" else 0
        spread = f"{min(found[name]):.{digits}f} to {max(found[name]):.{digits}f} in {len(found[name])} runs"
        made.append(
            Row(what, f"{value:.{digits}f} {unit}", spread, f"{value / bar:.2f}", f"≤ {bar:g} {unit}", value <= bar)
        )
    return made


if __name__ == "__main__":
    for name, values in measure(int(sys.argv[1]) if len(sys.argv) > 1 else 1).items():
        print(f"{name:>10} {median(values):8.2f}")
