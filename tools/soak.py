"""A long run of the real program: a window (offscreen), its engine and its listener, on a JACK server of their own.

A keyboard plays at random while the document is edited, hookups are turned, sections change, ports are pulled out and
put back, and the engine and the listener are killed. What the synthesizer heard is compared with what was remembered.
The table that it ends with is what docs/benchmarks.md keeps.

``python -m tools.soak --minutes 60 [--seed N]``
"""

from __future__ import annotations

import argparse
import contextlib
import math
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import msgspec
from PyQt6.QtCore import QEvent
from tools.jack_server import jack_server
from tools.pages import LONG_RUN, write_section
from tools.processes import Stolen, first_child, told_of
from tools.soak_compare import Report, Wanted

from arpegon.core.document import edits
from arpegon.core.document.model import (
    AudioSource,
    Held,
    Hookup,
    Instrument,
    InstrumentDestination,
    MidiSource,
    PortDestination,
    Project,
    Section,
    Stage,
    StepsSource,
    Strand,
)
from arpegon.core.events import NOTE_ON
from arpegon.core.time import studio
from arpegon.files.logs import log_file
from arpegon.ui.frame.log_view import tail
from arpegon.ui.model.free_memory import keep_together

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

STAGES = ("velocity", "transpose", "humanize", "scale", "chord", "length", "grid", "sieve", "chance", "thin", "repeat")
_STEP_SECONDS = 0.8
_KILL_SECONDS = 75.0
"""The engine is killed so often; more than five times a minute it would be left alone, as it should be."""
_BACK_SECONDS = 1.0
"""All should be back sooner than this after a kill; what is known of one that took longer is printed."""
_CHECK_SECONDS = 60.0
_SETTLED_SECONDS = (300.0, 1800.0)
"""From when on memory should no longer grow: the ten minutes are nearly full, and so are the steps of undo."""
_EDGE_SECONDS = 0.05
"""Notes heard so near to a kill may have been on their way to the window (it is told sixty times a second)."""
_LATE_SECONDS = 0.3
"""How much later than the kill what was sent before it may be heard, on a busy machine."""
_PATIENCE_SECONDS = 30.0
_LET_GO_SECONDS = 0.5
"""How long the keyboard may take to let go of its keys."""
_REST_SECONDS = 2.5
"""How long nothing is played before what was heard is compared."""
_BOTH_SECONDS = 500.0
"""Of which last part the memory of the window is compared with that on disk."""
_SHIFT_SECONDS = 1.0
"""By how much studio time may fall behind while it is compared, as periods of the server are lost."""


class PlayerProcess:
    """The keyboard and the synthesizer."""

    def __init__(self, seed: int) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-m", "tools.soak_player", str(seed)],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
        )

    def tell(self, word: str) -> None:
        """Have it do something."""
        assert self._process.stdin is not None
        self._process.stdin.write(f"{word}\n")
        self._process.stdin.flush()

    def report(self, wanted: Wanted) -> Report:
        """What it heard since the last time, compared with the memory on disk."""
        assert self._process.stdout is not None
        self.tell(f"report {msgspec.json.encode(wanted).decode()}")
        return msgspec.json.decode(self._process.stdout.readline(), type=Report)

    def close(self) -> None:
        """End it."""
        self._process.kill()
        self._process.wait()


def first_project(port: str) -> Project:
    """What is played on: a keyboard through stages, steps beside it, an ear, hookups and sections."""
    out = PortDestination(port=port)
    held = Held(target="chord", param="strum_ms", value=30)
    return Project(
        title="Soak",
        tempo=132.0,
        instruments=(Instrument(id="bells", sound="glass-bells"),),
        strands=(
            Strand(
                id="keys",
                name="Keys",
                sources=(MidiSource(),),
                stages=(Stage(id="touch", kind="humanize"), Stage(id="key", kind="scale")),
                destinations=(msgspec.structs.replace(out, channel=0), InstrumentDestination(instrument="bells")),
            ),
            Strand(
                id="walk",
                name="Walk",
                sources=(StepsSource(id="steps", params={"rate": "1/16"}),),
                stages=(Stage(id="chord", kind="chord"),),
                destinations=(msgspec.structs.replace(out, channel=1),),
            ),
            Strand(
                id="ear",
                name="Ear",
                sources=(AudioSource(id="hum", listen="pitch", file="stand-in:hummed-tune"),),
                destinations=(msgspec.structs.replace(out, channel=2),),
            ),
        ),
        hookups=(
            Hookup(id="h1", control="cc", number=20, target="touch", param="high"),
            Hookup(id="h2", control="cc", number=21, target="walk", action="mute", way="toggle"),
        ),
        sections=(
            Section(id="calm", name="Calm", bars=4),
            Section(id="busy", name="Busy", bars=4, then="top", holds=(held,)),
        ),
    )


class Memory:
    """How much memory a process takes, over time."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.peak = 0
        self.seconds = 0.0
        self.settled = dict.fromkeys(_SETTLED_SECONDS, 0)
        """The most up to each of these moments."""
        self.last = 0

    def look(self, pid: int | None, seconds: float) -> None:
        """Read it now, ``seconds`` into the run."""
        if pid is None:
            return
        with contextlib.suppress(OSError, StopIteration):
            lines = told_of(pid, "status").splitlines()
            kilobytes = int(next(line for line in lines if line.startswith("VmRSS")).split()[1])
            self.last = kilobytes
            self.peak = max(self.peak, kilobytes)
            for moment in self.settled:
                if seconds <= moment:
                    self.settled[moment] = self.peak
            self.seconds = seconds

    def row(self) -> tuple[str, str]:
        """A row of the table."""
        growths = [
            f"{100.0 * (self.last - peak) / peak:+.1f} % since minute {moment / 60:.0f}"
            for moment, peak in self.settled.items()
            if peak and moment < self.seconds
        ]
        words = f"peak {self.peak / 1024:.0f} MB, last {self.last / 1024:.0f} MB"
        return f"memory of the {self.name}", f"{words} ({', '.join(growths)})" if growths else words


class Soak:
    """The run."""

    def __init__(self, seed: int, seconds: float) -> None:
        from arpegon.files.settings import Settings
        from arpegon.ui.app import make_application
        from arpegon.ui.model.session import Session
        from arpegon.ui.window import Window

        self.application = make_application(sys.argv[:1])
        self.draw = random.Random(seed)
        self.seconds = seconds
        self.session = Session(Settings())
        self.window = Window(self.session)
        self.window.faults.catch()
        self.player = PlayerProcess(seed)
        self.began = time.monotonic()
        self.kills: list[float] = []
        self.listener_killed, self.listener_kills = 0.0, 0
        self.restarts: dict[str, list[float]] = {"telemetry": [], "ports": [], "sound": []}
        self.lost = self.near_kills = self.hanging = self.checked = self.checks = self.silent_checks = self.doubled = 0
        self.remembered = 0, 0
        """Notes of the last minutes: in the window's memory, and on disk."""
        self.acts: dict[str, int] = {}
        self.faults: set[str] = set()
        self.port = ""
        self.memories = {name: Memory(name) for name in ("window", "engine", "spare engine", "listener")}

    # -- waiting -----------------------------------------------------------------------------------

    def wait(self, condition: Callable[[], object], seconds: float = _PATIENCE_SECONDS) -> float | None:
        """Let the window work until something is so; how long that took, or ``None`` where it never was."""
        began = time.monotonic()
        while time.monotonic() - began < seconds:
            self.application.processEvents()
            # Without a loop that runs, what is to be deleted later would stay for ever.
            self.application.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
            if condition():
                return time.monotonic() - began
            time.sleep(0.002)
        return None

    def let_pass(self, seconds: float) -> None:
        """Let the window work for a while."""
        self.wait(lambda: False, seconds)

    # -- the run -----------------------------------------------------------------------------------

    def run(self) -> None:
        """All of it."""
        session = self.session
        self.window.show()
        session.start()
        self.wait(lambda: any("Soak synth" in port for port in session.reports.ports.outputs))
        self.port = next(port for port in session.reports.ports.outputs if "Soak synth" in port)
        session.load(first_project(self.port), None)
        self.wait(lambda: self.port in session.reports.ports.opened)
        session.play()
        self.warm_up()
        self.since = studio.now() - _SHIFT_SECONDS
        self.player.report(self._wanted(self.since))
        checked_at, killed_at = time.monotonic(), time.monotonic()
        while time.monotonic() - self.began < self.seconds:
            self.act()
            if not session.telemetry.playing and self.draw.random() < 0.6:
                session.play()
            self.let_pass(self.draw.uniform(0.2, 1.6) * _STEP_SECONDS)
            self.look()
            if time.monotonic() - killed_at > _KILL_SECONDS:
                self.kill()
                killed_at = time.monotonic()
            if time.monotonic() - checked_at > _CHECK_SECONDS:
                self.check()
                checked_at = time.monotonic()
        self.check()
        self.finish()

    def warm_up(self) -> None:
        """Do everything once that reads in parts of the program when it is first done: that is no growth."""
        for name in ("keys", "walk"):
            for kind in STAGES:
                project, stage_id = edits.add_stage(self.session.project, name, kind, 0)
                self.session.edit("Add", project)
                self.session.select_stage(stage_id)
                self.let_pass(0.2)
                self.session.edit("Remove", edits.remove_stage(self.session.project, stage_id))
        self.keep()
        for view in ("Take", "Hookups", "Sections", "Board"):
            self.window.show_view(view)
            self.let_pass(0.4)
        self.session.undo()
        self.session.all_off()
        self.session.play()

    def act(self) -> None:
        """One thing that a musician might do."""
        name, do = self.draw.choice(self._acts())
        self.acts[name] = self.acts.get(name, 0) + 1
        do()

    def _acts(self) -> list[tuple[str, Callable[[], object]]]:
        session = self.session
        return [
            ("stage put in", self.put_in),
            ("stage put in", self.put_in),
            ("stage taken out", self.take_out),
            ("stage taken out", self.take_out),
            ("stage moved", self.move),
            ("bypass", self.bypass),
            ("mute", self.mute),
            ("undo", session.undo),
            ("section", lambda: session.piece.go(self.draw.randrange(2))),
            ("play or stop", session.play),
            ("all off", session.all_off),
            ("keep", self.keep),
            ("unplug", self.replug),
            ("listener killed", self.kill_listener),
            ("tempo", lambda: session.edit("t", edits.set_project(session.project, tempo=self.draw.uniform(60, 200)))),
            ("view", lambda: self.window.show_view(self.draw.choice(("Board", "Take", "Hookups", "Sections")))),
        ]

    def strand(self, name: str) -> Strand:
        """A strand of the document."""
        found = self.session.project.strand(name)
        assert found is not None
        return found

    def put_in(self) -> None:
        """Put a stage in somewhere."""
        name = self.draw.choice(("keys", "walk"))
        if len(self.strand(name).stages) < 6:
            kind = self.draw.choice(STAGES)
            project, _ = edits.add_stage(self.session.project, name, kind, self.draw.randrange(3))
            self.session.edit("Add", project)

    def _some_stage(self) -> Stage | None:
        stages = [stage for strand in self.session.project.strands for stage in strand.stages]
        return self.draw.choice(stages) if stages else None

    def take_out(self) -> None:
        """Take a stage out."""
        stage = self._some_stage()
        if stage is not None and stage.id not in ("touch", "chord"):
            self.session.edit("Remove", edits.remove_stage(self.session.project, stage.id))

    def move(self) -> None:
        """Move a stage, to another strand perhaps."""
        stage = self._some_stage()
        if stage is not None:
            to = self.draw.choice(("keys", "walk"))
            self.session.edit("Move", edits.move_stage(self.session.project, stage.id, to, self.draw.randrange(3)))

    def bypass(self) -> None:
        """Bypass a stage, or take it back in."""
        stage = self._some_stage()
        if stage is not None:
            self.session.edit("Bypass", edits.set_bypass(self.session.project, stage.id, not stage.bypass))

    def mute(self) -> None:
        """Mute a strand, or take it back."""
        muted = not self.strand("keys").muted
        self.session.edit("Mute", edits.set_strand(self.session.project, "keys", muted=muted))

    def keep(self) -> None:
        """Keep a take, and drop the one before."""
        self.session.recorder.keep(10.0)
        takes = self.session.project.takes
        if len(takes) > 1:
            self.session.edit("Drop", msgspec.structs.replace(self.session.project, takes=takes[-1:]))

    def replug(self) -> None:
        """Pull the keyboard out, and put it back."""
        self.player.tell("unplug")
        self.let_pass(self.draw.uniform(0.1, 2.5))
        self.player.tell("plug")

    def kill_listener(self) -> None:
        """Kill the process that listens, not more often than it may be started again."""
        pid = first_child(self.session.link.client.pid)
        if pid is not None and time.monotonic() - self.listener_killed > _KILL_SECONDS:
            self.listener_killed = time.monotonic()
            self.listener_kills += 1
            os.kill(pid, signal.SIGKILL)

    def kill(self) -> None:
        """Kill the engine, and measure how long it takes until all is back."""
        session = self.session
        pid = session.link.client.pid
        if pid is None:
            return
        if not session.telemetry.playing:
            session.play()
            self.let_pass(0.3)
        told: list[Any] = []
        opened: list[Any] = []
        connections = [session.link.told.connect(told.append), session.link.ports.connect(opened.append)]
        self.kills.append(time.monotonic())
        stolen = Stolen()
        os.kill(pid, signal.SIGKILL)
        marks: dict[str, float] = {}
        conditions = {
            "telemetry": lambda: session.link.client.pid != pid and told,
            "ports": lambda: any(self.port in ports.opened for ports in opened),
            "sound": lambda: session.link.client.pid != pid and told and told[-1].health.audio,
        }
        began = time.monotonic()

        def all_back() -> bool:
            if session.link.client.pid == pid:
                told.clear()
                opened.clear()
                return False
            for name, condition in conditions.items():
                if name not in marks and condition():
                    marks[name] = time.monotonic() - began
            return len(marks) == len(conditions)

        if self.wait(all_back) is None:
            self.faults.add(f"after a kill only {', '.join(marks) or 'nothing'} came back")
        for name, took in marks.items():
            self.restarts[name].append(took)
        if max(marks.values(), default=0.0) > _BACK_SECONDS:
            back = ", ".join(f"{name} {took:.2f} s" for name, took in marks.items())
            print(f"late after kill {len(self.kills)}: {back}; {stolen.words}", flush=True)
            print(f"the engine's log: {' / '.join(tail(log_file('engine.log')).splitlines()[-3:])}", flush=True)
        session.link.told.disconnect(connections[0])
        session.link.ports.disconnect(connections[1])

    def look(self) -> None:
        """Read the memory of all processes."""
        seconds = time.monotonic() - self.began
        self.memories["window"].look(os.getpid(), seconds)
        engine = self.session.link.client.pid
        self.memories["engine"].look(engine, seconds)
        self.memories["spare engine"].look(self.session.link.client.supervisor.spare.pid, seconds)
        self.memories["listener"].look(first_child(engine), seconds)
        for topic, text in self.session.notices.items():
            if topic in ("fault", "engine", "document", "engine-hangs", "ears-hang"):
                self.faults.add(text)

    # -- what was heard, and what is remembered -------------------------------------------------------

    def check(self) -> None:
        """Compare what the synthesizer heard with the memory, once it has let go of all that it plays."""
        session = self.session
        self.player.tell("rest")
        self.let_pass(_LET_GO_SECONDS)  # All off ends what was struck before it, not what is struck just after
        if session.telemetry.playing:
            session.link.stop()
        session.all_off()
        self.let_pass(_REST_SECONDS)
        report = self.player.report(self._wanted(self.since))
        found = report.compared
        if report.open:
            ago = f"{time.monotonic() - self.kills[-1]:.0f} s ago" if self.kills else "never"
            print(f"hanging: {report.open}; the last kill: {ago}", flush=True)
        self.hanging += len(report.open)
        self.checks += 1
        self.silent_checks += not found.heard
        self.events, self.doubled = report.events, report.doubled
        self.checked += found.heard
        for one in found.missing:
            # What was on its way to the window when the engine was killed: heard just before.
            near = sum(1 for at in one.times if any(-_EDGE_SECONDS < at - kill < _LATE_SECONDS for kill in self.kills))
            self.near_kills += min(near, one.count)
            if one.count > near:
                self.lost += one.count - near
                words = f"lost: {one.count - near} of {len(one.times)} notes {one.note} on channel {one.channel + 1}"
                after_kill = ", ".join(f"{self._after_kill(at):.3f}" for at in one.times)
                after_first = ", ".join(f"{at - found.first:.3f}" for at in one.times)
                print(f"{words}, heard {after_kill} s after a kill, {after_first} s after the first", flush=True)
        self.since = studio.now() - _SHIFT_SECONDS
        self.player.tell("play")
        session.play()

    def _after_kill(self, at: float) -> float:
        """How long after the kill that was nearest something was heard; before it, where this is negative."""
        return min((at - kill for kill in self.kills), key=abs, default=math.inf)

    def _wanted(self, since: float) -> Wanted:
        return Wanted(str(self.session.filing.autosave.memory), since)

    def finish(self) -> None:
        """Compare what the window remembers with what is on disk, and end in order."""
        self.player.tell("rest")
        self.session.all_off()
        self.session.link.stop()
        self.let_pass(_REST_SECONDS)
        since = studio.now() - _BOTH_SECONDS
        history = self.session.recorder.history(since)
        ons = (event for strand in history.strands for event in history.generated(strand) if event.kind == NOTE_ON)
        on_disk = self.player.report(self._wanted(since)).compared.remembered
        self.remembered = sum(event.time >= since for event in ons), on_disk
        self.drop_outs = self.session.telemetry.health.audio_dropouts
        self.player.close()
        self.window.close()

    def rows(self) -> Iterator[tuple[str, str]]:
        """The table."""
        yield "events that the synthesizer heard", f"{self.events:,}"
        yield "notes that a period lost by the server let begin twice", f"{self.doubled}"
        yield "things done", ", ".join(f"{count} {name}" for name, count in sorted(self.acts.items()))
        yield "hanging notes", f"{self.hanging}"
        yield "comparisons, of them with nothing heard since the one before", f"{self.checks}, {self.silent_checks}"
        yield "notes compared, of them lost from the memory", f"{self.checked:,}, {self.lost}"
        there, on_disk = self.remembered
        yield "notes of the last minutes that the window remembers, and that are on disk", f"{there:,}, {on_disk:,}"
        yield f"notes heard within {_EDGE_SECONDS * 1000:.0f} ms of a kill and not remembered", f"{self.near_kills}"
        yield "kills of the engine, of the listener", f"{len(self.kills)}, {self.listener_kills}"
        for name, took in self.restarts.items():
            if took:
                ordered = sorted(took)
                words = f"{ordered[len(ordered) // 2]:.2f} s, at most {ordered[-1]:.2f} s"
                yield f"{name} back after a kill (median)", words
        for memory in self.memories.values():
            yield memory.row()
        yield "drop-outs since the last restart", f"{self.drop_outs}"
        yield "faults that were said", "; ".join(sorted(self.faults)) or "none"


def main() -> None:
    """Run, and print the table."""
    keep_together()  # the first thing, as in the program
    arguments = argparse.ArgumentParser(description=__doc__)
    arguments.add_argument("--minutes", type=float, default=60.0)
    arguments.add_argument("--seed", type=int, default=1)
    arguments.add_argument("--write", action="store_true", help="put the table into docs/benchmarks.md")
    chosen = arguments.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME"):
            os.environ[name] = str(Path(folder) / name.lower())
        with jack_server("arpegon-soak", 256, realtime=True):
            stolen = Stolen()
            soak = Soak(chosen.seed, 60.0 * chosen.minutes)
            soak.run()
    table = "\n".join(
        [
            f"Written by `make soak`: {chosen.minutes:g} minutes, {os.cpu_count()} cores, {time.strftime('%d %B %Y')}.",
            f"While it ran, {stolen.words}.",
            "",
            "| what | measured |",
            "|---|---|",
            *(f"| {name} | {words} |" for name, words in soak.rows()),
        ]
    )
    print(f"\n{table}")
    if chosen.write:
        write_section(LONG_RUN, table)
    sys.exit(1 if soak.hanging or soak.lost else 0)


if __name__ == "__main__":
    main()
