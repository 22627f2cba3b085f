"""Hookups in the window: what they set now, learning new ones, and what they ask of the window."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Collection
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
from arpegon.processors.holding import HeldTarget, still_stands
from arpegon.processors.targets import Target, declared, holdable, params_of, value_now, with_value
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
        self.values: dict[HeldTarget, Any] = {}
        """What hookups have set and the document does not have, by the section that holds it and its address."""
        self.controls: dict[str, tuple[float, float]] = {}
        """The last value of each hookup's control, and when it came."""
        self._by_stage: set[HeldTarget] = set()
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
        for section, target, key, value, by_stage in told.set:
            one = section, (target, key)
            (self._by_stage.add if by_stage else self._by_stage.discard)(one)
            self.values.pop(one, None)
            self.values[one] = value
        if any(not by_stage for *_, by_stage in told.set):
            self._rest.start()
        for target in {target for _, target, *_ in told.set}:
            self.set_live.emit(target)
        for name, at in told.asked:
            self._do(name, at)
        if told.moved:
            self.moved.emit()

    def live(self, target: str) -> dict[str, Any]:
        """What hookups have set in a stage or source, over the document as it is in the section that holds."""
        laid, heads = self.session.project, set()
        for (section, place), value in self.values.items():
            if place[0] == target and place[1] != "bypass" and section == self.session.piece.holder(place):
                laid = with_value(laid, place, value)
                heads.add(place[1].partition(".")[0])
        whole = heads & (holdable(laid, target).keys() | params_of(laid, target).keys())
        return {key: value_now(laid, target, key) for key in whole}

    def on_edit(self, before: Project) -> None:
        """The document was edited: a value that it now has otherwise stands under nothing any more."""
        piece = self.session.piece
        holds = piece.section.id if piece.section is not None else ""
        self.values = {
            one: value for one, value in self.values.items() if still_stands(before, piece.document, holds, one)
        }

    def on_section(self, held: Collection[Target]) -> None:
        """Another section holds: what LFOs and contours had set of these is as the document says until they move."""
        self.values = {
            one: value for one, value in self.values.items() if one not in self._by_stage or one[1] not in held
        }

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
        document = self.session.piece.document
        for one in [one for one in self.values if one not in self._by_stage]:
            document = self.session.piece.with_turned(document, one, self.values.pop(one))
        if document != self.session.piece.document:
            self.session.edit_document("Turn a hooked-up control", document)

    def _do(self, name: str, at: float) -> None:
        """Do what only the window can do."""
        hookup = self.session.project.hookup(name)
        if hookup is not None:
            self.do(hookup.action, hookup.target, at)

    def do(self, action: str, target: str, at: float | None = None) -> None:
        """Do an action that only the window can do.

        Args:
            at: when it was asked for, in studio time, where all that passed until then is remembered; left out: now.
        """
        if action == "keep":
            self.session.recorder.keep(at=at)
        elif action == "record":
            self.session.recorder.record(at=at)
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
