"""Whether a process of ours hangs: one that says how it is all the time is silent then."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

LOOK_SECONDS = 0.5
"""How often it is looked."""
LATE_SECONDS = 3.0
"""After how long it is said that nothing comes,"""
STOPPED_SECONDS = 10.0
"""and after how long nothing more is expected. An engine works longest at once when it takes over a document: measured
with 400 strands 0.7 s, and slower machines have several times that."""
FIRST_SECONDS = 60.0
"""Until it comes for the first time, while a slow disk is read."""


class Heartbeat(msgspec.Struct, frozen=True):
    """What a process says several times a second while it is well.

    Args:
        message: the type of these messages.
        late: called, from any thread, with whether none came for some seconds, when that is otherwise than before.
    """

    message: type
    late: Callable[[bool], None]


class HeartbeatWatch:
    """How long no heartbeat came.

    It is counted in looks, not by the clock: where whoever looks could not run either, because the machine slept or
    stood still, nothing is known of the process.
    """

    def __init__(self) -> None:
        self._looks = 0
        self._came = False
        self._taking = False

    def beat(self) -> None:
        """One came."""
        self._looks, self._came = 0, True

    def set_taking(self, on: bool) -> None:
        """Whether what the process said last is still being taken, so that nothing else can be heard."""
        self._taking = on

    def look(self) -> None:
        """Look once more, :data:`LOOK_SECONDS` after the last time."""
        self._looks = 0 if self._taking else self._looks + 1

    @property
    def seconds(self) -> float:
        """For how long none came."""
        return self._looks * LOOK_SECONDS

    @property
    def late(self) -> bool:
        """Whether it should be said."""
        return self._came and self.seconds >= LATE_SECONDS

    @property
    def stopped(self) -> bool:
        """Whether the process hangs."""
        return self.seconds >= (STOPPED_SECONDS if self._came else FIRST_SECONDS)
