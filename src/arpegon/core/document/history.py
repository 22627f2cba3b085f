"""Undo: the documents of the past, with a drag kept as one step."""

from __future__ import annotations

import msgspec

from arpegon.core.document.model import Project

DEPTH = 500


class Step(msgspec.Struct, frozen=True):
    """What was done, and the document before it."""

    label: str
    before: Project


class History:
    """The document now, and the way back and forth.

    Edits that carry the same ``merge`` key one after another (a knob that is dragged) are one step.
    """

    def __init__(self, project: Project) -> None:
        self.project = project
        self.saved: Project | None = project
        self._back: list[Step] = []
        self._forth: list[Step] = []
        self._merge: str | None = None

    @property
    def dirty(self) -> bool:
        """Whether the document differs from what is on disk."""
        return self.project is not self.saved and self.project != self.saved

    @property
    def undo_label(self) -> str | None:
        """What undo would take back."""
        return self._back[-1].label if self._back else None

    @property
    def redo_label(self) -> str | None:
        """What redo would do again."""
        return self._forth[-1].label if self._forth else None

    def do(self, label: str, project: Project, merge: str | None = None) -> bool:
        """Go on with an edited document; False where nothing changed."""
        if project is self.project or project == self.project:
            return False
        if merge is None or merge != self._merge:
            self._back.append(Step(label, self.project))
            del self._back[:-DEPTH]
        self._merge = merge
        self._forth.clear()
        self.project = project
        return True

    def settle(self) -> None:
        """End a drag: the next edit is a step of its own."""
        self._merge = None

    def undo(self) -> str | None:
        """Take the last step back; its label, or ``None`` where there is none."""
        return self._walk(self._back, self._forth)

    def redo(self) -> str | None:
        """Do again what was taken back."""
        return self._walk(self._forth, self._back)

    def _walk(self, source: list[Step], target: list[Step]) -> str | None:
        self._merge = None
        if not source:
            return None
        step = source.pop()
        target.append(Step(step.label, self.project))
        self.project = step.before
        return step.label
