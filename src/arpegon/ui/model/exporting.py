"""Exports: renders of the document in a process beside the window, with progress, which can be ended."""

from __future__ import annotations

import json
import sys
from typing import TYPE_CHECKING

import msgspec
from PyQt6.QtCore import QObject, QProcess, pyqtSignal

from arpegon.files.project import format_project
from arpegon.files.song import Wish

if TYPE_CHECKING:
    from arpegon.ui.model.session import Session

_PATIENCE_MS = 3000


class Export(QObject):
    """One export at a time.

    Signals:
        moved: how much of it is done, 0 ... 1.
        ended: what came of it, in a sentence, and whether it went well.
    """

    moved = pyqtSignal(float)
    ended = pyqtSignal(str, bool)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self._process: QProcess | None = None
        self._rest = b""
        self._words = ""
        self._written: list[str] = []
        self._failed = False
        self._stopped = False

    @property
    def running(self) -> bool:
        """Whether one goes on."""
        return self._process is not None

    def start(self, wish: Wish) -> None:
        """Render the document as it is now."""
        if self.running:
            return
        self.session.hooking.fold()
        self._rest, self._words, self._failed, self._stopped, self._written = b"", "", False, False, []
        process = self._process = QProcess(self)
        process.readyReadStandardOutput.connect(self._read)
        process.finished.connect(self._finished)
        process.errorOccurred.connect(self._broken)
        process.start(sys.executable, ["-m", "arpegon.render_process"])
        asked = {
            "wish": msgspec.to_builtins(wish, enc_hook=str),
            "project": format_project(msgspec.structs.replace(self.session.history.project, takes=())).decode(),
            "folder": str(self.session.filing.folder),
        }
        process.write(json.dumps(asked).encode())
        process.closeWriteChannel()

    def stop(self) -> None:
        """End it, if it is not done by then; what it had not finished is not there."""
        if self._process is not None:
            self._stopped = True
            self._process.terminate()

    def close(self) -> None:
        """The window closes."""
        process = self._process
        self.stop()
        if process is not None and not process.waitForFinished(_PATIENCE_MS):
            process.kill()
            process.waitForFinished(_PATIENCE_MS)

    def _read(self) -> None:
        if self._process is None:
            return
        *lines, self._rest = (self._rest + self._process.readAllStandardOutput().data()).split(b"\n")
        for line in lines:
            told = json.loads(line)
            if "share" in told:
                self.moved.emit(float(told["share"]))
            self._words = told.get("error") or told.get("text") or self._words
            self._written = told.get("written", self._written)
            self._failed = self._failed or "error" in told

    def _broken(self, error: QProcess.ProcessError) -> None:
        if error == QProcess.ProcessError.FailedToStart:
            self._end("The export could not be started.", False)

    def _finished(self, code: int) -> None:
        self._read()
        if self._stopped and code:
            names = " and ".join(f"“{name}”" for name in self._written)
            self._end(f"The export was ended; {f'of it {names} is' if names else 'nothing of it was'} written.", False)
        elif code and not self._failed:
            self._end("The export ended unasked; the log says more.", False)
        else:
            self._end(self._words, code == 0)

    def _end(self, words: str, well: bool) -> None:
        process, self._process = self._process, None
        if process is not None:
            process.deleteLater()
        self.ended.emit(words, well)
