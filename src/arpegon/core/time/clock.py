"""Time: seconds, beats (quarter notes) and the position that people read."""

from __future__ import annotations

import math

TICKS = 960
"""Ticks in a quarter note, in positions and in the MIDI files that Arpegon writes."""

_NEAR = 1e-6
_JUST_BEFORE = 1e-4
"""Beats before its line within which a section begins (a microsecond, at any tempo)."""
TEMPO_RANGE = (20.0, 400.0)
MAX_METER_BEATS = 32
METER_UNITS = (1, 2, 4, 8, 16, 32)


class Clock:
    """Ties seconds to beats: beats run while ``playing``, at ``tempo`` quarter notes a minute.

    Seconds are those of the caller (studio time live, zero-based offline). A change of tempo sets a new
    anchor at the moment it happens, so no beat is skipped or heard twice.
    """

    __slots__ = ("_beat", "_lines", "_passed", "_time", "bar", "changes", "grid", "origin", "playing", "tempo")

    def __init__(self, tempo: float = 120.0) -> None:
        self.tempo = tempo
        self.playing = False
        self.changes = 0
        """Grows whenever beats come to fall at other times."""
        self.origin = 0.0
        """The beat from which bars are counted: the start of the section that holds."""
        self.bar = 4.0
        """The length of a bar in quarter notes."""
        self._lines = 0
        """The bar lines that have passed, less the bars from the origin on."""
        self.grid = 0.0
        """The beat from which note values and cycles are counted: the last on which bars of another meter began."""
        self._time = 0.0
        self._beat = 0.0
        self._passed = 0.0
        """The beats that have passed up to the last anchor."""

    def beat_at(self, time: float) -> float:
        """The beat at a time (the resting place while stopped)."""
        if not self.playing:
            return self._beat
        return self._beat + (time - self._time) * self.tempo / 60.0

    def time_at(self, beat: float) -> float:
        """The time at which a beat falls; infinity while stopped."""
        if not self.playing:
            return math.inf
        return self._time + (beat - self._beat) * 60.0 / self.tempo

    def passed_at(self, time: float) -> float:
        """The beats that have passed at a time: they pass over jumps, and while it stands."""
        return self._passed + (time - self._time) * self.tempo / 60.0

    def time_passed(self, passed: float) -> float:
        """Return the second at which so many beats will have passed, at the present tempo."""
        return self._time + (passed - self._passed) * 60.0 / self.tempo

    def lines_at(self, time: float) -> int:
        """Count the bar lines passed at a time, over jumps and changes of meter; 0 on the very first line."""
        return self._lines + self._bars_at(self.beat_at(time))

    def time_of_line(self, line: float) -> float:
        """Return the second of a bar line, counted as in :meth:`lines_at`; infinity while the clock is stopped."""
        return self.time_at(self.origin + (line - self._lines) * self.bar)

    def _bars_at(self, beat: float) -> int:
        return math.floor((beat - self.origin) / self.bar + _NEAR)

    def set_bars(self, time: float, origin: float, bar: float) -> None:
        """Count bars of another length, or from another beat, from a time on."""
        if (origin, bar) == (self.origin, self.bar):
            return
        lines = self.lines_at(time)
        self.origin, self.bar = origin, bar
        self._lines = lines - self._bars_at(self.beat_at(time))
        self.changes += 1

    def _anchor(self, time: float, beat: float) -> None:
        self._passed, self._beat, self._time = self.passed_at(time), beat, time
        self.changes += 1

    def start(self, time: float, beat: float | None = None) -> None:
        """Run from ``beat`` (or from where it rests)."""
        if beat is not None and beat != self._beat:
            self._count_jump(beat)
        self._anchor(time, self.beat_at(time) if beat is None else beat)
        self.playing = True

    def _count_jump(self, beat: float) -> None:
        """Go to another beat: a bar that is left before its end is over."""
        left, lines = self._beat - self.origin, self._lines + self._bars_at(self._beat)
        in_bar, there = (
            beats - math.floor(beats / self.bar + _NEAR) * self.bar for beats in (left, beat - self.origin)
        )
        over = math.ceil((in_bar - there) / self.bar - _NEAR) if in_bar > _NEAR else 0
        self._lines = lines + max(0, over) - self._bars_at(beat)

    def stop(self, time: float) -> None:
        """Rest where it is."""
        self._anchor(time, self.beat_at(time))
        self.playing = False

    @property
    def beat(self) -> float:
        """The beat at the last start, stop or change of tempo."""
        return self._beat

    def set_grid(self, beat: float) -> None:
        """Count note values and cycles from another beat."""
        if beat != self.grid:
            self.grid = beat
            self.changes += 1

    def counted(self, time: float) -> float:
        """The beats at a time, as note values and cycles count them; what is all but on their start is on it."""
        beat = self.beat_at(time) - self.grid
        return 0.0 if -_JUST_BEFORE < beat < 0.0 else beat

    def next_line(self, beat: float, unit: float) -> float:
        """The first line at or after a beat, of those that lie ``unit`` beats apart from the origin of the bars on."""
        return self.origin + math.ceil((beat - self.origin) / unit - _NEAR) * unit

    def seconds(self, beats: float) -> float:
        """How long ``beats`` quarter notes last at the tempo of now, playing or not."""
        return beats * 60.0 / self.tempo

    def shift(self, seconds: float) -> None:
        """Let all beats fall so much earlier."""
        self._time -= seconds
        self.changes += 1

    def set_tempo(self, time: float, tempo: float) -> None:
        """Go on at another tempo from ``time``."""
        self._anchor(time, self.beat_at(time))
        self.tempo = tempo


class Moment:
    """A time to come that keeps its place in the music: a change of tempo moves it.

    Args:
        clock: by whose beats it lies; ``None``: it keeps its second.
        time: when it is at the tempo of now, in seconds.
    """

    __slots__ = ("_changes", "_clock", "_passed", "_time")

    def __init__(self, clock: Clock | None, time: float) -> None:
        self._clock = clock
        self._time = time
        self._passed, self._changes = (0.0, 0) if clock is None else (clock.passed_at(time), clock.changes)

    @property
    def time(self) -> float:
        """The second at which it falls, at the present tempo."""
        clock = self._clock
        if clock is not None and self._changes != clock.changes:
            self._changes = clock.changes
            self._time = clock.time_passed(self._passed)
        return self._time

    def fix(self, time: float) -> None:
        """It came, at a time: no change of tempo moves it any more."""
        self._time, self._clock = time, None


def bar_beats(meter: tuple[int, int]) -> float:
    """The length of a bar in quarter notes."""
    return meter[0] * 4.0 / meter[1]


def position(beat: float, meter: tuple[int, int]) -> tuple[int, int, int]:
    """Bar, beat in the bar (both from 1) and tick (from 0) at ``beat`` quarter notes from the start."""
    ticks = math.floor(beat * TICKS + 1e-6)
    beat_ticks = TICKS * 4 // meter[1]
    bar, rest = divmod(ticks, beat_ticks * meter[0])
    in_bar, tick = divmod(rest, beat_ticks)
    return bar + 1, in_bar + 1, tick


def position_text(bar: int, in_bar: int, tick: int) -> str:
    """A position as it is shown: ``"12.3.240"``."""
    return f"{bar}.{in_bar}.{tick:03d}"
