"""The course that a piece takes if it is played from its start on, worked out beside the loop."""

from __future__ import annotations

import threading
from collections.abc import Callable

from arpegon.core.document.model import Project
from arpegon.core.document.sections import seconds_of
from arpegon.core.notes.course import Course
from arpegon.engine.clocks.outside import planned_for, without_sections
from arpegon.engine.offline import course_ahead

_BEYOND_SECONDS = 60.0
"""How far beyond its sections the course of a piece is known."""


class CoursePlan:
    """Keeps the course of the document at work, while anybody goes by it.

    Args:
        soon: has something done by the loop.
        planned: takes the course, in the loop.
    """

    def __init__(self, soon: Callable[[Callable[[float], None]], None], planned: Callable[[Course], None]) -> None:
        self._soon = soon
        self._planned = planned
        self._for: object = None
        self._number = 0
        """Of the document that is planned for: an earlier one's course comes too late."""

    def use(self, project: Project) -> None:
        """The document is another."""
        clock = project.clock
        wanted = planned_for(project)
        if (clock.jack == "off" and not clock.code_to and clock.by != "code") or wanted == self._for:
            return
        self._for = wanted
        self._number += 1
        if project.sections:
            work = threading.Thread(target=self._work, args=(project, self._number), name="plan", daemon=True)
            work.start()
        else:
            self._planned(without_sections(project))

    def _work(self, project: Project, number: int) -> None:
        course = course_ahead(project, seconds_of(project) + _BEYOND_SECONDS)

        def done(now: float) -> None:
            if number == self._number:
                self._planned(course)

        self._soon(done)
