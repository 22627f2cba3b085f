"""All that leads the piece from outside, or is led by it: MIDI clocks and time code, followed and sent."""

from __future__ import annotations

from collections.abc import Callable

from arpegon.core.document.model import Project
from arpegon.core.notes.course import Course
from arpegon.engine.clocks.code_following import CodeFollower
from arpegon.engine.clocks.code_sending import CodeSender
from arpegon.engine.clocks.following import ClockFollower
from arpegon.engine.clocks.roles import ClockRule, Scheduler, Send, Transport
from arpegon.engine.clocks.sending import ClockSender
from arpegon.engine.clocks.timeline import Due


class OutsideClocks:
    """The clocks of an engine.

    Args:
        rule: which of the outputs that are sent a clock run, and from which beat they count.
        nudge: lets all beats fall so much earlier.
    """

    def __init__(
        self,
        transport: Transport,
        scheduler: Scheduler,
        send: Send,
        rule: ClockRule,
        nudge: Callable[[float], None],
    ) -> None:
        self._transport = transport
        self.plan = Course()
        """The tempi and meters of the piece, if it is played from its start on."""
        self._planned_for: object = None
        self.ahead = 0.0
        """How many seconds later than it is made something leaves."""
        self.follower = ClockFollower(transport, lambda: self.ahead)
        self.sender = ClockSender(transport, send, rule)
        self.code = CodeFollower(transport, lambda: self.plan, nudge, lambda: self.ahead)
        self.code_sender = CodeSender(scheduler, send, lambda: self.plan)

    @property
    def state(self) -> str:
        """How it stands with what is followed: a word of :attr:`ClockFollower.state` or :attr:`CodeFollower.state`."""
        return self.code.state if self.code.on else self.follower.state

    def configure(self, project: Project, time: float) -> None:
        """Follow and send as a document says."""
        self.follower.configure(project.clock)
        self.sender.configure(project.clock.send, time)
        wanted = planned_for(project)
        if wanted != self._planned_for:
            self._planned_for = wanted
            self.plan = without_sections(project)
        clock = self._transport.clock
        self.code.configure(project.clock)
        self.code_sender.configure(project.clock, clock.beat_at(time) if clock.playing else None, time)

    def plans(self, project: Project) -> list[tuple[Callable[[], float], Due]]:
        """When something is due with a document, and what."""
        if not project.clock.follow:
            return []
        return [(self.code.due, self.code.miss) if self.code.on else (self.follower.due, self.follower.miss)]

    def message(self, port: str, status: int, value: int, time: float) -> None:
        """A message of a clock (see :mod:`arpegon.core.time.ticks`), at the time at which it arrived."""
        if self.follower.takes(port):
            self.follower.message(status, value, time)

    def code_message(self, port: str, message: bytes, time: float) -> None:
        """A message of time code, at the time at which it arrived."""
        if self.code.takes(port):
            self.code.message(message, time)

    def takes(self, port: str) -> bool:
        """Whether the messages of an input are followed."""
        return self.follower.takes(port) or self.code.takes(port)

    def start(self, beat: float, time: float) -> None:
        """The transport runs from a beat on."""
        self.follower.on_locate(beat)
        self.sender.start(beat, time)
        self.code_sender.start(beat, time)

    def stop(self, beat: float, time: float) -> None:
        """The transport stops at a beat."""
        self.sender.stop(time)
        self.code_sender.place(beat, time)

    def place(self, beat: float, time: float) -> None:
        """The transport stands at a beat."""
        self.code_sender.place(beat, time)

    def shift(self, seconds: float) -> None:
        """All beats fall so much earlier."""
        self.code_sender.shift(seconds)


def planned_for(project: Project) -> object:
    """What the course of a piece hangs on."""
    return project.tempo, project.meter, project.sections


def without_sections(project: Project) -> Course:
    """The course of a piece at one tempo, in one meter."""
    return Course(tempi=((0.0, project.tempo),), meters=((0.0, project.meter, 1),))
