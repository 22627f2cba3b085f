"""What the addresses of a project are now, for whoever is told of values and does not show a document."""

from __future__ import annotations

from typing import Any

from arpegon.core.document.model import Held, Project
from arpegon.core.document.sections import section_at
from arpegon.engine.wire import protocol
from arpegon.processors.holding import HeldTarget, held_in, still_stands
from arpegon.processors.targets import Target, param_at, value_now


class ValuesNow:
    """Each value as it is heard: turned by hookups and the like, in the section that holds, or as the document says."""

    def __init__(self) -> None:
        self.project = Project()
        self._turned: dict[HeldTarget, Any] = {}
        self._section = ""

    def use(self, project: Project) -> None:
        """The document is another: what it changes itself is as it says."""
        before, self.project = self.project, project
        self._turned = {
            one: value for one, value in self._turned.items() if still_stands(before, project, self._section, one)
        }

    def take(self, report: protocol.EngineReport) -> bool:
        """Take in what the engine says; whether values may be others."""
        if isinstance(report, protocol.Hooked):
            for section, target, param, value, _ in report.set:
                self._turned[section, (target, param)] = value
            return bool(report.set)
        if isinstance(report, protocol.Telemetry):
            before, place = self._section, section_at(self.project, report.beat)
            self._section = self.project.sections[place].id if place >= 0 else ""
            return self._section != before
        return False

    def turn(self, target: Target, value: Any) -> None:
        """A value was set, where it is held now."""
        self._turned[self._held(target)[0], target] = value

    def of(self, target: Target) -> Any:
        """The value of an address; ``None`` where that is gone."""
        holder, held = self._held(target)
        if (holder, target) in self._turned:
            return self._turned[holder, target]
        if held is not None:
            return held.value
        return value_now(self.project, *target) if param_at(self.project, target) is not None else None

    def _held(self, target: Target) -> tuple[str, Held | None]:
        """The section that holds a value now (empty: none does), and how."""
        held = held_in(self.project, self._section, target)
        return (self._section if held is not None else ""), held
