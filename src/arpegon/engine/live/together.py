"""The piece together with JACK's transport: what is asked for here goes there, and what happens there happens here."""

from __future__ import annotations

import time
from collections.abc import Callable

from arpegon.core.document.model import Project
from arpegon.engine.clocks.jack_transport import JackTransport, Task
from arpegon.engine.devices.jack_client import JackClient
from arpegon.engine.devices.jack_ports import PERIODS_LATE
from arpegon.engine.simulation import Engine

_PATIENCE_SECONDS = 0.5
"""How long both may differ, before the one that was moved here moves the other."""


class Together:
    """An engine's piece and JACK's transport, where the document says so."""

    def __init__(self, jack: JackClient, engine: Callable[[], Engine], soon: Callable[[Task], None]) -> None:
        self._jack = jack
        self._engine = engine
        self.transport = JackTransport(jack.tie, self, soon, PERIODS_LATE)
        self._apart_since: float | None = None
        self._begins = 0
        """Which start is prepared: one that is taken back does not begin."""
        self._placing = False
        """Whether the piece is set to where JACK's transport is."""

    def use(self, project: Project, time: float) -> None:
        """The document is another, from a time on."""
        mode = project.clock.jack
        if mode != self.transport.mode:
            self._engine().go_alone(time)
            self._jack.tie.use(self.transport, mode)

    @property
    def _on(self) -> bool:
        return self.transport.on and self._jack.joined

    # -- what is asked for here: whether JACK was asked ----------------------------------------------

    def start(self, beat: float | None) -> bool:
        """Start with all others."""
        if self._on:
            clock = self._engine().clock
            self.transport.ask_start(clock.beat if beat is None else beat, self._jack.rate)
        return self._on

    def stop(self) -> bool:
        """Stop with all others."""
        if self._on:
            self.transport.ask_stop()
            if self._engine().graph.project.on_stop == "start":
                self.transport.ask_locate(0.0, self._jack.rate)
        return self._on

    def locate(self, beat: float) -> bool:
        """Go to a beat with all others."""
        if self._on:
            self.transport.ask_locate(beat, self._jack.rate)
        return self._on

    def moved(self, time: float, beat: float) -> None:
        """The piece was set to a beat here, by a section or a hookup: all others go there, too."""
        if not self._on or self._placing:
            return
        if self._engine().clock.playing:
            self.transport.ask_along(time, beat, self._jack.rate)
            return
        if self.transport.rolling:
            self.transport.ask_stop()
        self.transport.ask_locate(beat, self._jack.rate)

    def look(self) -> None:
        """What a hookup or a section started or stopped here is started or stopped there."""
        playing = self._engine().clock.playing
        if not self._on or playing == self.transport.rolling or self.transport.starts:
            self._apart_since = None
            return
        now = time.monotonic()
        self._apart_since = self._apart_since or now
        if now - self._apart_since > _PATIENCE_SECONDS:
            self._apart_since = None
            if playing:
                self.transport.ask_start(self._engine().clock.beat_at(self._engine().now), self._jack.rate)
            else:
                self.transport.ask_stop()

    # -- what happens there --------------------------------------------------------------------------

    def begin(self, time: float, beat: float) -> None:
        engine = self._engine()
        if engine.clock.playing:
            engine.stop(engine.now)
        self._begins += 1
        number = self._begins

        def play(now: float) -> None:
            if number == self._begins:
                engine.play(now, beat)

        engine.at_time(time, play)

    def cease(self, time: float) -> None:
        self._begins += 1
        if self._engine().clock.playing:
            self._engine().stop(time)

    def place(self, time: float, beat: float) -> None:
        self._begins += 1
        engine = self._engine()
        if engine.clock.playing:
            engine.stop(time)
        self._placing = True
        engine.locate(time, beat)
        self._placing = False

    def nudge(self, seconds: float) -> None:
        self._engine().nudge(seconds)

    def set_tempo(self, time: float, tempo: float) -> None:
        self._engine().go_along(time, tempo)
