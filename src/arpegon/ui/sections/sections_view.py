"""The Sections view: the piece from top to bottom, and the editor of the section that is chosen."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from arpegon.core.counting import counted
from arpegon.core.document import edits
from arpegon.core.document.model import Section
from arpegon.core.document.sections import ENDS, seconds_of
from arpegon.processors.targets import held_words
from arpegon.ui.controls.scrolled import beside_editor, scrolled
from arpegon.ui.look.plain import Label, tip
from arpegon.ui.model.session import Session
from arpegon.ui.parts.narrow import Narrow
from arpegon.ui.parts.when_seen import WhenSeen
from arpegon.ui.sections.section_editor import SectionEditor
from arpegon.ui.sections.section_list import SectionList, SectionRow


class SectionsView(WhenSeen):
    """The list beside the editor."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        head = self._head()
        self.none = Label(
            "The piece has no sections yet: the settings of the project hold from beginning to end. Add a section for "
            "each part of the piece; each can have its own tempo, key, patterns, mutes and all other settings, and "
            "pads can go from one to the other while you play."
        )
        self.list = SectionList()
        self.list.chosen.connect(self.choose)
        self.list.gone_to.connect(lambda section: session.piece.go(self._place_of(section)))
        self.list.removed.connect(self._remove)
        self.list.moved.connect(
            lambda section, place: session.edit("Move section", edits.move_section(session.project, section, place))
        )
        self.editor = SectionEditor(session)
        beside_editor(self, head, self.none, scrolled(self.list), self.editor)
        Narrow(self, ([self._title], [self.length]))
        session.changed.connect(self.document_changed)
        session.piece.turned.connect(self._turned)
        self.refresh()

    def _head(self) -> QHBoxLayout:
        head = QHBoxLayout()
        self._title = Label("Sections")
        self._title.setProperty("role", "name")
        head.addWidget(self._title)
        self.length = Label("")
        self.length.setProperty("role", "desk")
        head.addWidget(self.length, 1)
        self.buttons: dict[str, QPushButton] = {}
        for text, help_text, act in (
            ("+ section", "A section at the end of the piece.", self.add),
            ("Repeat it", "The chosen section once more after itself, with all that it holds.", self.repeat),
            ("Remove", "Take the chosen section out (Del); Ctrl+Z brings it back.", lambda: self._remove(self.chosen)),
        ):
            button = self.buttons[text] = QPushButton(text)
            button.setToolTip(tip(help_text))
            button.clicked.connect(act)
            head.addWidget(button)
        return head

    # -- showing -----------------------------------------------------------------------------------

    @property
    def chosen(self) -> str:
        """The section that is edited."""
        return self.editor.section_id

    def _place_of(self, section_id: str) -> int:
        return next((at for at, one in enumerate(self.session.project.sections) if one.id == section_id), -1)

    def refresh(self) -> None:
        """Show the sections as they are now."""
        project = self.session.project
        sections = project.sections
        if project.section(self.chosen) is None:
            holding = self.session.piece.section
            self.editor.show_section(holding.id if holding is not None else "")
        self.list.show_entries([self._entry(one) for one in sections], self.chosen)
        self.none.setVisible(not sections)
        for text in ("Repeat it", "Remove"):
            self.buttons[text].setEnabled(bool(sections))
        bars = sum(section.bars for section in sections)
        minutes, seconds = divmod(round(seconds_of(self.session.piece.document)), 60)
        self.length.setText(f"{counted(bars, 'bar')}, {minutes}:{seconds:02d} once through" if sections else "")
        self.editor.refresh()

    def _entry(self, one: Section) -> SectionRow:
        project = self.session.project
        held = [words for held in one.holds if (words := held_words(project, held)) is not None]
        gone = len(one.holds) - len(held)
        if gone:
            held.append("1 that is gone" if gone == 1 else f"{gone} that are gone")
        return SectionRow(
            id=one.id,
            name=one.name,
            bars=counted(one.bars, "bar"),
            then="" if one.then == "on" else ENDS[one.then],
            holds="  ·  ".join(held) or "as the project is",
        )

    def choose(self, section: str) -> None:
        """Edit a section."""
        self.editor.show_section(section)
        self.refresh()

    def _turned(self) -> None:
        if self.isVisible() and not self.editor.name.hasFocus():
            self.list.update()

    def tick(self, now: float) -> None:
        """One frame."""
        self.list.show_playing(self.session.piece.place, self.session.piece.share_at(now))

    # -- edits -------------------------------------------------------------------------------------

    def add(self) -> None:
        """One more section at the end."""
        self.choose(self.session.piece.add())

    def repeat(self) -> None:
        """The chosen section once more after itself."""
        self.choose(self.session.piece.add(self.chosen))

    def _remove(self, section: str) -> None:
        self.session.edit("Remove section", edits.remove_section(self.session.project, section))
