"""Control over OSC in the window: off unless it is switched on, remembered from one start to the next."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from arpegon.core.errors import ArpegonError
from arpegon.engine.live.osc import DEFAULT_PORT, OscServer

if TYPE_CHECKING:
    from arpegon.ui.model.session import Session


class Osc(QObject):
    """Hears OSC for a session while that is switched on."""

    _asked = pyqtSignal(str, str)
    """An action that only the window can do, from the thread that hears."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.server: OscServer | None = None
        self._asked.connect(self._do)
        session.changed.connect(self._changed)
        session.link.hooked.connect(self._told)
        session.link.told.connect(self._told)

    @property
    def on(self) -> bool:
        """Whether it hears."""
        return self.server is not None

    @property
    def anywhere(self) -> bool:
        """Whether other computers of the local network are heard, too."""
        return self.session.settings.osc_anywhere

    def start(self) -> None:
        """Hear, if that was switched on."""
        if self.session.settings.osc_port:
            self._open()

    def set_on(self, on: bool) -> None:
        """Switch it on or off, and say so."""
        self.close()
        self.session.change_settings(osc_port=(self.session.settings.osc_port or DEFAULT_PORT) if on else 0)
        if on:
            self._open()
        else:
            self.session.notice("done", "OSC is no longer heard.")

    def set_anywhere(self, on: bool) -> None:
        """Hear other computers of the local network, or this one only."""
        self.session.change_settings(osc_anywhere=on)
        if self.on:
            self.close()
            self._open()

    def tell_looks(self) -> None:
        """Tell the engine whether anybody looks: at the window, or by OSC."""
        self.session.link.look(self.session.in_sight or self.on)

    def close(self) -> None:
        """Hear nothing more."""
        if self.server is not None:
            self.server.close()
            self.server = None
            self.tell_looks()

    def _open(self) -> None:
        settings = self.session.settings
        try:
            self.server = OscServer(
                self.session.link.client.send, self._asked.emit, settings.osc_port, settings.osc_anywhere
            )
        except ArpegonError as error:
            self.session.notice("osc", str(error))
            return
        self.tell_looks()
        self.server.use(self.session.history.project)
        whom = "this computer and its local network" if settings.osc_anywhere else "this computer only"
        self.session.notice("osc", "")
        self.session.notice("done", f"OSC is heard on port {self.server.port}, from {whom}.")

    def _changed(self, *_: object) -> None:
        if self.server is not None:
            self.server.use(self.session.history.project)

    def _told(self, told: object) -> None:
        if self.server is not None:
            self.server.take(told)  # type: ignore[arg-type]

    def _do(self, action: str, target: str) -> None:
        self.session.hooking.do(action, target)
