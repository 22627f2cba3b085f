"""JACK's periods and who works on them: a thread of our own, which takes what came in and has what sounds made."""

from __future__ import annotations

import logging
import math
import threading
import time
from collections.abc import Callable

from arpegon.core.time import studio
from arpegon.engine.devices.jack_audio import JackAudio
from arpegon.engine.devices.jack_ports import PERIODS_LATE, Doubt, JackInput, JackOutput, JackPort
from arpegon.engine.devices.jack_tie import JackTie
from arpegon.engine.devices.lateness import Lateness
from arpegon.engine.devices.relay import Beat, Relay
from arpegon.engine.devices.resending import LOST_PERIODS
from arpegon.engine.devices.steady import FRAME_NUMBERS, FrameTime, since
from arpegon.engine.wire.realtime import SOUND, ask_for_realtime

log = logging.getLogger(__name__)

_SILENT_SECONDS, _SILENT_PERIODS = 0.1, 4
"""After how long without a call nobody waits for a server any more."""
_REST_SECONDS = 0.05
"""How often we look while nothing happens, so that time is kept."""
_FAR_FRAMES = 2**30
"""Hours: for nothing to happen until then."""
_DOUBT_SECONDS = 0.1
"""So long it may take until we hear that a period was missed, on a busy machine,"""
_ENDS_SECONDS = 2.0
"""and so long on one that comes to nothing else: then only notes are ended, as all else would be too much to say."""
_WORK_PATIENCE = 1.0
"""How long a period of a server that runs free waits for the loop,"""
_WORK_SHARE = 0.9
"""and how far into itself any other one, before its sound is made: it may be ready when the next one has begun."""


class Periods:
    """Works on periods, and keeps time by them.

    Args:
        audio: has what sounds made, and takes what is heard.
        advanced: called, from the thread that works, once all was told until the time that somebody waits for
            (:meth:`wakes_at`).
    """

    def __init__(self, audio: JackAudio, advanced: Callable[[], None]) -> None:
        self._audio = audio
        self._advanced = advanced
        self.tie = JackTie(self._moment)
        self.inputs: tuple[JackInput, ...] = ()
        self.outputs: tuple[JackOutput, ...] = ()
        self.gone = False
        """Whether the server said that it is."""
        self._relay: Relay | None = None
        self._began_at = 0.0
        self._rate = 48_000
        self._time = FrameTime(self._rate)
        self._frames = 0
        """Of the last period."""
        self._silence = _SILENT_SECONDS
        self._cycle = 0
        """The last one that was worked on."""
        self._next_frame = 0
        self._lost_cycle = 0
        """The last cycle before which the server had skipped some,"""
        self._late_cycle = -LOST_PERIODS
        """and the last one in which it said that any of its clients was late: what left before may have been missed."""
        self._heard = math.inf
        """Up to when all that came in was told, in studio time,"""
        self.told_at = -math.inf
        """and when it was told."""
        self.lateness = Lateness()
        """Of what left, against its own frame."""
        self._wakes_at = math.inf
        self._free = False
        """Whether the server waits for nobody but its clients: then each period waits for the loop."""
        self._worked = -math.inf
        """Up to when all was worked on."""
        self._worked_on = threading.Event()
        self._rests = False
        """Whether we are not told of all periods."""
        self._missing = 0
        """Periods without the sound that they should have had."""
        self._faulty = False

    # -- the server --------------------------------------------------------------------------------

    def begin(self, relay: Relay, rate: int, frames: int) -> None:
        """Work on what is relayed from now on: periods of so many frames, so many of which are a second."""
        self.gone = self._faulty = self._free = False
        self._began_at, self._heard = time.monotonic(), math.inf
        self._time, self._missing = FrameTime(rate), 0
        self._cycle, self._lost_cycle, self._late_cycle = 0, 0, -LOST_PERIODS
        self.expect(rate, frames)
        self._relay = relay
        threading.Thread(target=self._work, args=(relay,), name="jack", daemon=True).start()

    def end(self) -> None:
        """The server has us no more."""
        self.inputs, self.outputs = (), ()
        relay, self._relay = self._relay, None
        if relay is not None:
            relay.close()

    def expect(self, rate: int, frames: int) -> None:
        """Periods are of so many frames from now on."""
        self._rate = rate
        self._silence = max(_SILENT_SECONDS, _SILENT_PERIODS * frames / rate)

    def set_free(self, on: bool) -> None:
        """Whether the server waits for nobody but its clients."""
        self._free = on
        if self._relay is not None:
            self._relay.set_free(on)

    def may_be_missed(self) -> None:
        """What left about now may never be heard: it is said again in the next periods."""
        relay = self._relay
        if relay is not None:
            self._late_cycle = self._count(relay.cycles)
            self._rest(False)

    @property
    def in_doubt(self) -> bool:
        """Whether what may have been missed is still said again."""
        return self._since_loss < LOST_PERIODS

    @property
    def _since_loss(self) -> int:
        """How many cycles ago something was lost, or somebody late, for the last time."""
        return self._cycle - max(self._late_cycle, self._lost_cycle)

    def _doubt(self, frames: int) -> Doubt:
        """What is in doubt in a period of so many frames."""
        last = self._since_loss + 1 >= LOST_PERIODS
        kept = round(_DOUBT_SECONDS * self._rate) + (LOST_PERIODS + PERIODS_LATE) * frames
        return Doubt(self.in_doubt, last, kept, kept + round(_ENDS_SECONDS * self._rate))

    def _count(self, cycle: int) -> int:
        """The number of a cycle, or of the next that is so numbered, where numbers never begin anew."""
        return self._cycle + (cycle - self._cycle) % FRAME_NUMBERS

    def forget(self, opened: JackPort) -> None:
        """Leave a port alone."""
        self.inputs = tuple(one for one in self.inputs if one is not opened)
        self.outputs = tuple(one for one in self.outputs if one is not opened)

    @property
    def called(self) -> float:
        """When the server called, by the computer's clock: studio time stands still where nobody calls."""
        relay = self._relay
        return max(self._began_at, relay.called if relay is not None else 0.0)

    @property
    def _calls(self) -> bool:
        return self._relay is not None and not self.gone and time.monotonic() - self.called < self._silence

    # -- time --------------------------------------------------------------------------------------

    def heard_until(self, now: float) -> float:
        """Up to when all that came in was told; ``now`` while no server calls us.

        A period is told of once it is over. Whoever goes beyond this may learn of something that came earlier.
        """
        relay = self._relay
        if not self._calls or relay is None or self._heard == math.inf:
            return now
        frame = relay.frame
        # Where all that was told of is worked on, nothing came in the periods since.
        return max(self._heard, self._time.time_at(frame)) if relay.idle else self._heard

    def wakes_at(self, time: float) -> bool:
        """Have it said when all was told until a time; whether it will be said."""
        self._wakes_at = time
        frame = self._time.frame_at(time) if time < math.inf else self._next_frame + _FAR_FRAMES
        if self._relay is not None and frame is not None:
            self._relay.wake_at(frame % FRAME_NUMBERS)
        return self._calls and self.heard_until(math.inf) < time

    def worked(self, until: float) -> None:
        """All is worked on until a time."""
        self._worked = until
        self._worked_on.set()
        if self._rests and not self._audio.silent:
            self._rest(False)

    @property
    def _may_rest(self) -> bool:
        return self._audio.silent and not self._free and not self.tie.on and not self.in_doubt

    def _rest(self, on: bool) -> None:
        """Be told of all periods, or only of those in which something comes in or is due."""
        self._rests = on
        if self._relay is not None:
            self._relay.rest(round(_REST_SECONDS * self._rate) if on else 0)

    def _wait_for_work(self, until: float, end: float) -> None:
        """Wait until the loop has worked up to a time: what sounds in the next period is known then. The wait ends at a
        moment of the computer's clock."""
        while self._worked < until and (left := end - time.monotonic()) > 0.0:
            self._worked_on.clear()
            if self._worked < until:
                self._worked_on.wait(left)

    def out_at(self, time: float) -> int:
        """The frame at which something of a time leaves."""
        frame = self._time.frame_at(time)
        return self._next_frame if frame is None else (frame + PERIODS_LATE * self._frames) % FRAME_NUMBERS

    def _moment(self) -> tuple[float, int, int]:
        relay = self._relay
        return self._time.time_at(relay.frame) if relay is not None else self._heard, self._frames, self._rate

    # -- a period ----------------------------------------------------------------------------------

    def _work(self, relay: Relay) -> None:
        ask_for_realtime(SOUND)
        relay.work(self._safely)

    def _safely(self, beat: Beat) -> None:
        try:
            self._beat(beat)
        except Exception:  # the next period may be better
            if not self._faulty:
                self._faulty = True
                log.exception("a fault in a period of JACK's")

    def _beat(self, beat: Beat) -> None:
        """Work on a period that began."""
        relay, rate, frames = self._relay, self._rate, beat.frames
        if relay is None:  # we leave
            return
        self._frames = frames
        seconds = frames / rate
        start = self._time.at(beat.frame, beat.began, beat.called, beat.sure)
        before, self._cycle = self._cycle, self._count(beat.cycle)
        if beat.lost:
            self._lost_cycle = self._cycle
        end = self._next_frame = (beat.frame + frames) % FRAME_NUMBERS
        repeated = self._cycle - self._lost_cycle < LOST_PERIODS and self._cycle == before + 1
        doubt = self._doubt(frames)
        came = False
        for opened in self.inputs:
            came |= opened.read(start - seconds, end, frames, rate, repeated)
        self._heard, self.told_at = start, studio.now()
        self.tie.cycle(start, frames, rate, beat.state, beat.position)
        if came or self._free or start >= self._wakes_at:
            self._wakes_at = math.inf
            self._advanced()
            patience = _WORK_PATIENCE if self._free else _WORK_SHARE * seconds
            self._wait_for_work(start, beat.called + patience)
        for output in self.outputs:
            output.look(end, doubt)
        for port in (*self.inputs, *self.outputs):
            port.report()
        for late in relay.lates():
            self.lateness.add(start, late / rate)
        self._audio.cycle(beat.frame, frames, start, in_time=since(relay.frame, end) < 0)
        self._rest(self._may_rest)
        if not self._may_rest:  # something was played or missed just now
            self._rest(False)
        missing, self._missing = relay.missing - self._missing, relay.missing
        self._audio.late(missing)
