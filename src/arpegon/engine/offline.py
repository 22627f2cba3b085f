"""The engine offline: from a document and what is played to what comes out, as fast as it goes."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from typing import Any, Protocol

import msgspec

from arpegon.core.document.model import AudioSource, ClipSource, MidiSource, Project, SurfaceSource
from arpegon.core.document.sections import seconds_of
from arpegon.core.events import CONTROL, NOTE_OFF, NOTE_ON, Event, note_on
from arpegon.core.notes.course import Course, TimeFacts, course_of
from arpegon.core.notes.taps import IN, OUT, Tap
from arpegon.core.time.own_tempo import OwnTempo
from arpegon.engine.simulation import Engine
from arpegon.files.audio import AudioFile
from arpegon.files.midi import Clip

_KNOWN_SECONDS = 1.0
"""How often whoever makes sound meanwhile is told how far a run is."""
_PARTS = 40
"""In how many parts a run is done of which somebody wants to know how far it is."""
_END = 2e-6
"""Seconds before the end of a run up to which things begin."""
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
    lead: float = 0.0
    """By how many seconds what left to outlets is later, because some strand is played early."""
    seconds: float = 0.0
    """When the last thing ended."""
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
    """The outputs of an offline run."""

    def __init__(self) -> None:
        self.result = Result()

    def port(self, port: str, events: Sequence[Event]) -> None:
        self.result.ports.setdefault(port, []).extend(events)

    def instrument(self, instrument: str, events: Sequence[Event]) -> None:
        self.result.batches.append((instrument, list(events)))

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


def length_seconds(
    project: Project,
    played: Sequence[Event],
    clips: Mapping[str, Clip],
    bars: float | None = None,
    seconds: float | None = None,
    heard: Iterable[AudioFile] = (),
) -> float:
    """How long a run lasts: what was asked for, else until the sections, the input, each clip and each sound have
    ended once."""
    if seconds is not None:
        return seconds
    if bars is not None:
        return seconds_of(project, bars)
    piece = seconds_of(project, None)
    return max(
        [
            piece,
            *_clip_seconds(project, clips),
            *(event.time for event in played[-1:]),
            *(sound.seconds for sound in heard),
        ]
    )


def _clip_seconds(project: Project, clips: Mapping[str, Clip]) -> Iterator[float]:
    """How long each clip lasts, at the tempo that its source plays it at."""
    for source in (source for strand in project.strands for source in strand.sources if isinstance(source, ClipSource)):
        own_music = [Clip(source.music.events, source.music.beats)] if source.music is not None else []
        for clip in (*own_music, *(clips[file] for file in source.files if file in clips)):
            own = OwnTempo.of(msgspec.structs.asdict(source))
            tempo = project.tempo if own is None else own.tempo(project.tempo)
            yield clip.beats * 60.0 / tempo if source.follow_tempo else clip.tempo_map.second_at(clip.beats)


def run(
    project: Project,
    played: Sequence[Event] = (),
    clips: Mapping[str, Clip] | None = None,
    *,
    seconds: float,
    seed: int | None = None,
    sounds: Mapping[str, AudioFile] | None = None,
    heard: AudioFile | None = None,
    tail: float = 0.0,
    tempi: Sequence[tuple[float, float]] = (),
    progress: Callable[[float], None] | None = None,
    observer: Observer | None = None,
) -> Result:
    """Run a project from its start.

    Args:
        played: what the play surface and every MIDI input send, at seconds, in order.
        clips: the clips that the project names, by file.
        seconds: when the transport stops; where there is no ``tail``, everything that still sounds is ended.
        seed: overrules the seeds of all stages.
        sounds: the files of audio sources, by name.
        heard: what every audio source hears, once, instead of its own input or file.
        tail: for how many seconds more stages may end what they began, with no key down.
        tempi: tempi, and from which second on they hold, whatever the project says.
        progress: told how much of it is done, 0 ... 1.
        observer: who follows it.
    """
    project = heard_alike(project)
    if heard is not None:
        project, sounds = hearing(project, heard)
    collector = Collector()
    engine = Engine(collector, seed)
    engine.apply(project, clips or {}, 0.0, sounds)
    for second, tempo in tempi:
        engine.at_time(second, lambda now, tempo=tempo: engine.set_tempo(now, tempo))  # type: ignore[misc]
    engine.play(0.0, 0.0)
    engine.arrivals.score("surface", played)
    if observer is not None:
        observer.begin(collector.result)
    parts = _PARTS if progress is not None else 1
    parts = max(parts, round(seconds / _KNOWN_SECONDS)) if observer is not None else parts
    for part in range(1, parts):
        until = part / parts * max(0.0, seconds - _END)
        engine.run(until)
        if progress is not None:
            progress(part / parts)
        if observer is not None:
            observer.advance(until)
    # What falls on the very end belongs to the bar that begins there, but for what was played.
    engine.run(max(0.0, seconds - _END))
    if tail:
        engine.lost("surface", seconds)
    engine.stop(seconds)
    end = seconds + engine.graph.longest_delay
    engine.run(end)
    if tail:
        until = end + tail
        while (due := engine.next_due()) <= until:
            engine.run(math.nextafter(due, math.inf))
        if engine.graph.sounding or _begins_after(collector.result, until - tail / 4):
            # It would go on for ever, as what latches does: it ends with the rest.
            if observer is not None:
                observer.give_up()
            return run(project, played, clips, seconds=seconds, seed=seed, sounds=sounds, heard=heard, tempi=tempi)
        _forget_endless(collector.result, seconds, until - tail / 4)
    engine.finish(max(end, engine.now))
    result = collector.result
    result.lead = engine.graph.lead
    result.left_out = engine.graph.left_out
    result.seconds = max([seconds, *(event.time for _, events in _lists(result) for event in events[-1:])])
    if observer is not None:
        observer.end()
    return result


def _lists(result: Result) -> Iterator[tuple[str, list[Event]]]:
    """All that left."""
    yield from result.ports.items()
    yield from result.strands.items()
    yield from result.batches


def _begins_after(result: Result, second: float) -> bool:
    """Whether a note begins later than a second."""
    return any(event.time > second and event.kind == NOTE_ON for _, events in _lists(result) for event in events[-64:])


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
