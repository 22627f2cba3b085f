"""What starts, stops and moves the transport: with JACK's where the document says so, once clips are read."""

from __future__ import annotations

from arpegon.engine.live.together import Together
from arpegon.engine.simulation import Engine

_CLIPS_PATIENCE = 3.0
"""How long the transport waits for clips that were named just before it is started."""


class StartStop:
    """Moves an engine's transport, or JACK's, which moves it then."""

    def __init__(self, engine: Engine, together: Together) -> None:
        self._engine = engine
        self._together = together
        self._reading_since: float | None = None
        """Since when clips are read that the document names anew."""
        self._waits: tuple[float | None] | None = None
        """The beat at which the transport starts once they are read."""

    def play(self, beat: float | None, now: float) -> None:
        """Start, once the clips are read that go with it."""
        if self._reading_since is not None:
            self._waits = (beat,)
        elif not self._together.start(beat):
            self._engine.play(now, beat)

    def stop(self, now: float) -> None:
        """Stop."""
        self._waits = None
        if not self._together.stop():
            self._engine.halt(now)

    def locate(self, beat: float, now: float) -> None:
        """Go to a beat."""
        if not self._together.locate(beat):
            self._engine.locate(now, beat)

    def forget(self) -> None:
        """Do not start what waits for clips."""
        self._waits = None

    # -- clips -------------------------------------------------------------------------------------

    def reads(self, on: bool, now: float) -> None:
        """Whether clips are read now that were not known before."""
        self._reading_since = (self._reading_since or now) if on else None

    def read(self, now: float) -> None:
        """They are read: start what waits for them."""
        self._reading_since = None
        if self._waits is not None:
            (beat,), self._waits = self._waits, None
            self.play(beat, now)

    def look(self, now: float, until: float) -> None:
        """Start what waited too long, at the time until which all is worked on."""
        if self._reading_since is not None and now - self._reading_since > _CLIPS_PATIENCE:
            self.read(until)
