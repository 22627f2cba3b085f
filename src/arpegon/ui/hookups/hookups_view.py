"""The Hookups view: all hookups by control, and the editor of the one that is chosen."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QWidget,
)

from arpegon.core.document import edits
from arpegon.core.document.model import Hookup
from arpegon.core.errors import ArpegonError
from arpegon.core.time import studio
from arpegon.files.hookup_sets import SUFFIX, load_set, save_set
from arpegon.processors.actions import target_words
from arpegon.ui.controls.choices import ToggleSwitch
from arpegon.ui.controls.scrolled import beside_editor, scrolled
from arpegon.ui.hookups.hookup_editor import HookupEditor
from arpegon.ui.hookups.hookup_list import HookupList, HookupRow
from arpegon.ui.look.plain import Label, tip
from arpegon.ui.model.hookup_words import control_words, surface_name
from arpegon.ui.model.session import Session
from arpegon.ui.parts.narrow import Narrow
from arpegon.ui.parts.parts_menu import target_menu
from arpegon.ui.parts.save_dialog import ask_where, whole_name
from arpegon.ui.parts.when_seen import WhenSeen

_TOUCHED = 0.3


class HookupsView(WhenSeen):
    """The list beside the editor."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        head = self._head()
        self.none = Label(
            "Nothing is hooked up yet. On the board, right click on a slider, a button or a number of the bench and "
            "choose “Learn”; then turn a knob or strike a pad, of a controller or of the play surface."
        )
        self.list = HookupList()
        self.list.chosen.connect(self.choose)
        self.list.muted.connect(self._mute)
        self.list.removed.connect(self._remove)
        self.area = scrolled(self.list)
        self.editor = HookupEditor(session)
        beside_editor(self, head, self.none, self.area, self.editor)
        Narrow(self, ([self._title], [self.touch]))
        session.changed.connect(self.document_changed)
        session.ports_changed.connect(self.editor.refresh)
        self.refresh()

    def _head(self) -> QHBoxLayout:
        head = QHBoxLayout()
        self._title = Label("Hookups")
        self._title.setProperty("role", "name")
        head.addWidget(self._title)
        self.search = QLineEdit()
        self.search.setPlaceholderText("find: a number, a name, or touch the control")
        self.search.setToolTip("Shows only hookups in whose words this stands; a number finds a controller.")
        self.search.setClearButtonEnabled(True)
        self.search.setMinimumWidth(70)
        self.search.textChanged.connect(lambda _: self.refresh())
        head.addWidget(self.search, 1)
        self.touch = ToggleSwitch("Go to what I touch", "The hookup of a control that is moved is chosen.")
        self.touch.set_value(True)
        self.touch.setMinimumWidth(self.touch.sizeHint().width())
        head.addWidget(self.touch)
        for text, help_text, act in (
            ("+ hookup", "A new hookup: choose what it moves, then move a control.", self.add),
            ("Save set …", "Save all hookups as a set of their own, for a device.", self.ask_save),
            ("Load set …", "Add the hookups of a saved set.", self.ask_load),
        ):
            button = QPushButton(text)
            button.setToolTip(tip(help_text))
            button.clicked.connect(act)
            head.addWidget(button)
        return head

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the hookups as they are now."""
        hookups = sorted(self.session.project.hookups, key=_order)
        words = self.search.text().casefold().split()
        entries = [entry for entry in map(self._entry, hookups) if _found(entry, words)]
        self.list.show_entries(entries, self.editor.hookup_id)
        self.none.setVisible(not hookups)
        self.editor.refresh()

    def _entry(self, one: Hookup) -> HookupRow:
        words = target_words(self.session.project, one)
        how: list[str] = [one.way]
        if one.in_low > one.in_high:
            how.append("reversed")
        if one.out_low is not None and one.out_high is not None:
            how.append(f"{one.out_low:g} – {one.out_high:g}".replace("-", "−"))
        if one.curve != "straight":
            how.append(one.curve)
        if one.takeover != "jump" and one.way == "follow":
            how.append(one.takeover)
        gone = words is None
        return HookupRow(
            id=one.id,
            control=control_words(one, self.session.project),
            name=one.name or surface_name(self.session.project, one),
            target=words or one.param or one.action,
            how=" · ".join(how),
            gone=gone,
            muted=one.muted,
        )

    def choose(self, hookup: str) -> None:
        """Edit a hookup."""
        self.editor.show_hookup(hookup)
        self.refresh()

    def tick(self, now: float) -> None:
        """One frame."""
        controls = self.session.hooking.controls
        self.list.show_values(controls, studio.now())
        if self.touch.value():
            by_hand = [one.id for one in self.session.project.hookups if one.control != "stage" and one.id in controls]
            latest = max(by_hand, key=lambda name: controls[name][1], default="")
            if latest and now - controls[latest][1] < _TOUCHED and latest != self.editor.hookup_id:
                self.choose(latest)
                self.area.ensureVisible(0, self.list.place_of(latest))

    # -- edits -------------------------------------------------------------------------------------

    def add(self) -> None:
        """Choose what a new hookup moves, then learn its control."""

        def take(target: str, param: str, action: str) -> None:
            way = "trigger" if action else "follow"
            self.session.hooking.learn(Hookup(id="", target=target, param=param, action=action, way=way))  # type: ignore[arg-type]

        menu = target_menu(self.session.project, self, take)
        menu.exec(self.mapToGlobal(self.rect().topRight()) - self.rect().topRight() / 2)

    def _mute(self, hookup: str) -> None:
        one = self.session.project.hookup(hookup)
        if one is not None:
            self.session.edit("Mute hookup", edits.set_hookup(self.session.project, hookup, muted=not one.muted))

    def _remove(self, hookup: str) -> None:
        self.session.edit("Remove hookup", edits.remove_hookup(self.session.project, hookup))

    def ask_save(self) -> None:
        """Ask for a file, and save the hookups there."""
        proposed = self.session.filing.writes_to / f"hookups{SUFFIX}"
        path = ask_where(self, "Save the hookups", proposed, "Hookups", (SUFFIX,))
        if path is not None:
            self.save(path)

    def save(self, path: Path) -> None:
        """Save the hookups as a set."""
        path = whole_name(path, (SUFFIX,))
        try:
            save_set(self.session.project.hookups, path)
        except ArpegonError as error:
            self.session.notice("file", str(error))
        else:
            self.session.notice("done", f"The hookups were saved as “{path.name}”.")

    def ask_load(self) -> None:
        """Ask for a file, and add its hookups."""
        name, _ = QFileDialog.getOpenFileName(self, "Load hookups", "", f"Hookups (*{SUFFIX})")
        if name:
            self.load(Path(name))

    def load(self, path: Path) -> None:
        """Add the hookups of a set."""
        try:
            loaded = load_set(path)
        except ArpegonError as error:
            self.session.notice("file", str(error))
            return
        project = self.session.project
        for one in loaded:
            project, _ = edits.add_hookup(project, one)
        self.session.edit(f"Load {path.stem}", project)


def _order(one: Hookup) -> tuple[str, str, int, int]:
    return (one.feed, one.control, -1 if one.channel is None else one.channel, one.number)


def _found(entry: HookupRow, words: list[str]) -> bool:
    text = f"{entry.control} {entry.name} {entry.target} {entry.how}".casefold().replace(",", " ")
    return all(word in text.split() if word.isdigit() else word in text for word in words)
