"""Sound that drops out so often that something should be done."""

from __future__ import annotations

from collections import deque
from typing import TYPE_CHECKING

from arpegon.engine.wire.protocol import Telemetry

if TYPE_CHECKING:
    from arpegon.ui.model.session import Session

_SECONDS = 10.0
OFTEN = 50
"""So many in those seconds are heard as crackling; single ones happen whenever another program is busy."""


class DropOuts:
    """Says so in a sentence, once until there were none for a while."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._counts: deque[tuple[float, int]] = deque()
        """When how many had been counted, of the last seconds."""
        self._said = False
        session.reported.connect(self._take)

    def _take(self, told: Telemetry) -> None:
        now, count = told.now, told.health.audio_dropouts
        counts = self._counts
        if counts and (count < counts[-1][1] or now < counts[-1][0]):  # another engine counts anew
            counts.clear()
        counts.append((now, count))
        while len(counts) > 1 and counts[1][0] <= now - _SECONDS:
            counts.popleft()
        new = count - counts[0][1]
        if not self._said and new >= OFTEN:
            self._said = True
            self._session.notice(
                "dropouts",
                f"Sound drops out often: {new} times within {_SECONDS:.0f} seconds. Longer blocks help: those of the "
                "JACK server where there is one, else “Audio block” in the menu.",
            )
        elif self._said and not new and now - counts[0][0] >= _SECONDS:
            self._said = False
            self._session.notice("dropouts", "")
