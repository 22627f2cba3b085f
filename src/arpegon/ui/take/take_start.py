"""When a take that was asked for began: a moment later, as the engine tells; a long one needs longer."""

from __future__ import annotations

from PyQt6.QtCore import QObject

from arpegon.engine.wire.protocol import Telemetry
from arpegon.ui.model.session import Session


class TakeStart(QObject):
    """Follows what the engine tells of the take that was asked for last."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self._before: float | None = None
        """When the take began that played before."""
        self.at: float | None = None
        """When its start was, or would have been, in studio time; ``None``: the engine did not begin it yet."""
        self.over: float | None = None
        """By when it was over, or stopped; ``None``: it plays."""
        session.link.told.connect(self._follow)

    def ask(self) -> None:
        """A take is asked for, or stopped: what played until now is of no more interest."""
        self._before, self.at, self.over = self._session.telemetry.take_began, None, None

    def _follow(self, told: Telemetry) -> None:
        if told.take_began is None:
            if self.at is not None and self.over is None:
                self.over = told.worked_until
        elif told.take_began != self._before:
            self.at, self.over = told.take_began, None
