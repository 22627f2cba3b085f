"""JACK's transport: the piece starts, stops and goes to places together with all other programs, at the same frame.

What leaves does so some periods after its time. So a start is not answered at once: JACK waits until we say that we are
ready, and the piece begins earlier than the transport by as much as it takes to leave.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol

import msgspec

from arpegon.core.notes.course import Course
from arpegon.core.time.clock import TEMPO_RANGE

STOPPED, ROLLING, STARTING = 0, 1, 3
"""States, as JACK numbers them."""
_TICKS = 960
"""Of a beat, as we say it to others."""
_AHEAD = 6
"""Periods from the first word of a start to it: two for the way out, two until the loop hears of it, two to spare."""
_RELOCATED = 2
"""Periods from the one in which JACK is asked for a place while it rolls to the one in which it rolls from there, where
nobody has others wait."""
_NEAR_SECONDS = 2e-6
_FAR_SECONDS = 0.5

Task = Callable[[float], None]


class Place(msgspec.Struct, frozen=True):
    """Where JACK's transport is, and what whoever leads it says of that."""

    frame: int
    beat: float | None = None
    """In quarter notes from the start; ``None`` where nobody says it."""
    tempo: float | None = None


class _Start(msgspec.Struct):
    """A start of the piece: from which frame, and when that leaves."""

    frame: int
    out: float
    taken: bool = False
    """Whether the loop took it up while there was time."""


class Server(Protocol):
    """What moves JACK's transport."""

    def start_transport(self) -> None:
        """Start it where it is."""

    def stop_transport(self) -> None:
        """Stop it."""

    def locate_transport(self, frame: int) -> None:
        """Go to a frame."""


class FollowingPiece(Protocol):
    """The piece that goes along."""

    def begin(self, time: float, beat: float) -> None:
        """Start it from a beat at a time that is to come."""

    def cease(self, time: float) -> None:
        """Stop it."""

    def place(self, time: float, beat: float) -> None:
        """Go to a beat while it stands."""

    def nudge(self, seconds: float) -> None:
        """Let everything fall so much earlier."""

    def set_tempo(self, time: float, tempo: float) -> None:
        """Go on at another tempo."""


class JackTransport:
    """Ties a piece to JACK's transport. :meth:`sync` and :meth:`cycle` are called in JACK's thread.

    Args:
        soon: has something done by the loop.
        late: how many periods after its time something leaves.
    """

    def __init__(self, server: Server, piece: FollowingPiece, soon: Callable[[Task], None], late: int) -> None:
        self._server = server
        self._piece = piece
        self._soon = soon
        self._late = late
        self.mode = "off"
        """Whether it is ``follow``-ed, led (``lead``), or left alone (``off``)."""
        self.rolling = False
        self.course = Course()
        """The tempi and meters of the piece."""
        self._state = STOPPED
        self._armed: _Start | None = None
        """The start for which all others wait."""
        self._begun: _Start | None = None
        """The one from which it rolls."""
        self._said = Place(0)
        """Where JACK's transport was in the last period."""
        self._along: tuple[int, float, float] | None = None
        """The frame to which others are asked to come where the piece jumped, and the second of the piece that leaves
        at a time."""
        self._start, self._period = 0.0, 0.0
        """When the last period began, and how long it was."""
        self._nudged = 0.0
        self._tempo: float | None = None

    @property
    def on(self) -> bool:
        """Whether the piece goes along."""
        return self.mode != "off"

    @property
    def starts(self) -> bool:
        """Whether a start is prepared."""
        return self._armed is not None

    # -- beats and frames --------------------------------------------------------------------------

    def beat_of(self, place: Place, rate: int) -> float:
        """The beat of the piece at a place: as whoever leads says, or by the piece's own tempi."""
        if self.mode == "follow" and place.beat is not None:
            return max(0.0, place.beat)
        return self.course.beat_at(place.frame / rate)

    def frame_of(self, beat: float, rate: int) -> int:
        """The frame at which a beat of the piece falls, as whoever leads has it now, or by the piece's own tempi."""
        said = self._said
        if self.mode == "follow" and said.beat is not None and said.tempo:
            return max(0, round(said.frame + (beat - said.beat) * 60.0 / said.tempo * rate))
        return max(0, round(self.course.second_at(beat) * rate))

    def bar_of(self, frame: int, rate: int) -> dict[str, Any]:
        """What is said of a frame to others, where we lead: the fields of JACK's position."""
        beat = self.course.beat_at(frame / rate)
        start, meter, number = self.course.meter_at(beat)
        unit = 4.0 / meter[1]
        counted = (beat - start) / unit + 1e-9
        bars, inside = divmod(counted, meter[0])
        whole, share = divmod(inside, 1.0)
        return {
            "bar": number + int(bars),
            "beat": 1 + int(whole),
            "tick": int(share * _TICKS),
            "bar_start_tick": (start / unit + bars * meter[0]) * _TICKS,
            "beats_per_bar": float(meter[0]),
            "beat_type": float(meter[1]),
            "ticks_per_beat": float(_TICKS),
            "beats_per_minute": self.course.tempo_at(beat),
        }

    # -- what is asked for here --------------------------------------------------------------------

    def ask_start(self, beat: float, rate: int) -> None:
        """Start with all others, from a beat."""
        self.ask_locate(beat, rate)
        self._server.start_transport()

    def ask_stop(self) -> None:
        """Stop with all others."""
        self._server.stop_transport()

    def ask_locate(self, beat: float, rate: int) -> None:
        """Go to a beat with all others."""
        self._server.locate_transport(self.frame_of(beat, rate))

    def ask_along(self, time: float, beat: float, rate: int) -> None:
        """The piece, which plays, goes on from a beat at a time: all others come to where it will be, while it plays
        on."""
        second, leaves = self.frame_of(beat, rate) / rate, time + self._late * self._period
        rolls = self._start + _RELOCATED * self._period
        frame = max(0, round((second + rolls - leaves) * rate))
        self._along = (frame, leaves, second)
        self._server.locate_transport(frame)

    # -- in JACK's thread --------------------------------------------------------------------------

    def sync(self, state: int, place: Place, start: float, frames: int, rate: int) -> bool:
        """JACK asks whether we are ready for a place.

        Args:
            start: when the period begins that is under way, in seconds.
        """
        if not self.on:
            return True
        period = frames / rate
        if state == STOPPED:
            self._armed = None
            self._soon(lambda now: self._piece.place(now, self.beat_of(place, rate)))
            return True
        if state == ROLLING:
            return True  # others no longer wait: the next period says from where it rolls
        if self._along is not None:
            if self._along[0] == place.frame:
                return True  # the piece is on its way there
            self._along = None  # others were quicker
        armed = self._armed
        left = armed.out - start if armed is not None and armed.frame == place.frame else 0.0
        near = left <= 1.5 * period
        if armed is None or left < 0.5 * period or (near and not armed.taken):
            self._armed = self._prepare(place, start + _AHEAD * period, period, rate, waits=True)
            return False
        return near

    def cycle(self, state: int, place: Place, start: float, frames: int, rate: int) -> None:
        """A period begins."""
        before, self._state = self._state, state
        self._start, self._period, self._said = start, frames / rate, place
        self.rolling = state == ROLLING
        if not self.on:
            return
        if state == STOPPED and before != STOPPED:
            self._armed = self._begun = self._along = None
            self._soon(self._piece.cease)
        elif state == ROLLING and before != ROLLING:
            self._rolls(place, start, frames / rate, rate)
        elif state == ROLLING:
            self._steer(place, start, frames / rate, rate)

    def _prepare(self, place: Place, out: float, period: float, rate: int, waits: bool) -> _Start:
        """Have the piece begin at a place that leaves at a time. Where the loop hears of it too late, it is prepared
        once more if all others wait; else the piece begins where it would be by then."""
        time, made = out - self._late * period, _Start(place.frame, out)
        self._begun, self._nudged, self._tempo = made, 0.0, None

        def begin(now: float) -> None:
            made.taken = now <= time
            if waits and not made.taken:
                return
            self._take_tempo(now, place.tempo)
            late = max(0.0, now - time)
            self._piece.begin(time + late, self.beat_of(_later(place, late, rate), rate))

        self._soon(begin)
        return made

    def _rolls(self, place: Place, start: float, period: float, rate: int) -> None:
        """It rolls: from where and when it was prepared, or from elsewhere."""
        armed, self._armed = self._armed, None
        along, self._along = self._along, None
        if along is not None and along[0] == place.frame:
            self._come_along(along, start, rate)
            return
        if armed is None or not armed.taken or armed.frame != place.frame or abs(start - armed.out) > 0.5 * period:
            self._join(place, start, period, rate)

    def _come_along(self, along: tuple[int, float, float], start: float, rate: int) -> None:
        """All others have come to where the piece is, but for a period or two, by which it is brought to them."""
        frame, leaves, second = along
        drift = frame / rate - second - (start - leaves)
        self._begun, self._nudged = _Start(frame, start), 0.0
        if abs(drift) > _NEAR_SECONDS:
            self._soon(lambda now: self._piece.nudge(drift))

    def _join(self, place: Place, start: float, period: float, rate: int) -> None:
        """Go along with what rolls already, from a little later on."""
        ahead = _AHEAD * period
        self._prepare(_later(place, ahead, rate), start + ahead, period, rate, waits=False)

    def _steer(self, place: Place, start: float, period: float, rate: int) -> None:
        """Studio time goes by JACK's frames, so nothing drifts; but others may move the transport while it rolls, and a
        server may stand still."""
        if self._begun is None:
            return
        drift = (place.frame - self._begun.frame) / rate - (start - self._begun.out) - self._nudged
        if abs(drift) > _FAR_SECONDS:
            self._join(place, start, period, rate)
            return
        if abs(drift) < _NEAR_SECONDS and not self._is_new(place.tempo):
            return
        self._nudged += drift
        tempo = place.tempo

        def steer(now: float) -> None:
            self._piece.nudge(drift)
            self._take_tempo(now, tempo)

        self._soon(steer)

    def _is_new(self, tempo: float | None) -> bool:
        """Whether another one than before is said by whoever leads, and followed."""
        return self.mode == "follow" and tempo is not None and tempo != self._tempo

    def _take_tempo(self, now: float, tempo: float | None) -> None:
        """The tempo of whoever leads, where that is another one."""
        if tempo is not None and self._is_new(tempo):
            self._tempo = tempo
            if TEMPO_RANGE[0] <= tempo <= TEMPO_RANGE[1]:
                self._piece.set_tempo(now, tempo)


def _later(place: Place, seconds: float, rate: int) -> Place:
    """Where it is some seconds later, while it rolls."""
    beat = place.beat
    if beat is not None and place.tempo is not None:
        beat += seconds * place.tempo / 60.0
    return Place(place.frame + round(seconds * rate), beat, place.tempo)
