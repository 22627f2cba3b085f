"""What the engine reports besides notes: how it is, what is there and what is missing, and its sentences."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject

from arpegon.engine.wire.protocol import EARS_GONE, EARS_HANG, ENGINE_GONE, ENGINE_HANGS, Missing, Ports, Telemetry
from arpegon.ui.model.link import EngineLink
from arpegon.ui.model.notices import NoticeAction

if TYPE_CHECKING:
    from arpegon.ui.model.session import Session

_STARTS: dict[str, tuple[str, Callable[[EngineLink], None]]] = {
    ENGINE_GONE: ("Try again", lambda link: link.start_anew()),
    ENGINE_HANGS: ("Start it again", lambda link: link.start_anew()),
    EARS_GONE: ("Try again", lambda link: link.listen_anew()),
    EARS_HANG: ("Start it again", lambda link: link.listen_anew()),
}
"""What can be done about a process that is gone or hangs, by the topic of the notice."""
_LASTING = {"audio", "clock", "dropouts", "jack", "memory", "open-twice", "osc", "recover", "settings", *_STARTS}
"""Topics of notices that stay when another document is loaded: they are not about the one before, or whoever says them
takes them back. So does whoever misses files and ports."""


class Reports(QObject):
    """Takes reports in, and tells of them by the session's signals."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self.ports = Ports([], [], [])
        """The MIDI ports and audio devices that are there."""
        self.controls: dict[str, dict[int, int]] = {}
        """The controllers that arrived at each instrument, with their last value."""
        self.missing: dict[str, dict[str, str]] = {}
        """What is named and not there: clips, sounds, audio inputs, ports; of each kind by name, and why."""
        link = session.link
        link.told.connect(self._take_telemetry)
        link.ports.connect(self._take_ports)
        link.missing.connect(self._take_missing)
        link.said.connect(self._take_notice)

    def forget(self) -> None:
        """Another document is loaded: what was about the one before no longer stands."""
        self.controls.clear()
        missing = {f"{what}:{name}" for what, why in self.missing.items() for name in why}
        self._session.notice_list.keep_only({*_LASTING, *missing})

    def _take_telemetry(self, told: Telemetry) -> None:
        session = self._session
        session.piece.take(told)
        for instrument, values in told.controls.items():
            self.controls.setdefault(instrument, {}).update(values)
        for feed, event in told.heard:
            session.heard.emit(feed, event)
        session.reported.emit(told)

    def _take_ports(self, ports: Ports) -> None:
        self.ports = ports
        self._session.ports_changed.emit()

    def _take_missing(self, missing: Missing) -> None:
        before = self.missing.get(missing.what, {})
        self.missing[missing.what] = missing.why
        for name in before.keys() | missing.why.keys():
            if before.get(name) != missing.why.get(name):
                self._session.notice(f"{missing.what}:{name}", missing.why.get(name, ""))
        self._session.paths.check()

    def _take_notice(self, topic: str, text: str) -> None:
        acts: Sequence[NoticeAction] = ()
        if topic in _STARTS:
            words, start = _STARTS[topic]
            acts = ((words, lambda: self._start_anew(topic, start)),)
        self._session.notice(topic, text, acts)

    def _start_anew(self, topic: str, start: Callable[[EngineLink], None]) -> None:
        self._session.notice(topic, "")
        start(self._session.link)
