"""The transport as the window sees it: where it is, and what starts, stops and moves it."""

from __future__ import annotations

from PyQt6.QtCore import QObject

from arpegon.core.document.model import Project
from arpegon.core.document.sections import position_in
from arpegon.core.time import studio
from arpegon.core.time.clock import position_text
from arpegon.core.time.tapping import Taps
from arpegon.engine.wire.protocol import Health, Telemetry
from arpegon.ui.model.link import EngineLink


class TransportModel(QObject):
    """Keeps the last word of the engine; between two of them the beat is reckoned."""

    def __init__(self, link: EngineLink, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._link = link
        self._taps = Taps()
        self.told = Telemetry(studio.now(), 0.0, 0.0, False, 120.0, None, [], {}, Health())
        """How the engine was when it last said so."""
        link.told.connect(self._take)

    def _take(self, told: Telemetry) -> None:
        self.told = told

    @property
    def playing(self) -> bool:
        """Whether it runs."""
        return self.told.playing

    def toggle(self) -> None:
        """Start or stop, by what the engine has said until now: a window that is busy may not have been told yet."""
        self._link.deliver()
        if self.playing:
            self._link.stop()
        else:
            self._link.play()

    def tap(self) -> float | None:
        """Take a tap of the tempo; the tempo that the last taps make, from the second one on."""
        return self._taps.tap(studio.now())

    def beat_at(self, now: float) -> float:
        """The beat at a time."""
        return self.told.beat + ((now - self.told.now) * self.told.tempo / 60.0 if self.told.playing else 0.0)

    def position(self, now: float, project: Project) -> str:
        """Where it is, as it is read."""
        return position_text(*position_in(project, self.beat_at(now)))
