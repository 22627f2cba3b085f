"""One window for one project: a second start on the same file raises the window that is there."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtNetwork import QLocalServer, QLocalSocket

_PATIENCE_MS = 1500
"""How long a window that is there may take to answer; one that does not is not waited for."""
_COME, _HERE = b"come\n", b"here\n"


def raise_other(path: Path) -> bool:
    """Whether a window has this project open; it comes to the front then."""
    socket = _connected(path)
    if socket is None:
        return False
    socket.write(_COME)
    socket.flush()
    return socket.waitForReadyRead(_PATIENCE_MS) and bytes(socket.readAll().data()) == _HERE


class Raising(QObject):
    """Hears of other starts on the project of this window.

    Args:
        come: brings the window to the front.
    """

    def __init__(self, come: Callable[[], None], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._come = come
        self._server: QLocalServer | None = None
        self._path: Path | None = None

    def listen(self, path: Path | None) -> None:
        """Answer for this project, and no other; ``None``: for none."""
        if path == self._path:
            return
        self._path = path
        if self._server is not None:
            self._server.close()
            self._server.deleteLater()
            self._server = None
        if path is None or _connected(path) is not None:
            return  # the window that had it first goes on answering
        server = QLocalServer(self)
        server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        server.newConnection.connect(self._asked)
        QLocalServer.removeServer(_name_of(path))  # what a window left that was killed
        if server.listen(_name_of(path)):
            self._server = server

    def _asked(self) -> None:
        while self._server is not None and (socket := self._server.nextPendingConnection()) is not None:
            socket.disconnected.connect(socket.deleteLater)
            socket.readyRead.connect(lambda socket=socket: self._answer(socket))
            if socket.bytesAvailable():
                self._answer(socket)

    def _answer(self, socket: QLocalSocket) -> None:
        if bytes(socket.readAll().data()) == _COME:
            socket.write(_HERE)
            socket.flush()
            self._come()


def _connected(path: Path) -> QLocalSocket | None:
    """A way to the window that has a project open; ``None`` where none has."""
    socket = QLocalSocket()
    socket.connectToServer(_name_of(path))
    return socket if socket.waitForConnected(_PATIENCE_MS) else None


def _name_of(path: Path) -> str:
    digest = hashlib.sha1(os.fsencode(path.resolve()), usedforsecurity=False).hexdigest()[:20]
    return f"arpegon-{os.getuid()}-{digest}"
