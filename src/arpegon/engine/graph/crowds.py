"""Strands that would make more at once than can be played: what is said of them."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping

from arpegon.core.document.model import Project

_BETWEEN_SECONDS = 1.0


def crowd_words(project: Project, left_out: Mapping[str, int]) -> str:
    """A sentence on each strand that left something out.

    Args:
        left_out: how many events, by strand.
    """
    names = {strand.id: strand.name for strand in project.strands}
    return " ".join(
        f"“{names.get(one, one)}” would make more notes at once than can be played: {count:,} were left out."
        for one, count in left_out.items()
    )


class CrowdWatch:
    """Says of strands at work which of them leave something out, once a second at most.

    Args:
        say: takes the sentences.
    """

    def __init__(self, say: Callable[[str], None]) -> None:
        self._say = say
        self._before: dict[str, int] = {}
        self._looked = -_BETWEEN_SECONDS

    def look(self, project: Project, left_out: Callable[[], Mapping[str, int]]) -> None:
        """Say what is new since the last time; asks for it only where it is time to."""
        now = time.monotonic()
        if now - self._looked < _BETWEEN_SECONDS:
            return
        self._looked = now
        found = left_out()
        more = {one: count for one, count in found.items() if count > self._before.get(one, 0)}
        self._before = dict(found)
        if more:
            self._say(crowd_words(project, more))
