"""The piece in the window: which section holds, the document as it is there, and edits made there."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from arpegon.core.document import edits
from arpegon.core.document.model import Held, Project, Section
from arpegon.core.document.sections import section_at, starts
from arpegon.engine.wire.protocol import Telemetry
from arpegon.processors.holding import HeldTarget, edited_within, held_values, turned, within
from arpegon.processors.targets import Target, can_hold, value_now

if TYPE_CHECKING:
    from arpegon.ui.model.session import Session


class Piece(QObject):
    """The window's side of sections.

    Everything in the window shows the document as it is in the section that holds (:attr:`view`), and edits that;
    what the section holds is changed in the section.

    Signals:
        turned: another section holds, or is asked for.
        holding: whether all that is changed is held in the section was switched.
    """

    turned = pyqtSignal()
    holding = pyqtSignal(bool)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.view = Project()
        """The document as it is in the section that holds."""
        self.wanted = -1
        """The place of the section that was asked for; -1: none."""
        self.hold_all = False
        self.held: frozenset[Target] = frozenset()
        """What the section holds."""
        self._place = -1

    @property
    def document(self) -> Project:
        """The document itself."""
        return self.session.history.project

    @property
    def place(self) -> int:
        """The place of the section that holds; -1: none."""
        return self._place

    @property
    def section(self) -> Section | None:
        """The section that holds."""
        return self.document.sections[self._place] if self._place >= 0 else None

    def look(self) -> None:
        """The document is another one, or the transport elsewhere: see which section holds."""
        self._place = section_at(self.document, self.session.telemetry.beat)
        self.view = within(self.document, self.section)
        self.held = frozenset(held_values(self.document, self.section))

    def take(self, told: Telemetry) -> None:
        """Take in where the transport is."""
        before = (self._place, self.wanted)
        self.wanted = told.section_wanted
        if self.document.sections and section_at(self.document, told.beat) != self._place:
            held = self.held
            self.look()
            self.session.hooking.on_section(held | self.held)
            self.session.tell_change("sections")
        if (self._place, self.wanted) != before:
            self.turned.emit()

    def edited(self, project: Project) -> Project:
        """The document after an edit of the view."""
        return edited_within(self.document, self.section, project, self.hold_all)

    def holder(self, target: Target) -> str:
        """The section in which a value is shown and turned now (its id; empty: it is the project's own)."""
        return self.section.id if self.section is not None and target in self.held else ""

    def with_turned(self, document: Project, one: HeldTarget, value: Any) -> Project:
        """The document with what a control has turned, which the section holds from now on if it is to hold all."""
        section, target = one
        if not section and self.hold_all and self.section is not None and can_hold(document, target):
            held = Held(target=target[0], param=target[1], value=value)
            return edits.hold(document, self.section.id, held)
        return turned(document, one, value)

    # -- acts --------------------------------------------------------------------------------------

    def go(self, place: int) -> None:
        """Go to a section, on the next bar line while music plays."""
        self.session.link.go_to_section(place)

    def go_by(self, by: int) -> None:
        """Go to the section before or after the one that comes."""
        self.go((self.wanted if self.wanted >= 0 else self._place) + by)

    def share_at(self, now: float) -> float:
        """How far the music is in the section that holds, 0 ... 1."""
        if self._place < 0:
            return 0.0
        begin, end = starts(self.document)[self._place : self._place + 2]
        return min(1.0, max(0.0, (self.session.beat_at(now) - begin) / (end - begin)))

    @property
    def origin(self) -> float:
        """The beat from which bars are counted now."""
        return starts(self.document)[self._place] if self._place >= 0 else 0.0

    def set_hold_all(self, on: bool) -> None:
        """Let the section hold all that is changed from now on, or no longer."""
        if on != self.hold_all:
            self.hold_all = on
            self.holding.emit(on)

    def add(self, like: str = "") -> str:
        """Put in a section after the one that is ``like`` it, or an empty one at the end; returns its id."""
        project, model = self.session.project, self.session.project.section(like)
        place = project.sections.index(model) + 1 if model else None
        project, made = edits.add_section(project, model, place)
        self.session.edit("Repeat section" if model else "Add section", project)
        return made

    def holds(self, target: str, param: str) -> bool:
        """Whether the section holds a value."""
        return (target, param) in self.held

    def hold(self, target: str, param: str) -> None:
        """Let the section hold a value as it is heard now."""
        self.session.hooking.fold()
        section = self.section
        if section is not None:
            held = Held(target=target, param=param, value=value_now(self.session.project, target, param))
            self.session.edit(f"Hold in “{section.name}”", edits.hold(self.session.project, section.id, held))

    def let_go(self, target: str, param: str) -> None:
        """Let the section hold a value no more."""
        section = self.section
        if section is not None:
            project = edits.let_go(self.session.project, section.id, target, param)
            self.session.edit(f"Hold no more in “{section.name}”", project)
