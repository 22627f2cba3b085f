"""Keeping a process of ours at work: the one rule by which it is started, heard, and started again."""

from __future__ import annotations

import contextlib
import logging
import subprocess
import threading
import time
from collections import deque
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import IO, Any

import msgspec

from arpegon.engine.wire.framing import WireError
from arpegon.engine.wire.heartbeat import LOOK_SECONDS, Heartbeat, HeartbeatWatch
from arpegon.engine.wire.realtime import ask_for_realtime
from arpegon.engine.wire.spare import Spare, start
from arpegon.engine.wire.wire import Wire
from arpegon.files.logs import open_errors

RESTARTS = 5
RESTART_SPAN_SECONDS = 60.0
"""A process that ends this often within so many seconds is left alone: what is wrong is not mended by a start."""
_REASON_BYTES = 4096

log = logging.getLogger(__name__)


class Ended(msgspec.Struct, frozen=True):
    """How a process ended.

    Args:
        again: whether it was started again.
        reason: the last line of what it said, if it said anything; why it was refused.
        refused: whether the system could not start it.
    """

    again: bool
    reason: str = ""
    refused: bool = False

    def gone_words(self, what: str, rest: str = "") -> str:
        """A sentence that it is started no more, and what is of the rest."""
        if self.refused:
            return f"{what} could not be started ({self.reason}){rest}."
        why = f" It said: {self.reason}" if self.reason else ""
        return f"{what} stopped again and again and was left alone{rest}.{why}"


class Supervisor:
    """A process of ours. Where it ends unasked, says what cannot be read, or hangs, it is started again, at once.

    Args:
        module: what it runs.
        incoming: the type (union) of its messages.
        greeting: what it is told first, at each start.
        receive: called from a thread of the supervisor's with each of its messages.
        ended: called from that thread when it ended unasked, before it is greeted anew.
        stderr: the file to which its errors are appended (left out: nowhere).
        spare_after: so many seconds after a start another one stands by, to be there at once when this one ends (left
            out: none does).
        prompt: whether what it says must be taken on time.
        heartbeat: by what is known that it does not hang (left out: it may be silent as long as it likes).
    """

    def __init__(
        self,
        module: str,
        incoming: Any,
        greeting: Callable[[], Iterable[msgspec.Struct]],
        receive: Callable[[Any], None],
        ended: Callable[[Ended], None],
        stderr: Path | None = None,
        spare_after: float | None = None,
        prompt: bool = False,
        heartbeat: Heartbeat | None = None,
    ) -> None:
        self._module = module
        self._incoming = incoming
        self._greeting = greeting
        self._receive = receive
        self._ended = ended
        self._stderr = stderr
        self._said_before = 0
        """How long the file of errors was when the process was started."""
        self.spare = Spare(module, self._open_stderr)
        self._spare_after = spare_after
        self._prompt = prompt
        self._heartbeat = heartbeat
        self._lock = threading.RLock()
        self._greeted = threading.Lock()
        self._starts: deque[float] = deque(maxlen=RESTARTS)
        self._closing = False
        self.started = False
        """Whether it was ever started."""
        self.process: subprocess.Popen[bytes] | None = None
        self.wire: Wire | None = None

    def start(self) -> None:
        """Start the process; long before it is ready this returns, after some milliseconds."""
        self.started = True
        with self._lock:
            if not self._closing:
                self._try_to_spawn()

    def start_after(self, ready: threading.Event, patience: float) -> None:
        """Start the process once something is ready, or after so many seconds; from a thread of its own, for a caller
        that must not wait for that."""
        self.started = True

        def start() -> None:
            ready.wait(patience)
            self.start()

        threading.Thread(target=start, name="start", daemon=True).start()

    def start_anew(self) -> None:
        """Start it again, because somebody asked for it: it ended too often, or hangs."""
        with self._lock:
            self._starts.clear()
            if self.process is not None and self.running:
                self.process.kill()
            elif not self._closing:
                self._try_to_spawn()

    @property
    def running(self) -> bool:
        """Whether there is a process."""
        return self.process is not None and self.process.poll() is None

    def send(self, message: msgspec.Struct) -> None:
        """Tell it something; never waits, and nothing happens where it is not there."""
        with self._greeted:
            if self.wire is not None:
                self.wire.send(message)

    def close(self, farewell: msgspec.Struct, patience: float) -> None:
        """End it in order.

        Args:
            farewell: the message that asks it to leave.
            patience: seconds after which it is ended by force.
        """
        with self._lock:
            self._closing = True
        self.spare.close()
        self.send(farewell)
        if self.process is not None:
            try:
                self.process.wait(patience)
            except subprocess.TimeoutExpired:
                self.process.kill()
                self.process.wait()
        if self.wire is not None:
            self.wire.close()

    # -- the process -------------------------------------------------------------------------------

    def _try_to_spawn(self) -> None:
        try:
            self._spawn()
        except OSError as error:
            log.exception("%s could not be started", self._module)
            self._ended(Ended(False, error.strerror or str(error), refused=True))

    def _spawn(self) -> None:
        self._said_before = self._stderr_length()
        self.process, ours = self.spare.take() or start(self._module, self._open_stderr)
        if self._spare_after is not None:
            self.spare.prepare(self._spare_after)
        wire = Wire(ours, self._incoming)
        self._starts.append(time.monotonic())
        with self._greeted:  # what is sent from now on comes after the greeting
            for message in self._greeting():
                wire.send(message)
            self.wire = wire
        watch = HeartbeatWatch()
        self._begin("reports", self._listen, wire, self.process, watch)
        if self._heartbeat is not None:
            self._begin("heartbeat", self._watch, self.process, watch, self._heartbeat)

    def _begin(self, what: str, act: Callable[..., None], *arguments: object) -> None:
        name = f"{self._module.rpartition('.')[2]}-{what}"
        threading.Thread(target=act, args=arguments, name=name, daemon=True).start()

    def _open_stderr(self) -> IO[bytes] | None:
        if self._stderr is None:
            return None
        opened = open_errors(self._stderr)
        self._said_before = min(self._said_before, self._stderr_length())
        return opened

    def _stderr_length(self) -> int:
        with contextlib.suppress(OSError):
            return self._stderr.stat().st_size if self._stderr is not None else 0
        return 0

    def _listen(self, wire: Wire, process: subprocess.Popen[bytes], watch: HeartbeatWatch) -> None:
        reason = ""
        if self._prompt:
            ask_for_realtime()
        while True:
            try:
                message = wire.receive()
            except WireError as error:
                log.error("%s said what cannot be read: %s", self._module, error)
                reason = f"it said what cannot be read: {error}"
                process.kill()
                break
            if message is None:
                break
            if self._heartbeat is not None and isinstance(message, self._heartbeat.message):
                watch.beat()
            watch.set_taking(True)
            try:
                self._receive(message)
            except Exception:  # a fault on our side must not make us deaf
                log.exception("a message of %s could not be taken", self._module)
            watch.set_taking(False)
        process.wait()
        if watch.stopped:
            reason = f"it had not answered for {watch.seconds:.0f} seconds"
        self._end(wire, process, reason)

    def _watch(self, process: subprocess.Popen[bytes], watch: HeartbeatWatch, heartbeat: Heartbeat) -> None:
        """End the process when it hangs, and say before that it may."""
        said = False
        while process.poll() is None and not self._closing:
            time.sleep(LOOK_SECONDS)
            watch.look()
            if watch.late != said:
                said = watch.late
                log.warning("%s (%d) %s", self._module, process.pid, "is silent" if said else "answers again")
                heartbeat.late(said)
            if watch.stopped:
                process.kill()
                break
        if said and not self._closing:
            heartbeat.late(False)

    def _end(self, wire: Wire, process: subprocess.Popen[bytes], reason: str) -> None:
        with self._lock:
            if self._closing or process is not self.process:
                return
            reason = reason or self._last_words()
            log.error("%s (%d) ended with %s: %s", self._module, process.pid, process.returncode, reason or "no word")
            now = time.monotonic()
            often = len(self._starts) == RESTARTS and now - self._starts[0] < RESTART_SPAN_SECONDS
            with self._greeted:
                self.wire = None
            wire.close()
            try:
                self._ended(Ended(not often, reason))
            finally:
                if not often:
                    self._try_to_spawn()

    def _last_words(self) -> str:
        """The last line that the process wrote to its errors since it was started."""
        if self._stderr is None:
            return ""
        with contextlib.suppress(OSError):
            with self._stderr.open("rb") as file:
                file.seek(max(self._said_before, self._stderr.stat().st_size - _REASON_BYTES))
                lines = file.read().decode("utf-8", "replace").strip().splitlines()
            return lines[-1].strip() if lines else ""
        return ""
