"""The engine offline: from a document and what is played to what comes out, as fast as it goes."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from typing import Any, Protocol

import msgspec

from arpegon.core.document.model import AudioSource, MidiSource, Project, SurfaceSource
from arpegon.core.errors import ArpegonError
from arpegon.core.events import CONTROL, NOTE_OFF, NOTE_ON, Event, note_on
from arpegon.core.notes.course import Course, TimeFacts, course_of
from arpegon.core.notes.pairing import Pairing, note_key
from arpegon.core.notes.taps import IN, OUT, Tap
from arpegon.core.processing.parameters import NoteValue, with_defaults
from arpegon.core.time.rhythm import beats_of
from arpegon.engine.ending import Ending
from arpegon.engine.simulation import Engine
from arpegon.files.audio import AudioFile
from arpegon.files.midi import Clip
from arpegon.processors import processor_class

_KNOWN_SECONDS = 1.0
"""How often whoever makes sound meanwhile is told how far a run is."""
_PARTS = 40
"""In how many parts a run is done of which somebody wants to know how far it is."""
_END = 2e-6
"""Seconds before the end of a run up to which things begin."""
_TAIL_SECONDS = 12.0
"""Longer than any time that a stage takes which is set in seconds."""
_HEARD = "what is heard"


class Result(msgspec.Struct):
    """What a run brought: events by what they left through, in order."""

    strands: dict[str, list[Event]] = {}
    """What left each strand, after its last stage."""
    played: dict[str, list[Event]] = {}
    """What entered each strand."""
    batches: list[tuple[str, list[Event]]] = []
    """What the instruments got, batch by batch."""
    ports: dict[str, list[Event]] = {}
    """Events sent to each MIDI output."""
    end: float = 0.0
    """The second at which the transport stopped,"""
    seconds: float = 0.0
    """and that at which the last note ended."""
    left_out: dict[str, int] = {}
    """By strand, how many events were left out because there were too many at once."""
    facts: list[TimeFacts] = []
    """What held of time, in the order in which it was said."""

    @property
    def instruments(self) -> list[tuple[str, Event]]:
        """What the instruments got, each event with its instrument."""
        return [(name, event) for name, events in self.batches for event in events]


class Observer(Protocol):
    """Who makes something of a run while it goes on."""

    def begin(self, result: Result) -> None:
        """It begins; batches will be added to what it brought."""

    def advance(self, until: float) -> None:
        """All is known that happens before a moment."""

    def end(self) -> None:
        """All is known."""

    def give_up(self) -> None:
        """What was known is not so: it is done anew, and nobody is told."""


class Collector:
    """The outputs of an offline run. Everything lies where it was meant: as if no strand were early."""

    def __init__(self) -> None:
        self.result = Result()
        self.lead: Callable[[], float] = lambda: 0.0
        """Seconds by which everything leaves later, because some strand is played early."""

    def _meant(self, events: Sequence[Event]) -> list[Event]:
        lead = self.lead()
        return [event.at(max(0.0, event.time - lead)) for event in events] if lead else list(events)

    def port(self, port: str, events: Sequence[Event]) -> None:
        self.result.ports.setdefault(port, []).extend(self._meant(events))

    def instrument(self, instrument: str, events: Sequence[Event]) -> None:
        self.result.batches.append((instrument, self._meant(events)))

    def printed(self, strand: str, places: tuple[str, ...], events: Sequence[Event]) -> None:
        for place, found in ((IN, self.result.played), (OUT, self.result.strands)):
            if place in places:
                found.setdefault(strand, []).extend(events)

    def revised(self, revision: int, taps: Collection[Tap], time: float) -> None:
        """Offline there is one document."""

    def timed(self, facts: TimeFacts) -> None:
        self.result.facts.append(facts)

    def passed(self, stage: str, event: Event | None, out: Sequence[Event]) -> None:
        """Nobody watches offline."""


def heard_alike(project: Project) -> Project:
    """The project with every MIDI source taken as the play surface: offline both are fed by one file."""

    def taken(sources: Iterable[Any]) -> tuple[Any, ...]:
        found: list[Any] = []
        for source in sources:
            if isinstance(source, MidiSource):
                zone = msgspec.structs.asdict(source)
                zone.pop("port")
                source = SurfaceSource(**zone)
            if source not in found:
                found.append(source)
        return tuple(found)

    strands = tuple(msgspec.structs.replace(strand, sources=taken(strand.sources)) for strand in project.strands)
    hookups = tuple(
        msgspec.structs.replace(one, feed="" if one.feed.startswith("midi:") else one.feed) for one in project.hookups
    )
    return msgspec.structs.replace(project, strands=strands, hookups=hookups)


def hearing(project: Project, sound: AudioFile) -> tuple[Project, dict[str, AudioFile]]:
    """The project with all its audio sources hearing one sound, once, and its files."""
    strands = tuple(
        msgspec.structs.replace(
            strand,
            sources=tuple(
                msgspec.structs.replace(source, file=_HEARD, loop=False) if isinstance(source, AudioSource) else source
                for source in strand.sources
            ),
        )
        for strand in project.strands
    )
    return msgspec.structs.replace(project, strands=strands), {_HEARD: sound}


def run(
    project: Project,
    played: Sequence[Event] = (),
    clips: Mapping[str, Clip] | None = None,
    *,
    seconds: float | None = None,
    bars: float | None = None,
    on_beats: bool = False,
    seed: int | None = None,
    sounds: Mapping[str, AudioFile] | None = None,
    heard: AudioFile | None = None,
    tail: bool = False,
    tempi: Sequence[tuple[float, float]] = (),
    longest: float = math.inf,
    progress: Callable[[float], None] | None = None,
    observer: Observer | None = None,
) -> Result:
    """Run a project from its start.

    Args:
        played: what the play surface and every MIDI input send, in order.
        clips: the clips that the project names, by file.
        seconds: when the transport stops.
        bars: after how many bars it stops. With neither it stops when everything has been played once.
        on_beats: the times of ``played`` are quarter notes gone by, not seconds.
        seed: overrules the seeds of all stages.
        sounds: the files of audio sources, by name.
        heard: what every audio source hears, once, instead of its own input or file.
        tail: whether stages may end what they began, with no key down, after the transport has stopped. Otherwise
            everything that still sounds is ended.
        tempi: tempi, and after how many quarter notes each begins, whatever the project says.
        longest: the most seconds that it may last.
        progress: told how much of it is done, 0 ... 1.
        observer: who follows it.

    Raises:
        ArpegonError: it would last longer than ``longest``, or nothing says how long it is.
    """
    project = heard_alike(project)
    if heard is not None:
        project, sounds = hearing(project, heard)
    sounding = [heard] if heard is not None else (sounds or {}).values()
    last = played[-1].time if played else 0.0
    rests = max([0.0 if on_beats else last, *(sound.seconds for sound in sounding)])

    def once(lead: float, endless: Collection[str], observer: Observer | None) -> Result:
        collector = Collector()
        engine = Engine(collector, seed)
        engine.graph.least_lead = lead
        collector.lead = lambda: engine.graph.lead
        ending = Ending(
            engine,
            seconds=seconds,
            bars=bars,
            clips=clips or {},
            rests=rests,
            last_beat=last if on_beats else 0.0,
            longest=longest,
        )
        engine.apply(project, clips or {}, 0.0, sounds)
        if observer is not None:
            observer.begin(collector.result)
        engine.graph.least_lead = engine.graph.lead
        engine.play(0.0, 0.0)
        engine.audio.plays_through = heard is not None
        engine.arrivals.score("surface", played, engine.clock if on_beats else None)
        if ending.second() <= 0.0:
            raise ArpegonError(
                f"“{project.title}” has neither sections nor clips that would say how long it is: "
                "give --bars or --seconds."
            )
        _perform(engine, ending, tempi, progress, observer)
        collector.result.end = ending.second()
        end = _end(engine, collector.result.end, endless, with_tail=tail, with_input=not ending.is_asked)
        if tail:
            _end_what_began(engine, collector.result, end)
        engine.finish(max(end, engine.now))
        if engine.graph.most_lead > engine.graph.least_lead:
            raise _Again(lead=engine.graph.most_lead)
        result = collector.result
        result.left_out = engine.graph.left_out
        result.seconds = max([end, *(event.time for _, events in _lists(result) for event in events[-1:])])
        if observer is not None:
            observer.end()
        return result

    lead, endless = 0.0, frozenset[str]()
    while True:
        try:
            return once(lead, endless, observer)
        except _Again as again:
            lead, endless = max(lead, again.lead), endless | again.endless
            if observer is not None:
                observer.give_up()
                observer = None


class _Again(Exception):
    """A run has to be repeated, because of something that is known only once it is over.

    Args:
        lead: the seconds by which everything has to leave later, because a strand became early in mid-run.
        endless: strands that would go on for ever.
    """

    def __init__(self, lead: float = 0.0, endless: frozenset[str] = frozenset()) -> None:
        self.lead = lead
        self.endless = endless


def _perform(
    engine: Engine,
    ending: Ending,
    tempi: Sequence[tuple[float, float]],
    progress: Callable[[float], None] | None,
    observer: Observer | None,
) -> None:
    """Run up to the end, and stop on the way for tempi and for those who follow the run."""
    clock = engine.clock
    waiting = deque(tempi)
    while engine.now < (last := max(0.0, ending.second() - _END)):
        step = last / _PARTS if progress is not None else math.inf
        pause = engine.now + (min(step, _KNOWN_SECONDS) if observer is not None else step)

        def until(pause: float = pause) -> float:
            tempo_at = clock.time_passed(waiting[0][0]) if waiting else math.inf
            # What falls on the very end belongs to the bar that begins there.
            return min(pause, tempo_at, max(0.0, ending.second() - _END))

        engine.run_to(until)
        if waiting and clock.time_passed(waiting[0][0]) <= engine.now:
            engine.set_tempo(engine.now, waiting.popleft()[1])
        if progress is not None:
            progress(min(1.0, engine.now / last))
        if observer is not None:
            observer.advance(engine.now - engine.graph.lead)


def _end(engine: Engine, end: float, endless: Collection[str], *, with_tail: bool, with_input: bool) -> float:
    """Stop the transport, and let everything leave that was made by then; the second at which it has left."""
    engine.audio.plays_through = False
    engine.stop(end)
    if not with_input:
        engine.arrivals.keep_keys_out()
    engine.run(end)
    engine.arrivals.end_scores()
    if with_tail:
        engine.lost("surface", end)
    if endless:
        strands = tuple(strand for strand in engine.graph.project.strands if strand.id not in endless)
        engine.graph.apply(msgspec.structs.replace(engine.graph.project, strands=strands), engine.now)
    last = end + engine.graph.longest_delay
    engine.run(last)
    return last


def _end_what_began(engine: Engine, result: Result, end: float) -> None:
    """Let stages end what they began.

    Raises:
        _Again: some strands would go on for ever, as a latched arpeggio does; they have to end with the rest.
    """
    tail = _tail_seconds(engine)
    until = end + tail
    while (due := engine.next_due()) <= until:
        engine.run(math.nextafter(due, math.inf))
    late = until - tail / 4
    endless = frozenset(name for name, events in result.strands.items() if _goes_on(events, late))
    if endless:
        raise _Again(endless=endless)
    _forget_endless(result, end, late)


def _tail_seconds(engine: Engine) -> float:
    """More seconds than stages need to end what they began, with no key down."""
    project, seconds = engine.graph.project, _TAIL_SECONDS
    for stage in (stage for strand in project.strands for stage in strand.stages):
        params = processor_class(stage.kind).params
        values = with_defaults(params, stage.params)
        lengths = [beats_of(values[one.name], project.meter) for one in params if isinstance(one, NoteValue)]
        # Doubled, as a last quarter in which nothing begins shows that nothing goes on for ever.
        seconds += 2.0 * engine.clock.seconds(sum(lengths)) * max(1, values.get("repeats", 1))
    return seconds


def _goes_on(events: Sequence[Event], late: float) -> bool:
    """True if a note begins after the second ``late``, or never ends."""
    open_notes: Pairing[bool] = Pairing()
    for event in events:
        if event.kind == NOTE_ON:
            if event.time > late:
                return True
            open_notes.begin(note_key(event), True)
        elif event.kind == NOTE_OFF:
            open_notes.end(note_key(event))
    return bool(open_notes)


def _lists(result: Result) -> Iterator[tuple[str, list[Event]]]:
    """All that left."""
    yield from result.ports.items()
    yield from result.strands.items()
    yield from result.batches


def _forget_endless(result: Result, end: float, late: float) -> None:
    """Leave out what a stage sends for ever (a wave that runs freely): all of it after the end."""
    endless = {
        (event.status, event.data1 if event.kind == CONTROL else 0)
        for _, events in _lists(result)
        for event in events
        if event.time > late and event.kind not in (NOTE_ON, NOTE_OFF)
    }
    if not endless:
        return
    for _, events in _lists(result):
        events[:] = [
            event
            for event in events
            if event.time <= end or (event.status, event.data1 if event.kind == CONTROL else 0) not in endless
        ]


def course_ahead(project: Project, seconds: float) -> Course:
    """The course of time that a piece takes by itself: its tempi, meters, keys and sections."""
    silent = msgspec.structs.replace(project.clock, send=(), code_to=())
    bare = msgspec.structs.replace(project, strands=(), hookups=(), clock=silent)
    return course_of(run(bare, seconds=seconds).facts, 0.0, seconds)


def crowded(project: Project, clips: Mapping[str, Clip]) -> dict[str, int]:
    """By strand, what would be left out, as too much at once, when ten keys are struck; found by striking them."""
    keys = [note_on(0.0, 0, note, 100) for note in range(55, 65)]
    return run(project, keys, clips, seconds=1.0).left_out
