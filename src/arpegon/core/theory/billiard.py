"""Points that move in straight lines inside a regular polygon and bounce off its walls.

Lengths are in radii of the polygon's circle, time is in whatever unit the speed has (beats, here). Walls are
numbered from the one right of the top corner, clockwise.
"""

from __future__ import annotations

import math
from typing import NamedTuple

_NEAR = 1e-9
_MIN_WAY = 1e-3
"""The least way between two walls, so that a bead in a sharp corner does not bounce without end."""


class Bounce(NamedTuple):
    """A bead meets a wall."""

    time: float
    wall: int
    squareness: float
    """How squarely: 1 head on, 0 along the wall."""


class Bead:
    """One moving point.

    Args:
        sides: of the polygon, at least 3.
        speed: radii a unit of time.
        x, y: where it begins, inside.
        angle: where it goes, in radians.
    """

    def __init__(self, sides: int, speed: float, x: float, y: float, angle: float) -> None:
        self.sides = sides
        self.speed = speed
        self.x, self.y = x, y
        self.time = 0.0
        self._dx, self._dy = math.cos(angle), math.sin(angle)
        self._normals = [_normal(sides, wall) for wall in range(sides)]
        self._reach = math.cos(math.pi / sides)
        self._last_wall = -1
        self.next = self._next_bounce()

    def place(self, time: float) -> tuple[float, float]:
        """Where it is at a time before its next bounce."""
        way = self.speed * (time - self.time)
        return self.x + way * self._dx, self.y + way * self._dy

    def bounce(self) -> Bounce:
        """Go on to the next wall and turn round there; the bounce that happened."""
        bounce = self.next
        self.x, self.y = self.place(bounce.time)
        self.time = bounce.time
        nx, ny = self._normals[bounce.wall]
        into = self._dx * nx + self._dy * ny
        self._dx -= 2.0 * into * nx
        self._dy -= 2.0 * into * ny
        length = math.hypot(self._dx, self._dy)
        self._dx, self._dy = self._dx / length, self._dy / length
        self._last_wall = bounce.wall
        self._pull_in()
        self.next = self._next_bounce()
        return bounce

    def _next_bounce(self) -> Bounce:
        nearest, wall_hit, squareness = math.inf, 0, 1.0
        for wall, (nx, ny) in enumerate(self._normals):
            into = self._dx * nx + self._dy * ny
            if into <= _NEAR or wall == self._last_wall:
                continue
            way = (self._reach - (self.x * nx + self.y * ny)) / into
            if way < nearest:
                nearest, wall_hit, squareness = max(way, 0.0), wall, into
        return Bounce(self.time + max(nearest, _MIN_WAY) / self.speed, wall_hit, squareness)

    def _pull_in(self) -> None:
        """Rounding, or the least way, may have carried it beyond a wall."""
        for nx, ny in self._normals:
            beyond = self.x * nx + self.y * ny - self._reach
            if beyond > 0.0:
                self.x -= beyond * nx
                self.y -= beyond * ny


def corner(sides: int, number: int) -> tuple[float, float]:
    """A corner, from the top clockwise (y runs down, as on screens)."""
    angle = 2.0 * math.pi * number / sides - math.pi / 2.0
    return math.cos(angle), math.sin(angle)


def _normal(sides: int, wall: int) -> tuple[float, float]:
    angle = 2.0 * math.pi * (wall + 0.5) / sides - math.pi / 2.0
    return math.cos(angle), math.sin(angle)
