"""What the engine tells the window of itself: telemetry, what hookups did, and what is wrong with its clock."""

from __future__ import annotations

import logging

from arpegon.core.time import studio
from arpegon.engine.audio.audio_out import AudioOut
from arpegon.engine.hearing.remote import RemoteHearing
from arpegon.engine.live.inbox import Inbox
from arpegon.engine.live.reporter import Reporter
from arpegon.engine.simulation import Engine
from arpegon.engine.wire import protocol
from arpegon.engine.wire.wire import Wire

log = logging.getLogger(__name__)


class Teller:
    """Reads how things are, and tells it.

    Args:
        wire: the way to the window.
        engine: what plays.
        reporter: knows what passed and what was late, and sends telemetry with it.
        hearing: the process that listens.
        audio: where instruments sound.
        inbox: where events wait.
    """

    def __init__(
        self,
        wire: Wire,
        engine: Engine,
        reporter: Reporter,
        hearing: RemoteHearing,
        audio: AudioOut,
        inbox: Inbox,
    ) -> None:
        self._wire = wire
        self._engine = engine
        self._reporter = reporter
        self._hearing = hearing
        self._audio = audio
        self._inbox = inbox
        self.realtime = False
        """Whether the system lets the loop run before all else."""
        self._clock_words = ""

    def tell(self, now: float) -> None:
        """Tell how things are at a time."""
        self._reporter.send(self._telemetry(now))
        self._tell_of_clock()
        self._tell_of_hookups()

    def _telemetry(self, now: float) -> protocol.Telemetry:
        engine = self._engine
        clock, follower = engine.clock, engine.clocks.follower
        marks, sight = self._hearing.seen()
        wanted = engine.sections.wanted
        return protocol.Telemetry(
            now=now,
            worked_until=engine.now,
            beat=clock.beat_at(now),
            playing=clock.playing,
            tempo=(follower.ticks.tempo or clock.tempo) if follower.on else clock.tempo,
            take_began=engine.takes.began,
            passed=[],
            meters=self._audio.renderer.mixer.peaks(),
            health=self._health(),
            live=self._live(now),
            clock=engine.clocks.state,
            marks=marks,
            sight=sight,
            revision=self._reporter.revision,
            behind=studio.behind(),
            section_wanted=-1 if wanted is None else wanted,
            waiting=engine.waiting,
        )

    def _live(self, now: float) -> list[float]:
        """Where the watched stage is."""
        graph = self._engine.graph
        processor = graph.find(graph.watched) if graph.watched else None
        try:
            return processor.live(now) if processor is not None else []
        except Exception:  # what is only shown must not end the engine
            log.exception("where a stage is could not be told")
            return []

    def _health(self) -> protocol.Health:
        audio, reporter = self._audio, self._reporter
        return protocol.Health(
            late_p99=reporter.late_p99,
            timing=reporter.timing,
            audio=audio.name,
            audio_known=audio.looked,
            audio_rests=audio.rests,
            audio_load=audio.renderer.load,
            audio_latency=audio.renderer.latency,
            lead=self._engine.graph.lead,
            audio_dropouts=audio.dropouts,
            realtime=self.realtime,
            sounding=self._engine.graph.sounding,
            thinned=self._inbox.thinned,
            events_per_second=reporter.rate,
        )

    def _tell_of_clock(self) -> None:
        """Say what is wrong with the clock that is followed, once."""
        follower = self._engine.clocks.follower
        whose = follower.settings.port or "any input"
        words = follower.odd
        if follower.state == "lost":
            then = "goes on at its last tempo" if self._engine.clock.playing else "stands"
            words = f"The clock from “{whose}” no longer comes; the transport {then}."
        if words != self._clock_words:
            self._clock_words = words
            self._wire.send(protocol.Notice("clock", words))

    def _tell_of_hookups(self) -> None:
        """Tell what they did since this was last told."""
        hooks, overlay = self._engine.hooks, self._engine.overlay
        if hooks.moved or overlay.done or hooks.asked:
            done = [(section, *target, *value) for (section, target), value in overlay.done.items()]
            self._wire.send(protocol.Hooked(done, dict(hooks.moved), list(hooks.asked)))
            hooks.moved.clear()
            overlay.done.clear()
            hooks.asked.clear()
