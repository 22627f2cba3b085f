"""Whether anything moves in the window: while nothing does, it is seldom looked at."""

from __future__ import annotations

from arpegon.core.time import studio
from arpegon.engine.wire.protocol import Telemetry
from arpegon.ui.model.session import Session

_FADES_SECONDS = 2.0
"""How long what lights up goes on fading."""
_AUDIBLE = 1e-4


class Stirring:
    """Hears of all that makes something move."""

    def __init__(self, session: Session) -> None:
        self._last = studio.now()
        self._live: list[float] = []
        for signal in (session.link.printed, session.link.hooked, session.changed, session.heard):
            signal.connect(self._stir)
        session.selected.connect(self._stir)
        session.reported.connect(self._reported)

    def rests(self, now: float) -> bool:
        """Whether nothing moved for so long that all has faded."""
        return now - self._last > _FADES_SECONDS

    def _stir(self, *_: object) -> None:
        self._last = studio.now()

    def _reported(self, told: Telemetry) -> None:
        moves = told.playing or told.take_began is not None or told.passed or told.marks or told.sight or told.waiting
        if moves or told.live != self._live or any(peak > _AUDIBLE for peak in told.meters.values()):
            self._last = studio.now()
        self._live = told.live
