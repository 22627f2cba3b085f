"""Hookups in the window: what they set now, learning new ones, and what they ask of the window."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from arpegon.core.document import edits
from arpegon.core.document.learning import Learner
from arpegon.core.document.model import Hookup, Project
from arpegon.core.events import CONTROL
from arpegon.core.processing.parameters import Switch
from arpegon.core.time import studio
from arpegon.engine.wire.protocol import Hooked
from arpegon.processors.actions import target_words
from arpegon.processors.targets import declared, differs, holdable, params_of, value_now, with_value
from arpegon.ui.look.timers import one_shot
from arpegon.ui.model.hookup_words import control_words

if TYPE_CHECKING:
    from arpegon.core.events import Event
    from arpegon.ui.model.session import Session

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
        self._take_number: Callable[[int], None] | None = None
        self._wanted: Hookup | None = None
        self._rest = one_shot(self, _REST_MS)
        self._rest.timeout.connect(self.fold)
        session.heard.connect(self._heard)
        session.link.said.connect(self._said)

    # -- what the engine reports -------------------------------------------------------------------

    def take(self, told: Hooked) -> None:
        """Take in what hookups did."""
        now = studio.now()
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
        laid, heads = self.session.project, set()
        for place, value in self.values.items():
            if place[0] == target and place[1] != "bypass":
                laid = with_value(laid, place, value)
                heads.add(place[1].partition(".")[0])
        whole = heads & (holdable(laid, target).keys() | params_of(laid, target).keys())
        return {key: value_now(laid, target, key) for key in whole}

    def on_edit(self, before: Project) -> None:
        """The document was edited: a value that it now has otherwise stands under nothing any more."""
        for place in [place for place in self.values if differs(before, self.session.project, place)]:
            del self.values[place]

    def forget(self) -> None:
        """Another document: nothing is set over it."""
        self.values.clear()
        self._by_stage.clear()
        self.controls.clear()

    def _said(self, topic: str, _: str) -> None:
        if topic == "restart":
            self.fold()

    def fold(self) -> None:
        """Make one edit of what knobs have set: they rest, the document is to be kept as it is heard, or a new engine
        knows only the document."""
        self._rest.stop()
        project = self.session.project
        folded = [place for place in self.values if place not in self._by_stage]
        for place in folded:
            project = with_value(project, place, self.values.pop(place))
        if project != self.session.project:
            self.session.edit("Turn a hooked-up control", project)

    def _do(self, name: str) -> None:
        """Do what only the window can do."""
        hookup = self.session.project.hookup(name)
        if hookup is not None:
            self.do(hookup.action, hookup.target)

    def do(self, action: str, target: str) -> None:
        """Do an action that only the window can do."""
        if action == "keep":
            self.session.recorder.keep()
        elif action == "record":
            self.session.recorder.record()
        elif action == "toss":
            self.session.toss(target)

    # -- learning ----------------------------------------------------------------------------------

    def learn(self, wanted: Hookup) -> None:
        """Hook up what is moved next; a hookup that is there already goes to another control."""
        self._wanted, self._learner = wanted, Learner()
        self.session.link.learn(True)
        words = target_words(self.session.project, wanted) or "it"
        self.session.notice("learn", f"Move or strike a control to hook it up to {words}; Esc leaves it.")
        self.learning.emit(words)

    def cancel(self) -> None:
        """Learn no more."""
        if self._learner is not None or self._take_number is not None:
            self._learner = self._wanted = self._take_number = None
            self.session.link.learn(False)
            self.session.notice("learn", "")
            self.learning.emit("")

    def listen(self, take: Callable[[int], None]) -> None:
        """Take the number of the controller that is moved next."""
        self.cancel()
        self._take_number = take
        self.session.link.learn(True)
        self.session.notice("learn", "Move the controller that is meant; Esc leaves it.")

    @property
    def learns(self) -> bool:
        """Whether a control is waited for."""
        return self._learner is not None

    def _heard(self, feed: str, event: Event) -> None:
        take = self._take_number
        if take is not None and event.kind == CONTROL:
            self.cancel()
            with contextlib.suppress(RuntimeError):  # what asked for it is gone
                take(event.data1)
            return
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
