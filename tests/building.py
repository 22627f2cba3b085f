"""Small projects and event lists for tests."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from itertools import cycle

from arpegon.core.document.model import (
    GENERATOR_SOURCES,
    AudioSource,
    Instrument,
    InstrumentDestination,
    Project,
    Stage,
    Strand,
    SurfaceSource,
)
from arpegon.core.events import NOTE_OFF, NOTE_ON, Event, note_off, note_on
from arpegon.engine.offline import run
from arpegon.processors import GENERATORS
from arpegon.processors.registry import LISTENINGS

BELLS = Instrument(id="bells", sound="glass-bells", level_db=-6.0)


def stage(kind: str, stage_id: str | None = None, bypass: bool = False, **params) -> Stage:
    return Stage(id=stage_id or kind, kind=kind, bypass=bypass, params=params)


def strand(*stages: Stage, strand_id: str = "a", **changes) -> Strand:
    settings = {
        "sources": (SurfaceSource(),),
        "destinations": (InstrumentDestination(instrument="bells", channel=0),),
        **changes,
    }
    return Strand(id=strand_id, stages=stages, **{"name": strand_id.title(), **settings})


def generator(kind: str, source_id: str | None = None, **settings):
    """A source that makes notes by itself; what is no setting of sources is a parameter."""
    made = GENERATOR_SOURCES[kind]
    names = {*made.__struct_fields__}
    params = {key: value for key, value in settings.items() if key not in names}
    zone = {key: value for key, value in settings.items() if key in names}
    return made(id=source_id or kind, **{"params": params, **zone})


def working(kind: str, params: dict) -> Strand:
    """A strand with a stage, or a source, of a kind."""
    if kind in GENERATORS:
        return strand(sources=(generator(kind, "s", params=params),))
    if kind in LISTENINGS:
        return strand(sources=(AudioSource(id="s", listen=kind, params=params),))
    return strand(Stage(id="s", kind=kind, params=params))


def project(*strands: Strand, **changes) -> Project:
    return Project(instruments=(BELLS,), strands=strands, **changes)


def out_of(*chain: Stage, played: Sequence[Event], **changes) -> list[Event]:
    """What leaves a strand of these stages."""
    return run(project(strand(*chain), **changes), list(played), seconds=999.0).strands.get("a", [])


def notes(*pitches: int, velocity: int = 100, gap: float = 0.5, length: float = 0.4) -> list[Event]:
    """One note after another on channel 0."""
    events = []
    for place, pitch in enumerate(pitches):
        events.append(note_on(place * gap, 0, pitch, velocity))
        events.append(note_off(place * gap + length, 0, pitch))
    return events


def cut(samples, sizes: Sequence[int]):
    """Samples in blocks of these sizes, over and over."""
    start = 0
    for size in cycle(sizes):
        if start >= len(samples):
            return
        yield samples[start : start + size]
        start += size


def note_ons(events: Iterable[Event]) -> list[Event]:
    return [event for event in events if event.kind == NOTE_ON]


def pitches(events: Iterable[Event]) -> list[int]:
    return [event.data1 for event in note_ons(events)]


def assert_whole(events: Sequence[Event]) -> None:
    """Every note on is followed by its own note off before the next on of that note; order in time holds."""
    sounding: Counter[tuple[int, int]] = Counter()
    last = float("-inf")
    for event in events:
        assert event.time >= last, f"time ran backwards at {event}"
        last = event.time
        note = (event.channel, event.data1)
        if event.kind == NOTE_ON:
            assert 1 <= event.data2 <= 127 and 0 <= event.data1 <= 127
            assert sounding[note] == 0, f"{event} struck while it sounds"
            sounding[note] += 1
        elif event.kind == NOTE_OFF:
            assert sounding[note] == 1, f"{event} ends what does not sound"
            sounding[note] -= 1
    hanging = [note for note, count in sounding.items() if count]
    assert not hanging, f"notes hang: {hanging}"


class Quiet:
    """Outputs that nobody hears; tests override what they want to know."""

    def port(self, port: str, events: Sequence[Event]) -> None:
        pass

    def instrument(self, instrument: str, events: Sequence[Event]) -> None:
        pass

    def printed(self, strand_id: str, places: tuple[str, ...], events: Sequence[Event]) -> None:
        pass

    def revised(self, revision: int, taps, time: float) -> None:
        pass

    def timed(self, facts) -> None:
        pass

    def passed(self, stage_id: str, event: Event | None, out: Sequence[Event]) -> None:
        pass


class Recording(Quiet):
    """Collects what an engine sends to instruments and ports."""

    def __init__(self) -> None:
        self.out: list[Event] = []

    def port(self, port: str, events: Sequence[Event]) -> None:
        self.out.extend(events)

    def instrument(self, instrument: str, events: Sequence[Event]) -> None:
        self.out.extend(events)
