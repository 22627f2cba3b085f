"""Rebound: a source whose notes are the walls that moving beads bounce off."""

from __future__ import annotations

import math
import random
from collections.abc import Mapping, Sequence
from typing import Any

from arpegon.core.events import Event
from arpegon.core.processing.entries import Entries
from arpegon.core.processing.parameters import Choice, NoteKey, NoteValue, Number, Switch, seed_param
from arpegon.core.processing.processor import Context
from arpegon.core.theory.billiard import Bead
from arpegon.core.time.rhythm import beats_of
from arpegon.processors.sources.generator import VELOCITY, Generator, degree_param, generator_params

MAX_SIDES = 12
_MAX_BEATS = 20_000.0
"""A path is followed for so long at most when it is entered in the middle of the piece."""
_NEAR = 1e-6

WALLS = Entries(
    name="walls",
    label="What walls sound",
    default=[],
    max_count=MAX_SIDES,
    what="wall",
    help="What each wall sounds, from the one right of the top corner, clockwise; the n-th one, the n-th degree.",
    fields=(
        degree_param("The degree of the scale: 1 is the root; 0 takes the number of the wall.", default=0),
        VELOCITY,
        Switch(name="silent", label="Silent", default=False, help="Beads bounce off it without a sound."),
    ),
)


class Rebound(Generator):
    """Beads that move in straight lines inside a polygon; each wall that one meets sounds its degree of the scale.

    Speed and angle make the rhythm; it can fall on a grid. The paths are reckoned exactly from the start of the
    piece (or from the key or action that starts it), so the same seed plays the same music again.
    """

    kind = "rebound"
    label = "Rebound"
    summary = "Beads bounce inside a polygon, and its walls sound."
    params = (
        Number(name="sides", label="Walls", default=5, low=3, high=MAX_SIDES, help="How many walls the polygon has."),
        Number(name="beads", label="Beads", default=2, low=1, high=6, help="How many beads move in it."),
        Number(
            name="speed",
            label="Speed",
            default=1.5,
            low=0.1,
            high=8.0,
            step=0.05,
            unit="radii a beat",
            help="How far a bead goes in a beat; the polygon is two radii wide.",
        ),
        Number(
            name="angle",
            label="Angle",
            default=20,
            low=0,
            high=359,
            unit="°",
            help="Where the first bead sets out for.",
        ),
        Number(
            name="fan",
            label="Fan",
            default=75,
            low=0,
            high=180,
            unit="°",
            help="By how much the angle of each further bead differs from the one before.",
        ),
        Number(
            name="scatter",
            label="Scatter",
            default=20,
            low=0,
            high=100,
            unit="%",
            help="How much the seed moves where beads begin, their angles and their speeds.",
        ),
        seed_param("the same paths"),
        Choice(
            name="time",
            label="Notes fall",
            default="free",
            options={"free": "as they come", "grid": "on a grid"},
            help="When a wall is met, or on the next line of the grid.",
        ),
        NoteValue(name="grid", label="Grid", default="1/16", help="The lines on which notes fall."),
        NoteValue(name="length", label="Length", default="1/8", help="How long each note sounds."),
        Number(
            name="touch",
            label="Touch",
            default=50,
            low=0,
            high=100,
            unit="%",
            help="How much softer a wall sounds that is only grazed.",
        ),
        NoteKey(
            name="base",
            label="Degrees from",
            default=60,
            help="Degree 1 is the root of the scale at this note, or next below it.",
        ),
        WALLS,
        *generator_params(low=24, high=96),
    )

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._beads: list[Bead] = []
        self._path: tuple[Any, ...] = ()
        self._began: float | None = None
        """On which beat of the transport it began; ``None`` while that beat is looked for."""
        self._since = -math.inf
        self._anchor = (0.0, 0.0)
        self._struck = -1
        super().__init__(values, context)

    def on_settings(self) -> None:
        values = self.values
        self._walls = [*WALLS.filled(values["walls"])][: values["sides"]]
        self._walls += WALLS.filled([{}] * (values["sides"] - len(self._walls)))
        self._grid = beats_of(values["grid"], self.context.meter) if values["time"] == "grid" else 0.0
        self._length = beats_of(values["length"], self.context.meter)
        names = ("sides", "beads", "speed", "angle", "fan", "scatter", "seed", "starts", "in_time")
        path = tuple(values[name] for name in names)
        if path != self._path:
            self._path = path
            self.begun(self.seen)

    def _set_out(self) -> list[Bead]:
        """The beads where they begin."""
        values = self.values
        scatter = values["scatter"] / 100.0
        beads = []
        for number in range(values["beads"]):
            draw = self.generator(f"bead {number}")
            x, y = _within(draw, 0.6 * scatter * math.cos(math.pi / values["sides"]))
            angle = values["angle"] + number * values["fan"] + 180.0 * scatter * draw.uniform(-1.0, 1.0)
            speed = values["speed"] * (1.0 + 0.5 * scatter * draw.uniform(-1.0, 1.0))
            beads.append(Bead(values["sides"], speed, x, y, math.radians(angle)))
        return beads

    # -- steps -------------------------------------------------------------------------------------

    def begun(self, time: float) -> None:
        self._beads = self._set_out()
        self._since = time
        self._anchor = (time, 0.0)
        self._began = None
        self._struck = -1

    def look_anew(self) -> None:
        if self.on_beat:
            self.begun(-math.inf if self.values["starts"] == "play" else self._since)

    def _look(self) -> None:
        """Find the beat on which the beads set out, and bring them to where they are by now."""
        clock = self.context.pace
        now = clock.beat_at(max(clock.time_at(clock.beat), self._since))
        if self.values["starts"] == "play":
            self._began = 0.0
            passed = now % _MAX_BEATS if now > _MAX_BEATS else now
            self._began = now - passed
            for bead in self._beads:
                while self._snapped(bead.next.time) < passed - _NEAR:
                    bead.bounce()
        else:
            grid = self._grid or 1.0
            self._began = math.ceil(now / grid - _NEAR) * grid

    def _snapped(self, beat: float) -> float:
        return math.ceil(beat / self._grid - _NEAR) * self._grid if self._grid else beat

    def _next(self) -> Bead | None:
        return min(self._beads, key=lambda bead: self._snapped(bead.next.time), default=None)

    def next_due(self) -> float:
        bead = self._next()
        if bead is None:
            return math.inf
        clock = self.context.pace
        if self.on_beat:
            if not clock.playing:
                return math.inf
            if self._began is None:
                self._look()
                bead = self._next() or bead
            return clock.time_at((self._began or 0.0) + self._snapped(bead.next.time))
        time, beat = self._anchor
        return time + clock.seconds(self._snapped(bead.next.time) - beat)

    def do_next(self, time: float, out: list[Event]) -> None:
        bead = self._next()
        if bead is None:
            return
        beat = self._snapped(bead.next.time)
        # A round of beads is four beats; so many rounds does an action start.
        if self.over(int(beat // 4.0), 1):
            return
        bounce = bead.bounce()
        self._anchor = (time, beat)
        self._struck = bounce.wall
        wall = self._walls[bounce.wall]
        if wall["silent"]:
            return
        softened = 1.0 - self.values["touch"] / 100.0 * (1.0 - bounce.squareness)
        degree = wall["degree"] or bounce.wall + 1
        seconds = self.context.pace.seconds(self._length)
        self.sound(self.degree(degree, self.values["base"]), wall["velocity"] * softened, seconds, time, out)

    def live(self, time: float) -> list[float]:
        clock = self.context.pace
        if not self.running or (self.on_beat and (not clock.playing or self._began is None)):
            return []
        if self.on_beat:
            beat = clock.beat_at(time) - (self._began or 0.0)
        else:
            beat = self._anchor[1] + max(0.0, time - self._anchor[0]) * clock.tempo / 60.0
        places: list[float] = [float(self._struck)]
        for bead in self._beads:
            places += bead.place(max(bead.time, min(beat, bead.next.time)))
        return places

    # -- words -------------------------------------------------------------------------------------

    @classmethod
    def swallows(cls, values: Mapping[str, Any]) -> str | None:
        walls = WALLS.filled(values["walls"])
        if len(walls) >= values["sides"] and all(wall["silent"] for wall in walls[: values["sides"]]):
            return "all its walls are silent"
        return cls.range_swallows(values)

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        beads = "1 bead" if values["beads"] == 1 else f"{values['beads']} beads"
        grid = f" · on {values['grid']}" if values["time"] == "grid" else ""
        return f"{beads} · {values['sides']} walls{grid}"


def _within(draw: random.Random, radius: float) -> tuple[float, float]:
    """A point drawn evenly from a circle."""
    angle, way = draw.uniform(0.0, 2.0 * math.pi), radius * math.sqrt(draw.random())
    return way * math.cos(angle), way * math.sin(angle)


def wall_degrees(values: Mapping[str, Any]) -> Sequence[int]:
    """The degree of each wall, as they sound."""
    walls = WALLS.filled(values["walls"])
    given = [wall["degree"] for wall in walls] + [0] * MAX_SIDES
    return [given[place] or place + 1 for place in range(values["sides"])]
