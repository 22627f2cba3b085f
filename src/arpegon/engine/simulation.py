"""The engine as a discrete-event simulation: what is due in seconds, what is due in beats, one loop.

The same code runs live (:mod:`arpegon.engine.live.loop` calls :meth:`Engine.run` when something is due) and
offline (:mod:`arpegon.engine.offline` jumps to the end at once).
"""

from __future__ import annotations

import contextlib
import heapq
import math
from collections.abc import Callable, Mapping, Sequence
from itertools import count
from typing import Any

from arpegon.core.document.model import Project
from arpegon.core.errors import ParameterError
from arpegon.core.events import Event
from arpegon.core.notes.course import TimeFacts
from arpegon.core.processing.parameters import check_params
from arpegon.core.time.clock import bar_beats
from arpegon.engine.clocks.outside import OutsideClocks
from arpegon.engine.clocks.timeline import Due, Timeline
from arpegon.engine.graph.graph import Graph, Inputs, Outputs
from arpegon.engine.hearing.feeds import AudioFeeds
from arpegon.engine.hearing.hearing import Hearing
from arpegon.engine.performance.arrivals import Arrivals
from arpegon.engine.performance.hooks import Hooks
from arpegon.engine.performance.overlay import Overlay
from arpegon.engine.performance.own_times import OwnTimes
from arpegon.engine.performance.players import Players, Room
from arpegon.engine.performance.sections import SectionPlayer
from arpegon.engine.performance.takes import Takes
from arpegon.files.audio import AudioFile
from arpegon.files.midi import Clip
from arpegon.processors import processor_class
from arpegon.processors.targets import Target, param_at, section_of

Plans = list[tuple[Callable[[], float], Due]]
"""When something is due, in seconds, and what it then does."""

_TEMPO = ("", "tempo")
_METER = {("", "meter_beats"), ("", "meter_unit")}


def _nothing(time: float) -> None:
    """What is due needs no more than that stages work up to it."""


class Engine:
    """A document at work over a clock.

    Args:
        outputs: where everything that leaves goes.
        seed: overrules the seeds of all stages.
        hearing: who listens to audio sources (left out: the engine itself).
    """

    def __init__(self, outputs: Outputs, seed: int | None = None, hearing: Hearing | None = None) -> None:
        self.transport = Timeline()
        self.endless = Timeline()
        """Runs with the transport, and goes on where strands play on when it stops."""
        self.clock = self.transport.clock
        self.own = OwnTimes(self, self)
        self.graph = Graph(outputs, seed, self.clock, self.endless.clock, self.own)
        self.now = 0.0
        self.audio = AudioFeeds(self, self, self.graph, self.endless, hearing)
        self._seconds: list[tuple[float, int, Due]] = []
        self._order = count()
        self._injected: Inputs = {}
        self.players = Players(Room(self, self, self.graph), self, self.own)
        self.own.carry(self.graph, self.players)
        self.clocks = OutsideClocks(self, self, self._send_clock, self._clock_in, self.nudge)
        self.overlay = Overlay(self, self.graph, self.go_on, self._on_turned)
        self.sections = SectionPlayer(self, self.overlay, self.graph)
        self.hooks = Hooks(self, self.overlay, self.sections, self.graph)
        self.arrivals = Arrivals(self.hooks, self._move_on)
        self.takes = Takes(self, self, self.graph, self.overlay)
        self._plans = self._planning(Project())
        self._told: TimeFacts | None = None
        self._led_elsewhere = False
        """Whether whoever leads JACK's transport says the tempo."""
        self.on_moved: Callable[[float, float], None] = lambda time, beat: None
        """Is told of every place that the transport is set to without being started or stopped: when, and the beat."""

    # -- what is due -------------------------------------------------------------------------------

    def at_time(self, time: float, due: Due) -> None:
        """Call ``due`` at a time in seconds."""
        heapq.heappush(self._seconds, (time, next(self._order), due))

    def next_due(self) -> float:
        """When something happens next by itself (infinity: never)."""
        return min(self._next_planned()[0], self.graph.due())

    def _next_planned(self) -> tuple[float, Due]:
        """When what plans ahead does something next, and what; what stages put off needs no plan."""
        soonest: float = math.inf
        does: Due = _nothing
        for due, do in self._plans:
            time = due()
            if time < soonest:
                soonest, does = time, do
        return soonest, does

    def _planning(self, project: Project) -> Plans:
        """What plans ahead with a document; of those due together the first goes first."""
        plans: Plans = [(self._next_second, self._do_second), (self.transport.next_due, self.transport.do)]
        plans.append((self.own.next_due, self.own.do))
        plans = self.clocks.plans(project) + plans
        if project.sections:
            plans.insert(-3, (self.sections.due, self.sections.turn))
        if self._plays_on():
            plans.append((self.endless.next_due, self.endless.do))
        if self.hooks.any:
            plans.append((self.hooks.due, _nothing))
        return plans

    def feed(self, name: str, event: Event) -> None:
        """Let an event arrive from outside, to be worked on by the next :meth:`run`."""
        self.arrivals.feed(name, event)

    def run(self, until: float) -> None:
        """Do all that is due up to ``until`` seconds, in order of time."""
        self.run_to(lambda: until)

    def run_to(self, end: Callable[[], float]) -> None:
        """Do all that is due up to an end, in order of time.

        Args:
            end: the second at which to stop. It is asked before each step, since a change of tempo moves it.
        """
        while True:
            until = end()
            planned, do = self._next_planned()
            due = min(planned, until)
            next_input = self.arrivals.next_time()
            if next_input <= due:
                if not self.hooks.any:
                    self._take_in(due)
                    continue
                # A hookup changes what comes after it, so with hookups every moment is taken by itself, once all that
                # was due before is done; what stages did then may have changed the plans.
                moment = max(self.now, next_input)
                before = math.nextafter(moment, -math.inf)
                if self.graph.due() < moment and self.now < before:
                    self.catch_up(before)  # once: a step may fall only when time has moved past it
                else:
                    self._take_in(moment)
            elif planned <= until:
                self.catch_up(planned)
                if self.hooks.any:
                    # What stages did on the way may have changed the plans.
                    due, do = self._next_planned()
                    if due > planned:
                        continue
                do(self.now)
                if self._injected:
                    inputs, self._injected = self._injected, {}
                    self.graph.push(inputs, self.now)
                    self.hooks.signals(self.now)
            else:
                break
        self.catch_up(until)

    def catch_up(self, until: float) -> None:
        """Let stages emit what they put off up to a time, which has come then."""
        moves = self.graph.due() <= until
        if moves:
            self.graph.push({}, until)
        self.now = max(self.now, until)
        if moves:
            self.hooks.signals(self.now)

    def _next_second(self) -> float:
        return self._seconds[0][0] if self._seconds else math.inf

    def _do_second(self, time: float) -> None:
        heapq.heappop(self._seconds)[2](time)

    def inject(self, name: str, events: Sequence[Event]) -> None:
        """Let events of a feed enter, together with all else that is due at this moment."""
        self._injected.setdefault(name, []).extend(events)

    def _take_in(self, until: float) -> None:
        """Push everything that arrived up to ``until`` as one batch."""
        inputs = self.arrivals.take(until, self.now)
        self.now = max(self.now, until)
        self.graph.push(inputs, self.now)
        self.hooks.signals(self.now)

    def _move_on(self, inputs: Inputs, time: float) -> None:
        """Push what came before a moment, which is then."""
        if inputs:
            self.graph.push(inputs, time)
        self.now = max(self.now, time)

    def lost(self, name: str, time: float) -> None:
        """A feed is gone or stops: end the keys that it holds."""
        time = max(time, self.now)
        ends = self.arrivals.let_go(name, time)
        if ends:
            self.graph.push(ends, time)
        self.graph.release_feed(name, time)

    # -- the document ------------------------------------------------------------------------------

    def apply(
        self,
        document: Project,
        clips: Mapping[str, Clip],
        time: float,
        sounds: Mapping[str, AudioFile] | None = None,
        revision: int | None = None,
    ) -> None:
        """Take over a document, and the clips and sounds that it names.

        Args:
            revision: the number of the document; from its strands on, outputs are told of it.

        Raises:
            DocumentError: the document cannot be worked out; the old one stays at work.
        """
        time = max(time, self.now)
        before = self.graph.project
        project = self.overlay.laid_over(document)
        with self.own.taking(project, time):
            self.graph.apply(project, time, revision)
        self.overlay.use(document)
        self.hooks.use(document)
        self.clocks.configure(project, time)
        self._go_at_own_tempo(time)
        self.audio.configure(project, time, sounds or {})
        self.players.configure(project, clips, time)
        if not self.clock.playing and not self._plays_on():
            self._end_endless(time)
        self.sections.configure(before, time)
        self._plans = self._planning(document)
        self.tell_time(time)

    def set_clips(self, clips: Mapping[str, Clip], time: float) -> None:
        """Clips that the document names were read."""
        self.players.configure(self.graph.project, clips, max(time, self.now))

    def go_on(self, project: Project, targets: Sequence[Target], time: float) -> None:
        """Go on with a document in which these values are others; what is set in one stage alone goes a short way."""
        name, key = targets[0]
        found = project.find_stage(name) if len(targets) == 1 else None
        if found is not None and key != "bypass":
            self.set_params(name, found[1].params)
            self.graph.project = project
            return
        if any(target != _TEMPO for target in targets):
            with self.own.taking(project, self.now):
                self.graph.apply(project, self.now)
            if any(name in self.audio for name, _ in targets):
                self.audio.configure(project, self.now)
            if any(project.strand(name) is not None or project.clip(name) is not None for name, _ in targets):
                self.players.follow(project, self.now)
                self._plans = self._planning(project)
        self.graph.project = project
        if _TEMPO in targets and not self.clocks.follower.on:
            self.set_tempo(time, project.tempo)
        self.tell_time(time)

    def _on_turned(self, target: Target) -> None:
        """Something was turned: a section, or that by which their bars are counted, has others begin elsewhere;
        a tempo that is on its way is given up."""
        project = self.graph.project
        if target in _METER or (target[0] and section_of(project, target[0])):
            self.sections.configure(project, self.now)
        elif target == _TEMPO:
            self.sections.on_tempo_turned(self.now)

    def set_params(self, stage_id: str, values: Mapping[str, object]) -> None:
        """The short cut for a knob that is dragged: new values for a stage or a source, whole ones or parts."""
        values = self.overlay.over(stage_id, self._whole(stage_id, values))
        if stage_id in self.audio:
            self.audio.set_params(stage_id, values)
        else:
            self.own.set_params(stage_id, values, self.now)
            self.graph.set_params(stage_id, values, self.now)

    def _whole(self, stage_id: str, values: Mapping[str, object]) -> Mapping[str, object]:
        """Values in which those that are given by the address of a part are whole."""
        found = self.graph.project.find_stage(stage_id)
        if found is None or not any("." in key for key in values):
            return values
        params, now = processor_class(found[1].kind).params, found[1].params
        return {**now, **check_params(params, values, f"“{stage_id}”", now)}

    def command(self, stage_id: str, act: str, value: float | None, time: float) -> None:
        """Have a stage or generator do something, such as ``start`` (so many rounds) or ``stop``."""
        time = max(time, self.now)
        self.catch_up(time)
        self.graph.command(stage_id, act, value, time)
        self.players.command(stage_id, act, value, time)

    @property
    def waiting(self) -> list[str]:
        """Generators, stages and clips that were asked for something, and wait for their line."""
        return [*self.graph.waiting, *self.players.waiting(self.now)]

    # -- transport ---------------------------------------------------------------------------------

    def is_on(self, part: str) -> bool:
        """Whether an action started a generator, stage or clip."""
        run = getattr(self.graph.find(part), "run", None)
        return bool(run is not None and run.on) or self.players.is_on(part)

    def play(self, time: float, beat: float | None = None) -> None:
        """Start the transport from ``beat`` (or from where it rests); random draws begin anew."""
        time = max(time, self.now)
        if self.clock.playing:
            self.stop(time)
        self._end_endless(time)
        beat = self.clock.beat if beat is None else beat
        self._set_off(self.endless, time, beat)
        self.sections.on_locate(beat, time)
        self._set_off(self.transport, time, beat)

    def stop(self, time: float) -> None:
        """Stop the transport; what clips hold is let go. Strands that play on do so, until a second stop."""
        time = max(time, self.now)
        ended = not self.clock.playing or not self._plays_on()
        self._rest(self.transport, time)
        self.sections.on_halt()
        if ended:
            self._end_endless(time)

    def jump(self, time: float, line: float, beat: float) -> None:
        """Go on from another beat, which falls on ``line`` seconds; strands that play on do not notice."""
        self._rest(self.transport, time, jumps=True)
        self._set_off(self.transport, line, beat)
        self.on_moved(line, beat)

    def _set_off(self, line: Timeline, time: float, beat: float) -> None:
        """Run a timeline from a beat, with all that it carries."""
        self.graph.restart(endless=line is self.endless)
        line.clock.start(time, beat)
        self.players.start(line, beat)
        self.own.start(line, time, beat)
        self.audio.roll(line, time)
        if line is self.transport:
            self.clocks.start(beat, time)
            self.tell_time(time)

    def _rest(self, line: Timeline, time: float, jumps: bool = False) -> None:
        """Rest a timeline, and all that it carries; if it ``jumps`` it goes on at once."""
        if line is self.transport and line.clock.playing:
            self.clocks.stop(line.clock.beat_at(time), time)
        line.clock.stop(time)
        self.players.stop(line, time)
        self.own.stop(line, time)
        self.audio.stop(line, time)
        self.graph.on_halt(time, endless=line is self.endless, jumps=jumps)
        if line is self.transport:
            self.tell_time(time)

    def set_tempo(self, time: float, tempo: float) -> None:
        """Go on at another tempo: what it makes due is due from now on."""
        self.graph.caught_up(time)
        self.clock.set_tempo(time, tempo)
        self.endless.clock.set_tempo(time, tempo)
        self.own.set_tempo(time)
        self.tell_time(time)

    def _clock_in(self, port: str) -> tuple[bool, float]:
        return self.sections.clock_in(port)

    def turn_clocks(self, beat: float, time: float) -> None:
        """Have the clocks that are sent do what the section that holds says, from a beat on."""
        self.clocks.sender.turn(beat, time)

    def tell_time(self, time: float) -> None:
        """Tell the outputs what holds of time from a moment on, if that is another thing than what was told."""
        clock, project, place = self.clock, self.graph.project, self.sections.place
        clock.set_bars(time, clock.origin, bar_beats(project.meter))
        facts = TimeFacts(
            time,
            clock.beat_at(time),
            clock.tempo,
            clock.playing,
            clock.origin,
            1 + sum(section.bars for section in project.sections[: max(0, place)]),
            project.meter,
            project.key,
            project.sections[place].name if 0 <= place < len(project.sections) else "",
        )
        if self._told is None or facts.tells_more_than(self._told):
            self._told = facts
            self.graph.outputs.timed(facts)

    @property
    def is_led(self) -> bool:
        """Whether something from outside leads the tempo: a MIDI clock, or whoever leads JACK's transport."""
        return self.clocks.follower.on or self._led_elsewhere

    def go_along(self, time: float, tempo: float) -> None:
        """Go at the tempo of whoever leads JACK's transport."""
        self._led_elsewhere = True
        self.set_tempo(time, tempo)

    def go_alone(self, time: float) -> None:
        """Nobody leads JACK's transport for us any more: go at the document's tempo."""
        self._led_elsewhere = False
        self._go_at_own_tempo(time)

    def _go_at_own_tempo(self, time: float) -> None:
        tempo = self.graph.project.tempo
        if tempo != self.clock.tempo and not self.is_led and not self.sections.turns_tempo:
            self.set_tempo(time, tempo)

    def _plays_on(self) -> bool:
        """Whether some strand goes on when the transport stops."""
        return any(strand.plays_on for strand in self.graph.project.strands)

    def _end_endless(self, time: float) -> None:
        """Stop what played on."""
        if self.endless.clock.playing:
            self._rest(self.endless, time)

    def halt(self, time: float) -> None:
        """Stop as the project wants it: where it is, or back at the start."""
        self.stop(time)
        if self.graph.project.on_stop == "start":
            self.locate(time, 0.0)

    def locate(self, time: float, beat: float) -> None:
        """Go to a beat, playing on if it plays."""
        if self.clock.playing:
            self.stop(time)
            self.play(time, beat)
        else:
            self.clock.start(time, beat)
            self.clock.stop(time)
            self.sections.on_locate(beat, time)
            self.clocks.place(beat, time)
            self.tell_time(time)
        self.on_moved(time, beat)

    def all_off(self, time: float) -> None:
        """Silence everything, whatever happened; the transport and any take stop too."""
        time = max(time, self.now)
        if self.clock.playing:
            self.stop(time)
        self._end_endless(time)
        self.takes.stop(time)
        self.arrivals.clear()
        self.graph.silence(time)

    def finish(self, time: float) -> None:
        """The end of a run: every note that still sounds is ended."""
        if self.clock.playing:
            self.stop(max(time, self.now))
        self._end_endless(max(time, self.now))
        self.takes.stop(time)
        self.graph.silence(max(time, self.now), panic=False)

    def _send_clock(self, port: str, events: Sequence[Event]) -> None:
        """Send a clock, as late as all else is where a strand is played early."""
        lead = self.graph.lead
        if not lead:
            self.graph.outputs.port(port, events)
            return
        for event in events:
            self.at_time(event.time + lead, lambda now, event=event: self.graph.outputs.port(port, [event.at(now)]))  # type: ignore[misc]

    def nudge(self, seconds: float) -> None:
        """Let all beats of the piece fall so much earlier: a clock that leads it drifts against the computer's."""
        if self.clock.playing and seconds:
            self.clock.shift(seconds)
            self.clocks.shift(seconds)
            self.own.shift(self.transport, seconds)
            self._told = None
            self.tell_time(self.now)

    # -- from elsewhere ----------------------------------------------------------------------------

    def turn(self, target: Target, value: Any) -> None:
        """Set an address to a value, as a hookup does; one that leads nowhere, or cannot be so, changes nothing."""
        param = param_at(self.graph.project, target)
        if param is not None:
            with contextlib.suppress(ParameterError):
                self.overlay.put(target, param.check(value))

    def act(self, action: str, target: str, value: float | None, time: float) -> None:
        """Do what a hookup can do."""
        self.hooks.do(action, target, value, max(time, self.now))

    def direct(self, strand: str, events: Sequence[Event], time: float) -> None:
        """Send events (at seconds from ``time``) straight to the destinations of a strand, past its stages."""
        time = max(time, self.now)
        for event in events:
            self.at_time(
                time + event.time,
                lambda now, event=event: self.graph.play_direct(strand, [event.at(now)]),  # type: ignore[misc]
            )
