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
_STEER_SECONDS = 0.25
"""How often the piece is brought back to JACK's frames, from which the computer's clock drifts by a millionth or so."""
_EARLY_SECONDS = 2.0
"""For how long after a start it is brought back in every period: frames and seconds may only just have been tied."""
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


class Server(Protocol):
    """What moves JACK's transport."""

    def start_transport(self) -> None:
        """Start it where it is."""

    def stop_transport(self) -> None:
        """Stop it."""

    def locate_transport(self, frame: int) -> None:
        """Go to a frame."""


class Piece(Protocol):
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

    def __init__(self, server: Server, piece: Piece, soon: Callable[[Task], None], late: int) -> None:
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
        self._armed: tuple[int, float] | None = None
        """The frame from which a start is prepared, and when it is to begin."""
        self._begun: tuple[int, float] | None = None
        """The frame from which it rolls, and when that left."""
        self._said = Place(0)
        """Where JACK's transport was in the last period."""
        self._along: tuple[int, float, float] | None = None
        """The frame to which others are asked to come where the piece jumped, and the second of the piece that leaves
        at a time."""
        self._start, self._period = 0.0, 0.0
        """When the last period began, and how long it was."""
        self._nudged = 0.0
        self._steer_at = 0.0
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
        if self._armed is None or self._armed[0] != place.frame or start > self._armed[1] - 0.5 * period:
            out = start + _AHEAD * period
            self._armed = (place.frame, out)
            self._prepare(place, out, period, rate)
            return False
        return start + 1.5 * period >= self._armed[1]

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
        elif state == ROLLING and start >= self._steer_at:
            early = self._begun is not None and start - self._begun[1] < _EARLY_SECONDS
            self._steer_at = start + (0.0 if early else _STEER_SECONDS)
            self._steer(place, start, frames / rate, rate)

    def _prepare(self, place: Place, out: float, period: float, rate: int) -> None:
        time, beat = out - self._late * period, self.beat_of(place, rate)
        self._begun, self._nudged, self._tempo = (place.frame, out), 0.0, None

        def begin(now: float) -> None:
            self._take_tempo(now, place.tempo)
            self._piece.begin(max(now, time), beat)

        self._soon(begin)

    def _rolls(self, place: Place, start: float, period: float, rate: int) -> None:
        """It rolls: from where and when it was prepared, or from elsewhere."""
        armed, self._armed = self._armed, None
        along, self._along = self._along, None
        self._steer_at = start
        if along is not None and along[0] == place.frame:
            self._come_along(along, start, rate)
            return
        if armed is None or armed[0] != place.frame or abs(start - armed[1]) > 0.5 * period:
            self._join(place, start, period, rate)

    def _come_along(self, along: tuple[int, float, float], start: float, rate: int) -> None:
        """All others have come to where the piece is, but for a period or two, by which it is brought to them."""
        frame, leaves, second = along
        drift = frame / rate - second - (start - leaves)
        self._begun, self._nudged = (frame, start), 0.0
        if abs(drift) > _NEAR_SECONDS:
            self._soon(lambda now: self._piece.nudge(drift))

    def _join(self, place: Place, start: float, period: float, rate: int) -> None:
        """Go along with what rolls already, from a little later on."""
        ahead = _AHEAD * period
        beat = place.beat
        if beat is not None and place.tempo is not None:
            beat += ahead * place.tempo / 60.0
        self._prepare(Place(place.frame + round(ahead * rate), beat, place.tempo), start + ahead, period, rate)

    def _steer(self, place: Place, start: float, period: float, rate: int) -> None:
        if self._begun is None:
            return
        frame, out = self._begun
        drift = (place.frame - frame) / rate - (start - out) - self._nudged
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
