"""Whether it is true: an LFO's edges where they belong, and a render that is what was heard."""

from __future__ import annotations

import random
import tempfile
import time
from collections.abc import Collection, Iterable, Iterator, Sequence
from pathlib import Path
from typing import Any

from arpegon.core.document import edits
from arpegon.core.document.hookup_values import HOOKABLE
from arpegon.core.document.model import (
    GENERATOR_SOURCES,
    Held,
    Hookup,
    Instrument,
    InstrumentDestination,
    Project,
    Section,
    Stage,
    Strand,
    SurfaceSource,
)
from arpegon.core.events import CONTROL, Event, control, note_off, note_on
from arpegon.core.notes.course import TimeFacts
from arpegon.core.notes.taps import Tap
from arpegon.core.processing.parameters import Choice, NoteKey, NoteValue, Number, Param, Switch, check_params
from arpegon.core.time.rhythm import NOTE_VALUES, beats_of
from arpegon.engine.offline import run
from arpegon.engine.simulation import Engine
from arpegon.files.midi import TICKS, Track, write_midi
from arpegon.files.project import save_project
from arpegon.processors import GENERATORS, PROCESSORS
from arpegon.processors.targets import param_at, part_names
from bench.rows import Row

_TEMPO = 97.0
_END = 2e-6
"""A run begins nothing in its last two microseconds (see :mod:`arpegon.engine.offline`)."""

# -- edges -------------------------------------------------------------------------------------------

_RATES = ("1/64", "1/16", "1/8T", "1/8", "1/4D", "1/2", "1 bar", "4 bars")


def _edges() -> Row:
    """Sixteen waves with edges, each on a controller of its own, for ten minutes."""
    waves = [(wave, rate, 20 + 7 * place) for wave in ("square", "hold") for place, rate in enumerate(_RATES)]
    stages = tuple(
        Stage(
            id=f"w{place}",
            kind="lfo",
            params={"wave": wave, "rate": rate, "width": width, "to_number": 70 + place, "seed": place, "most": 200},
        )
        for place, (wave, rate, width) in enumerate(waves)
    )
    made = run(Project(strands=(Strand(id="s", name="S", stages=stages),), tempo=_TEMPO), seconds=600.0).strands["s"]
    worst, count, looked = 0.0, 0, 0.0
    for event in made:
        if event.kind != CONTROL or event.time == 0.0:
            continue
        wave, rate, width = waves[event.data1 - 70]
        beats = event.time * _TEMPO / 60.0
        length = beats_of(rate)
        edges = (0.0, width / 100.0, 1.0) if wave == "square" else (0.0, 1.0)
        edge = min(edges, key=lambda share: abs(beats / length % 1.0 - share))
        worst = max(worst, abs(beats / length % 1.0 - edge) * length * TICKS)
        looked = max(looked, (-event.time % (1.0 / 60.0)) * _TEMPO / 60.0 * TICKS)
        count += 1
    return Row(
        f"LFO: {count:,} edges of 16 waves in ten minutes: the farthest off, of {TICKS} ticks a quarter",
        f"{worst:.3f} ticks",
        f"{looked:.1f} ticks (looked at 60 times a second)",
        "–",
        "within one tick",
        worst < 1.0 and count > 10_000,
    )


# -- live equals offline -----------------------------------------------------------------------------


class Heard:
    """The outputs of an engine: what the instruments and ports got, in order."""

    def __init__(self) -> None:
        self.events: list[Event] = []

    def port(self, port: str, events: Sequence[Event]) -> None:
        self.events += events

    def instrument(self, instrument: str, events: Sequence[Event]) -> None:
        self.events += events

    def printed(self, strand: str, places: tuple[str, ...], events: Sequence[Event]) -> None:
        """Only what leaves counts."""

    def revised(self, revision: int, taps: Collection[Tap], time: float) -> None:
        """There is one document."""

    def timed(self, facts: TimeFacts) -> None:
        """Only what leaves counts."""

    def passed(self, stage: str, event: Event | None, out: Sequence[Event]) -> None:
        """Nobody watches."""


def _drawn(draw: random.Random, params: Iterable[Param]) -> dict[str, Any]:
    """Some values, each as its declaration allows."""
    found: dict[str, Any] = {}
    for param in params:
        if draw.random() < 0.5:
            continue
        match param:
            case Number():
                steps = round((param.high - param.low) / param.step)
                number = param.low + draw.randint(0, steps) * param.step
                found[param.name] = int(number) if param.whole else round(min(param.high, number), 4)
            case Choice():
                found[param.name] = draw.choice(list(param.options))
            case Switch():
                found[param.name] = draw.random() < 0.5
            case NoteValue():
                found[param.name] = draw.choice(NOTE_VALUES[:16])
            case NoteKey():
                found[param.name] = draw.randint(0, 127)
    return found


def random_project(draw: random.Random) -> Project:
    """A strand of random stages, fed by keys and perhaps a generator, in sections, with up to four hookups on them."""
    stages = []
    for place in range(draw.randint(1, 5)):
        kind = draw.choice(sorted(PROCESSORS))
        params = check_params(PROCESSORS[kind].params, _drawn(draw, PROCESSORS[kind].params), kind)
        stages.append(Stage(id=f"x{place}", kind=kind, params=params))
    sources: list[Any] = [SurfaceSource()]
    if draw.random() < 0.4:
        kind = draw.choice(sorted(GENERATORS))
        params = check_params(GENERATORS[kind].params, _drawn(draw, GENERATORS[kind].params), kind)
        sources.append(GENERATOR_SOURCES[kind](id="g", params=params))
    parts: list[Stage] = [*stages, *(source.stage for source in sources[1:])]
    sections = tuple(
        Section(
            id=f"s{place}",
            name=f"S{place}",
            bars=draw.randint(1, 2),
            tempo_within=draw.randint(0, 1),
            tempo_to=draw.choice((None, None, 70.0, 190.0)),
            then=draw.choice(("on", "on", "again", "top")),
            holds=draw.choice(((), (Held(param="meter_beats", value=draw.randint(2, 7)),))),
        )
        for place in range(draw.choice((0, 0, 1, 3)))
    )
    strand = Strand(
        id="a",
        name="A",
        sources=tuple(sources),
        stages=tuple(stages),
        destinations=(InstrumentDestination(instrument="bells", channel=0, delay_ms=draw.choice((0.0, 0.0, 35.0))),),
        offset_ms=draw.choice((0.0, 0.0, 120.0, -80.0)),
    )
    project = Project(
        tempo=draw.choice((83.0, 120.0, 151.5)),
        instruments=(Instrument(id="bells", sound="glass-bells"),),
        strands=(strand,),
        sections=sections,
    )
    count = draw.randint(1, 4)
    hookups = tuple(_hookup(draw, place, draw.choice(parts), project) for place in range(count))
    return edits.set_project(project, hookups=hookups)


def _hookup(draw: random.Random, place: int, part: Stage, project: Project) -> Hookup:
    control_of: dict[str, Any] = {"id": f"h{place}", "number": 20 + place}
    if draw.random() < 0.25:
        tap = f"a/{draw.choice(['in', 'out', *(stage.id for stage in project.strands[0].stages)])}"
        control_of |= {
            "tap": tap,
            "control": draw.choice(("velocity", "cc", "note")),
            "number": draw.choice((1, 20, 60)),
        }
    way = draw.choice(("follow", "toggle", "held", "next"))
    action = draw.choice(("", "", "", "bypass", "mute", "tempo", "to-start"))
    if action == "bypass":
        return Hookup(**control_of, target=part.id, action="bypass", way="toggle")
    if action == "mute":
        return Hookup(**control_of, target="a", action="mute", way="toggle")
    if action == "tempo":
        return Hookup(**control_of, param="tempo", out_low=60.0, out_high=180.0)
    if action == "to-start":
        return Hookup(**control_of, action="to-start", way="trigger")
    kinds = PROCESSORS | GENERATORS
    params = [param.name for param in kinds[part.kind].params if isinstance(param, HOOKABLE)]
    inside = [name for name in part_names(project, part.id) if isinstance(param_at(project, (part.id, name)), HOOKABLE)]
    if inside and draw.random() < 0.3:
        params = inside
    return Hookup(**control_of, target=part.id, param=draw.choice(params), way=way)


def _played(draw: random.Random) -> list[Event]:
    events = []
    for _ in range(draw.randint(2, 16)):
        start, note = round(draw.uniform(0.01, 3.2), 4), draw.randint(48, 76)
        events += [note_on(start, 0, note, draw.randint(1, 127)), note_off(start + draw.uniform(0.02, 0.7), 0, note)]
    events += [
        control(round(draw.uniform(0.01, 3.9), 4), 0, 20 + draw.randint(0, 3), draw.randint(0, 127)) for _ in range(14)
    ]
    return sorted(events, key=lambda event: event.time)


def live(project: Project, played: Sequence[Event], seconds: float, draw: random.Random) -> list[Event]:
    """What leaves an engine that is woken at any moments, and is given what is played when it is played."""
    heard = Heard()
    engine = Engine(heard)
    engine.apply(project, {}, 0.0)
    engine.play(0.0, 0.0)
    now = 0.0
    for event in played:
        while draw.random() < 0.6:
            now += (event.time - now) * draw.random()
            engine.run(now)
        engine.feed("surface", event)
    while now < seconds - _END:
        now = min(seconds - _END, now + draw.random() * 0.2)
        engine.run(now)
    engine.stop(seconds)
    engine.run(seconds)
    end = seconds + engine.graph.longest_delay
    engine.run(end)
    engine.finish(end)
    return heard.events


def differing(count: int, seed: str = "tide") -> Iterator[int]:
    """The numbers of the random projects whose render is not what was heard."""
    for number in range(count):
        draw = random.Random(f"{seed}/{number}")
        project, played = random_project(draw), _played(draw)
        heard = live(project, played, 4.0, draw)
        if [event for _, event in run(project, played, seconds=4.0).instruments] != heard:
            yield number


def _alike(count: int = 1000) -> Row:
    found = list(differing(count))
    return Row(
        f"Live and offline: differences over {count:,} random projects with hookups, woken at any moments",
        f"{len(found)}" + (f" (the first is number {found[0]})" if found else ""),
        "0",
        "–",
        "none",
        not found,
    )


# -- a long render -----------------------------------------------------------------------------------


def _long_render() -> Row:
    """``render --midi-in`` of half an hour with 93,000 notes through three stages, from reading to writing."""
    from click.testing import CliRunner

    from arpegon.cli import main

    draw = random.Random("harbour")
    events: list[Event] = []
    for place in range(93_000):
        start, note = place * 1800.0 / 93_000, draw.randint(36, 84)
        events += [note_on(start, 0, note, draw.randint(30, 120)), note_off(start + draw.uniform(0.02, 0.4), 0, note)]
    events.sort(key=lambda event: event.time)
    stages = (
        Stage(id="h", kind="humanize"),
        Stage(id="s", kind="scale", params={"root": "D", "scale": "dorian"}),
        Stage(id="c", kind="chord", params={"offsets": [7]}),
    )
    strand = Strand(
        id="a",
        name="A",
        sources=(SurfaceSource(),),
        stages=stages,
        destinations=(InstrumentDestination(instrument="bells", channel=0),),
    )
    project = Project(instruments=(Instrument(id="bells", sound="glass-bells"),), strands=(strand,))
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        save_project(project, folder / "long.arpegon")
        write_midi(folder / "played.mid", [Track("played", events)], 120.0)
        began = time.perf_counter()
        arguments = ["render", str(folder / "long.arpegon"), "--midi-in", str(folder / "played.mid")]
        result = CliRunner().invoke(main, [*arguments, "--midi", str(folder / "made.mid")], catch_exceptions=False)
        seconds = time.perf_counter() - began
        assert result.exit_code == 0 and (folder / "made.mid").stat().st_size > 500_000
    return Row(
        "`render --midi-in` of 30 minutes with 93,000 notes through three stages",
        f"{seconds:.1f} s",
        "–",
        f"{1800.0 / seconds:.0f} times as fast as played",
        "under 20 s",
        seconds < 20.0,
    )


def rows() -> list[Row]:
    """All of them."""
    return [_edges(), _alike(), _long_render()]
