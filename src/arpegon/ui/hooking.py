"""Hookups in the window: what they set now, learning new ones, and what they ask of the window."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, Any

import msgspec
from PyQt6.QtCore import QEvent, QObject, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtWidgets import QMenu, QWidget

from arpegon.core import edits
from arpegon.core.document import Hookup, Project
from arpegon.core.learning import Learner
from arpegon.core.parameters import Switch
from arpegon.core.pitch import written
from arpegon.engine.protocol import Hooked, Learn
from arpegon.processors.targets import declared, differs, name_of, target_words, with_value
from arpegon.ui.controls.hook_mark import HookMark
from arpegon.ui.timers import one_shot

if TYPE_CHECKING:
    from arpegon.core.events import Event
    from arpegon.ui.session import Session

_REST_MS = 350
"""After so long at rest what a knob has set becomes an edit."""


class Hooking(QObject):
    """The window's side of hookups.

    While a control moves, its values stand over the document (:meth:`live`); once it rests they become one edit.
    What LFOs and contours set never becomes an edit.

    Signals:
        set_live: values of a stage, source or instrument were set (its id; empty: the project).
        moved: controls moved.
        learning: learning began (what is to be hooked up, in words) or ended (empty).
    """

    set_live = pyqtSignal(str)
    moved = pyqtSignal()
    learning = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.values: dict[tuple[str, str], Any] = {}
        """What hookups have set and the document does not hold, by target and parameter."""
        self.controls: dict[str, tuple[float, float]] = {}
        """The last value of each hookup's control, and when it came."""
        self._by_stage: set[tuple[str, str]] = set()
        self._learner: Learner | None = None
        self._wanted: Hookup | None = None
        self._rest = one_shot(self, _REST_MS)
        self._rest.timeout.connect(self._fold)
        session.heard.connect(self._heard)

    # -- what the engine reports -------------------------------------------------------------------

    def take(self, told: Hooked) -> None:
        """Take in what hookups did."""
        now = time.monotonic()
        for name, value in told.moved.items():
            self.controls[name] = (value, now)
        for target, key, value, by_stage in told.set:
            place = (target, key)
            (self._by_stage.add if by_stage else self._by_stage.discard)(place)
            self.values[place] = value
        if any(not by_stage for _, _, _, by_stage in told.set):
            self._rest.start()
        for target in {target for target, *_ in told.set}:
            self.set_live.emit(target)
        for name in told.asked:
            self._do(name)
        if told.moved:
            self.moved.emit()

    def live(self, target: str) -> dict[str, Any]:
        """What hookups have set in a stage or source, over the document."""
        return {key: value for (name, key), value in self.values.items() if name == target and key != "bypass"}

    def edited(self, before: Project) -> None:
        """The document was edited: a value that it now has otherwise stands under nothing any more."""
        for place in [place for place in self.values if differs(before, self.session.project, place)]:
            del self.values[place]

    def forget(self) -> None:
        """Another document: nothing is set over it."""
        self.values.clear()
        self._by_stage.clear()
        self.controls.clear()

    def _fold(self) -> None:
        """Make one edit of what knobs have set."""
        project = self.session.project
        folded = [place for place in self.values if place not in self._by_stage]
        for place in folded:
            project = with_value(project, place, self.values.pop(place))
        if project != self.session.project:
            self.session.edit("Turn a hooked-up control", project)

    def _do(self, name: str) -> None:
        """Do what only the window can do."""
        hookup = self.session.project.hookup(name)
        if hookup is None:
            return
        if hookup.action == "keep":
            self.session.recorder.keep()
        elif hookup.action == "record":
            self.session.recorder.record()
        elif hookup.action == "toss":
            self.session.toss(hookup.target)

    # -- learning ----------------------------------------------------------------------------------

    def learn(self, wanted: Hookup) -> None:
        """Hook up what is moved next; a hookup that is there already goes to another control."""
        self._wanted, self._learner = wanted, Learner()
        self.session.client.send(Learn(True))
        words = target_words(self.session.project, wanted) or "it"
        self.session.notice("learn", f"Move or strike a control to hook it up to {words}; Esc leaves it.")
        self.learning.emit(words)

    def cancel(self) -> None:
        """Learn no more."""
        if self._learner is not None:
            self._learner = self._wanted = None
            self.session.client.send(Learn(False))
            self.session.notice("learn", "")
            self.learning.emit("")

    @property
    def learns(self) -> bool:
        """Whether a control is waited for."""
        return self._learner is not None

    def _heard(self, feed: str, event: Event) -> None:
        wanted, learner = self._wanted, self._learner
        if wanted is None or learner is None:
            return
        found = learner.take(feed, event)
        if found is None:
            return
        self.cancel()
        names = ("control", "number", "channel", "feed")
        made = msgspec.structs.replace(wanted, **{name: getattr(found, name) for name in names})
        if found.control in ("note", "program") and not wanted.action:
            param = declared(self.session.project, made)
            made = msgspec.structs.replace(made, way="toggle" if isinstance(param, Switch) else "next")
        if made.id and self.session.project.hookup(made.id) is not None:
            moved = {name: getattr(found, name) for name in names}
            project = edits.set_hookup(self.session.project, made.id, **moved)
        else:
            project, _ = edits.add_hookup(self.session.project, made)
        words = target_words(self.session.project, made) or "it"
        self.session.edit(f"Hook up {control_words(made)} to {words}", project)
        self.session.notice("done", f"{control_words(made)} is now hooked up to {words}.")

    # -- controls ----------------------------------------------------------------------------------

    def of(self, target: str, param: str = "", action: str = "") -> list[Hookup]:
        """The hookups of a parameter or an action."""
        return [
            one
            for one in self.session.project.hookups
            if one.target == target and one.param == param and one.action == action
        ]

    def offer(
        self, widget: QWidget, target: str, param: str = "", action: str = "", value: float | None = None
    ) -> None:
        """Let a control be hooked up: by its right click menu, and by Ctrl+L while it has the focus."""
        wanted = Hookup(id="", target=target, param=param, action=action, value=value, way=_way(action))
        known = widget.property("hook_handle")
        if isinstance(known, HookHandle):
            known.wanted = wanted
            known.refresh()
            return
        handle = HookHandle(self, widget, wanted)
        widget.setProperty("hook_handle", handle)
        widget.installEventFilter(handle)


_SET_BY = {"mute": "muted", "solo": "solo", "bypass": "bypass", "pattern": "pattern"}
"""The parameters that actions set."""


def _way(action: str) -> Any:
    return "trigger" if action else "follow"


class HookHandle(QObject):
    """What makes one control hookable; it also marks it while it is hooked up, or held in the section."""

    def __init__(self, hooking: Hooking, widget: QWidget, wanted: Hookup) -> None:
        super().__init__(widget)
        self.hooking = hooking
        self.widget = widget
        self.wanted = wanted
        self.mark = HookMark(widget)
        hooking.session.changed.connect(self.refresh)
        self.refresh()

    def hookups(self) -> list[Hookup]:
        """What is hooked up to it."""
        return self.hooking.of(self.wanted.target, self.wanted.param, self.wanted.action)

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
        if piece.section is None or not param:
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


KNOB_CC, PAD_NOTE, PAD_CHANNEL = 20, 36, 9
"""Knobs of the play surface send CC 20 to 27 on channel 1; its pads the notes 36 to 51 on channel 10."""


def surface_name(project: Project, hookup: Hookup) -> str:
    """What the control of a hookup is called on the play surface; empty where it has no name there."""
    if hookup.feed not in ("", "surface"):
        return ""
    names, first = (project.surface.knobs, KNOB_CC) if hookup.control == "cc" else (project.surface.pads, PAD_NOTE)
    place = hookup.number - first
    here = hookup.control in ("cc", "note") and 0 <= place < len(names)
    return names[place] if here else ""


def control_words(hookup: Hookup, project: Project | None = None) -> str:
    """A control, as it is read: "CC 20, ch 1, Box"."""
    if hookup.control == "stage" and project is not None:
        return name_of(project, hookup.stage) or "an LFO that is gone"
    number = hookup.number
    names = {
        "cc": f"CC {number}",
        "note": f"note {written(number)}",
        "pressure": "pressure",
        "poly": f"pressure on {written(number)}",
        "bend": "pitch bend",
        "program": f"program {number}",
        "stage": "an LFO or contour",
    }
    words = names[hookup.control]
    if hookup.channel is not None and hookup.control != "stage":
        words += f", ch {hookup.channel + 1}"
    port = hookup.feed.removeprefix("midi:")
    if hookup.feed.startswith("midi:") and port:
        words += f", {port}"
    return words
