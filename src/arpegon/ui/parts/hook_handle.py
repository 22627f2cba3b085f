"""What makes a control hookable: its menu, its mark, and learning."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtWidgets import QMenu, QWidget

from arpegon.core.document import edits
from arpegon.core.document.model import Hookup
from arpegon.processors.targets import can_hold
from arpegon.ui.controls.hook_mark import HookMark
from arpegon.ui.model.change import Change
from arpegon.ui.model.hooking import Hooking
from arpegon.ui.model.hookup_words import control_words

_SET_BY = {"mute": "muted", "bypass": "bypass", "pattern": "pattern"}
"""The parameters that actions set."""


def offer_hookup(
    hooking: Hooking, widget: QWidget, target: str, param: str = "", action: str = "", value: float | None = None
) -> None:
    """Let a control be hooked up: by its right click menu, and by Ctrl+L while it has the focus."""
    wanted = Hookup(
        id="", target=target, param=param, action=action, value=value, way="trigger" if action else "follow"
    )
    known = widget.property("hook_handle")
    if isinstance(known, HookHandle):
        known.wanted = wanted
        known.refresh()
        return
    handle = HookHandle(hooking, widget, wanted)
    widget.setProperty("hook_handle", handle)
    widget.installEventFilter(handle)


class HookHandle(QObject):
    """What makes one control hookable; it also marks it while it is hooked up, or held in the section."""

    def __init__(self, hooking: Hooking, widget: QWidget, wanted: Hookup) -> None:
        super().__init__(widget)
        self.hooking = hooking
        self.widget = widget
        self.wanted = wanted
        self.mark = HookMark(widget)
        hooking.session.changed.connect(self._changed)
        self.refresh()

    def hookups(self) -> list[Hookup]:
        """What is hooked up to it."""
        return self.hooking.of(self.wanted.target, self.wanted.param, self.wanted.action)

    def _changed(self, change: Change) -> None:
        if change.touches("hookups", "sections"):
            self.refresh()

    def refresh(self) -> None:
        """Show whether it is hooked up."""
        held = self.param and self.hooking.session.piece.holds(self.wanted.target, self.param)
        self.mark.show_marks([control_words(one) for one in self.hookups()], bool(held))

    @property
    def param(self) -> str:
        """The parameter that it sets; empty where it does something else."""
        return self.wanted.param or _SET_BY.get(self.wanted.action, "")

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QContextMenuEvent):
            self.menu().exec(event.globalPos())
            return True
        if event is not None and event.type() == QEvent.Type.Resize:
            self.mark.place()
        return False

    def menu(self) -> QMenu:
        """Learn, reset, copy, and what is hooked up."""
        menu = QMenu(self.widget)
        menu.addAction("Learn: move a control …\tCtrl+L", self.learn)
        for one in self.hookups():
            menu.addAction(f"Forget {control_words(one)}", lambda one=one: self._forget(one))
        self._offer_to_hold(menu)
        own = getattr(self.widget, "menu_entries", None)
        if own is not None:
            menu.addSeparator()
            for text, act in own():
                menu.addAction(text, act)
        return menu

    def _offer_to_hold(self, menu: QMenu) -> None:
        piece = self.hooking.session.piece
        target, param = self.wanted.target, self.param
        if piece.section is None or not can_hold(self.hooking.session.project, (target, param)):
            return
        if piece.holds(target, param):
            menu.addAction(f"Hold no more in “{piece.section.name}”", lambda: piece.let_go(target, param))
        else:
            menu.addAction(f"Hold in “{piece.section.name}”", lambda: piece.hold(target, param))

    def learn(self) -> None:
        """Hook up what is moved next."""
        self.hooking.learn(self.wanted)

    def _forget(self, hookup: Hookup) -> None:
        session = self.hooking.session
        session.edit(f"Forget {control_words(hookup)}", edits.remove_hookup(session.project, hookup.id))


def handle_of(widget: QWidget | None) -> HookHandle | None:
    """What makes a control, or what it stands in, hookable."""
    while widget is not None:
        handle = widget.property("hook_handle")
        if isinstance(handle, HookHandle):
            return handle
        widget = widget.parentWidget()
    return None
