"""Studio time: the seconds by which all that is played is stamped, in each of our processes alike.

Where no JACK server is, they are the computer's (monotonic) seconds. Where one is, they are its frames: a second is as
many of them as it has in one, however late it calls and whatever its crystal makes of it. So what is so many seconds
apart is so many frames apart, exactly. Only how far the computer's clock is ahead of that is measured, by the engine
(:class:`~arpegon.engine.devices.steady.FrameTime`), which tells the others.
"""

from __future__ import annotations

import time

_behind = 0.0


def now() -> float:
    """The time, in seconds."""
    return time.monotonic() - _behind


def behind() -> float:
    """By how many seconds studio time is behind the computer's."""
    return _behind


def set_behind(seconds: float) -> None:
    """Studio time is so much behind the computer's, in this process."""
    global _behind
    _behind = seconds
