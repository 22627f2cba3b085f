"""What was heard, as it is told to those who show it."""

from __future__ import annotations

import msgspec


class HeardNote(msgspec.Struct, array_like=True):
    """A note that was heard: for the editor, for calibration, and for what is doubtful in a take.

    Times are seconds of the stream until the engine puts them on its own clock.
    """

    time: float
    """When it was sent."""
    note: int
    velocity: int
    level: float
    """Of the stroke or the beginning of the note, dB."""
    peak: float
    """Of a stroke, its highest sample in dB of full scale; of a note its level."""
    began: float
    """When it truly began, as far as that can be told afterwards."""
    end: float = 0.0
    """When it ended; 0 while it sounds."""
    clarity: float = 1.0
    """How pure the tone was, or how far a stroke stood out, 0-1."""
    doubt: str = ""
    """Why it may be false, in a word or two; empty where nothing speaks against it."""
    channel: int = 0


class Sight(msgspec.Struct, array_like=True):
    """What an editor draws: figures at even steps, the last one at ``time``.

    Of hits, each figure is the peak of a millisecond; of pitch, three make one: level in dB, pitch as a note number
    (0: none) and clarity.
    """

    time: float
    step: float
    values: list[float]
    peak: float
    """The greatest sample since the last sight; 1 and above is clipped."""
