"""In a session of several programs: a session server opens, saves and shows them together.

The server's address is in the environment (``NSM_URL``); messages are OSC over UDP. The program announces itself, and
from then on the server says which file it works on.
"""

from __future__ import annotations

import logging
import os
import socket
import sys
import tempfile
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING
from urllib.parse import urlsplit

from PyQt6.QtCore import QObject, QSocketNotifier, pyqtSignal
from pythonosc.osc_message import OscMessage, ParseError
from pythonosc.osc_message_builder import OscMessageBuilder

from arpegon.files.path_text import text_path

if TYPE_CHECKING:
    from arpegon.ui.model.session import Session

log = logging.getLogger(__name__)

ENVIRONMENT = "NSM_URL"
SUFFIX = ".arpegon"
CAPABILITIES = ":dirty:switch:optional-gui:"
_VERSION = (1, 2)
_LONGEST = 65_536
_CANNOT_OPEN, _CANNOT_SAVE = -1, -9


class Managed(QObject):
    """A session server's client.

    Args:
        url: where the server hears, such as ``osc.udp://localhost:17000/``.

    Signals:
        shown: the window is to be shown, or hidden.
        taken: the server has us: it says what is opened, not the menu.
    """

    shown = pyqtSignal(bool)
    taken = pyqtSignal()

    def __init__(self, session: Session, url: str) -> None:
        super().__init__(session)
        self.session = session
        self.name = ""
        """What the server calls itself; empty until it has us."""
        self._dirty: bool | None = None
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._socket.setblocking(False)
        self._server = _place_of(url)
        self._answers: Mapping[str, Callable[[list[object]], None]] = {
            "/reply": self._replied,
            "/error": self._failed,
            "/nsm/client/open": self._open,
            "/nsm/client/save": self._save,
            "/nsm/client/show_optional_gui": lambda _: self._show(True),
            "/nsm/client/hide_optional_gui": lambda _: self._show(False),
            "/nsm/client/session_is_loaded": lambda _: None,
        }
        if self._server is None:
            session.notice("session", f"“{url}” is no address of a session server; {ENVIRONMENT} says it.")
            return
        self._socket.bind(("", 0))
        self._notifier = QSocketNotifier(self._socket.fileno(), QSocketNotifier.Type.Read, self)  # type: ignore[call-overload]
        self._notifier.activated.connect(self._hear)
        session.file_changed.connect(self._tell_dirty)
        self._send(
            "/nsm/server/announce", "Arpegon", CAPABILITIES, Path(sys.argv[0]).name or "arpegon", *_VERSION, os.getpid()
        )

    @property
    def on(self) -> bool:
        """Whether a server has us."""
        return bool(self.name)

    def close(self) -> None:
        """Leave."""
        if self._server is not None:
            self._notifier.setEnabled(False)
        self._socket.close()

    def tell_shown(self, on: bool) -> None:
        """Say whether the window is in sight."""
        if self.on:
            self._send("/nsm/client/gui_is_shown" if on else "/nsm/client/gui_is_hidden")

    # -- the wire ----------------------------------------------------------------------------------

    def _send(self, address: str, *values: object) -> None:
        builder = OscMessageBuilder(address)
        for value in values:
            builder.add_arg(value)  # type: ignore[arg-type]
        assert self._server is not None
        try:
            self._socket.sendto(builder.build().dgram, self._server)
        except OSError as error:
            log.warning("the session server could not be reached: %s", error)

    def _hear(self) -> None:
        while True:
            try:
                data, sender = self._socket.recvfrom(_LONGEST)
            except OSError:  # all is heard, or nobody is there
                return
            if self._server is not None and sender[1] != self._server[1]:
                log.warning("a message of %s was refused: it is not of the session server", sender)
                continue
            try:
                message = OscMessage(data)
            except (ParseError, ValueError, IndexError) as error:
                log.warning("a message of the session server could not be read: %s", error)
                continue
            answer = self._answers.get(message.address)
            if answer is None:
                log.info("the session server said %s, which is nothing to us", message.address)
            else:
                answer(list(message.params))

    # -- what it says ------------------------------------------------------------------------------

    def _replied(self, values: list[object]) -> None:
        if values[:1] == ["/nsm/server/announce"]:
            self.name = str(values[2]) if len(values) > 2 else "the session server"
            self.taken.emit()

    def _failed(self, values: list[object]) -> None:
        said = str(values[2]) if len(values) > 2 else "it said no more"
        self.session.notice("session", f"The session server refused: {said.rstrip('.')}.")

    def _open(self, values: list[object]) -> None:
        """Work on the file of a session, which is made where it is not there."""
        if not values or not isinstance(values[0], str):
            self._send("/error", "/nsm/client/open", _CANNOT_OPEN, "No path was said.")
            return
        if len(values) > 2 and isinstance(values[2], str) and values[2]:
            self.session.link.set_name(values[2])
        path = text_path(values[0] + SUFFIX)
        filing = self.session.filing
        if path.exists():
            done = filing.open(path)
        else:
            title = str(values[1]) if len(values) > 1 and values[1] else path.stem
            # What is open stays open where the new file cannot be written.
            done = self._can_write(path) and filing.new(title) and self._saved(path)
        if done:
            self._send("/reply", "/nsm/client/open", f"“{path.name}” is open.")
            self._dirty = None
            self._tell_dirty()
        else:
            self._send("/error", "/nsm/client/open", _CANNOT_OPEN, self._why())

    def _can_write(self, path: Path) -> bool:
        """Test that a file can be created there; otherwise show a notice with the reason."""
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            self.session.notice("file", f"“{path.parent}” cannot be made: {error.strerror}.")
            return False
        try:
            with tempfile.TemporaryFile(dir=path.parent):
                return True
        except OSError as error:
            self.session.notice("file", f"“{path}” cannot be written: {error.strerror}.")
            return False

    def _saved(self, path: Path) -> bool:
        return self._can_write(path) and self.session.filing.save(path)

    def _save(self, values: list[object]) -> None:
        path = self.session.filing.path
        if path is not None and self._saved(path):
            self._send("/reply", "/nsm/client/save", f"“{path.name}” is saved.")
        else:
            self._send("/error", "/nsm/client/save", _CANNOT_SAVE, self._why())

    def _why(self) -> str:
        notices = self.session.notices
        return notices.get("file") or notices.get("unkept") or "There is no file yet."

    def _show(self, on: bool) -> None:
        self.shown.emit(on)
        self.tell_shown(on)

    def _tell_dirty(self) -> None:
        dirty = self.session.history.dirty
        if self.on and dirty != self._dirty:
            self._dirty = dirty
            self._send("/nsm/client/is_dirty" if dirty else "/nsm/client/is_clean")


def _place_of(url: str) -> tuple[str, int] | None:
    """Host and port of a server's address; ``None`` where it is none."""
    try:
        parts = urlsplit(url)
        if parts.scheme != "osc.udp" or not parts.hostname or not parts.port:
            return None
        return socket.gethostbyname(parts.hostname), parts.port
    except (ValueError, OSError):
        return None
