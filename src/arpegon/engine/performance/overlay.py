"""What stands over the document: values that hookups and sections have set."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any

import msgspec

from arpegon.core.document import edits
from arpegon.core.document.model import Project, Section
from arpegon.engine.clocks.roles import AtWork, GoOn, Scheduler
from arpegon.processors.holding import HeldTarget, held_in, held_values, still_stands, turned
from arpegon.processors.targets import Target, is_there, value_now, with_value

_NOTHING = object()


class Overlay:
    """Values over a document, each until the document itself changes it, or it is taken back.

    So a knob that moves is never set back by an edit elsewhere. What hookups turn stands where it was turned: in the
    section that holds it then, and in the project where none does.

    Args:
        go_on: goes on with the document as it is with what stands over it.
        on_turned: is told of what was turned, once it is so.
    """

    def __init__(self, scheduler: Scheduler, at_work: AtWork, go_on: GoOn, on_turned: Callable[[Target], None]) -> None:
        self._on_turned = on_turned
        self._scheduler = scheduler
        self._at_work = at_work
        self._go_on = go_on
        self._values: dict[Target, Any] = {}
        """All that stands over the document now."""
        self._turned: dict[HeldTarget, Any] = {}
        """What hookups have turned, the last one last."""
        self._given = Project()
        self._document = Project()
        self._untold: dict[HeldTarget, Any] = {}
        """What is turned and not in ``_document`` yet."""
        self._section = ""
        """The section that holds: its id,"""
        self._held: Mapping[Target, Any] = {}
        """and what it holds."""
        self.done: dict[HeldTarget, tuple[Any, bool]] = {}
        """What hookups have set since it was asked, and whether it only passes (an LFO or contour set it)."""

    @property
    def document(self) -> Project:
        """The document at work with all that was turned in it, in whichever section; none of them is laid over it."""
        self._document = _all_turned(self._document, self._untold)
        self._untold.clear()
        return self._document

    def laid_over(self, document: Project) -> Project:
        """A new document with all that still stands over it."""
        project = _all_turned(document, self._standing(document))
        for target, value in self._laid(document, project).items():
            project = with_value(project, target, value)
        return project

    def use(self, document: Project) -> None:
        """The document is at work."""
        turned_still = self._standing(document)
        self._document = _all_turned(document, turned_still)
        self._values = self._laid(document, self._document)
        self._given, self._turned = document, turned_still
        self._untold.clear()

    def _laid(self, document: Project, as_turned: Project) -> dict[Target, Any]:
        """What stands over a new document: what its section holds, but for what was turned since."""
        held = held_values(as_turned, as_turned.section(self._section))
        standing = {
            target: value for target, value in self._values.items() if self._stands(document, self._holder(target))
        }
        return held | standing

    def _holder(self, target: Target) -> HeldTarget:
        return self._section if target in self._held else "", target

    def _stands(self, document: Project, one: HeldTarget) -> bool:
        return still_stands(self._given, document, self._section, one)

    def _standing(self, document: Project) -> dict[HeldTarget, Any]:
        return {one: value for one, value in self._turned.items() if self._stands(document, one)}

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
        one = self._holder(target)
        self._values[target] = value
        if not (passing and one[0]):  # a section begins with what it holds, wherever an LFO was
            for known in (self._turned, self._untold):
                known.pop(one, None)
                known[one] = value
        self.done[one] = (value, passing)
        self._go_on(with_value(self._at_work.project, target, value), [target], self._scheduler.now)
        self._on_turned(target)

    def begin(self, section: Section | None, time: float, anew: bool) -> None:
        """Lay what a section holds over the document, all at once, and take back what the one before held.

        A tempo among it holds from ``time`` on, which may lie a hair ahead.

        Args:
            anew: set also what was held before, whatever became of it.
        """
        before, self._held = self._held, held_values(self.document, section)
        self._section = section.id if section is not None else ""
        changed = {
            target: value for target, value in self._held.items() if anew or before.get(target, _NOTHING) != value
        }
        self.lay(changed, [target for target in before if target not in self._held], time)

    def lay(self, values: Mapping[Target, Any], back: Iterable[Target], time: float) -> None:
        """Set values, all at once, and take others back to what the section or the document says."""
        project = self._at_work.project
        laid = dict(values)
        for target in back:
            if target in self._values and is_there(self.document, target):
                held = held_in(self.document, self._section, target)
                laid[target] = value_now(self.document, *target) if held is None else held.value
        for target, value in laid.items():
            project = with_value(project, target, value)
        for target in back:
            self._values.pop(target, None)
        self._values |= {target: value for target, value in laid.items() if target in values or target in self._held}
        if laid:
            self._go_on(project, list(laid), time)


def _all_turned(document: Project, values: Mapping[HeldTarget, Any]) -> Project:
    for one, value in values.items():
        document = turned(document, one, value)
    return document
