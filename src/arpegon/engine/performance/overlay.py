"""What stands over the document: values that hookups and sections have set."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

import msgspec

from arpegon.core.document import edits
from arpegon.core.document.model import Project
from arpegon.engine.clocks.roles import AtWork, GoOn, Scheduler
from arpegon.processors.targets import Target, differs, is_there, value_now, with_value


class Overlay:
    """Values over a document, each until the document itself changes it, or it is taken back.

    So a knob that moves is never set back by an edit elsewhere.
    """

    def __init__(self, scheduler: Scheduler, at_work: AtWork, go_on: GoOn) -> None:
        self._scheduler = scheduler
        self._at_work = at_work
        self._go_on = go_on
        self._values: dict[Target, Any] = {}
        self.document = Project()
        """The document at work, without what stands over it."""
        self.done: dict[Target, tuple[Any, bool]] = {}
        """What hookups have set since it was asked, and whether it only passes (an LFO or contour set it)."""

    def laid_over(self, document: Project) -> Project:
        """A new document with all that still stands over it."""
        project = document
        for target, value in self._standing(document).items():
            project = with_value(project, target, value)
        return project

    def use(self, document: Project) -> None:
        """The document is at work."""
        self._values = self._standing(document)
        self.document = document

    def _standing(self, document: Project) -> dict[Target, Any]:
        """What still stands over a new document: what it does not change itself."""
        return {target: value for target, value in self._values.items() if not differs(document, self.document, target)}

    def over(self, stage: str, values: Mapping[str, Any]) -> Mapping[str, Any]:
        """The values of a stage with what stands over them."""
        project = edits.edit_stage(
            self._at_work.project, stage, lambda one: msgspec.structs.replace(one, params=dict(values))
        )
        for target, value in self._values.items():
            if target[0] == stage:
                project = with_value(project, target, value)
        found = project.find_stage(stage)
        return found[1].params if found is not None else values

    def put(self, target: Target, value: Any, passing: bool = False) -> None:
        """Set a value over the document."""
        self._values[target] = value
        self.done[target] = (value, passing)
        self._go_on(with_value(self._at_work.project, target, value), [target], self._scheduler.now)

    def lay(self, values: Mapping[Target, Any], back: Iterable[Target], time: float) -> None:
        """Set the values of a section, all at once, and take others back to what the document says.

        A tempo among them holds from ``time`` on, which may lie a hair ahead.
        """
        project = self._at_work.project
        laid = dict(values)
        for target in back:
            if target in self._values and is_there(self.document, target):
                laid[target] = value_now(self.document, *target)
        for target, value in laid.items():
            project = with_value(project, target, value)
        for target in back:
            self._values.pop(target, None)
        self._values |= values
        if laid:
            self._go_on(project, list(laid), time)
