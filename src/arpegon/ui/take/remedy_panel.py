"""The bench of a take: remedies, which show on the paper what they will do before they do it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from arpegon.core.document.remedies import REMEDIES, Plan
from arpegon.core.errors import ArpegonError
from arpegon.core.notes.course import Course
from arpegon.core.notes.sheet import Sheet
from arpegon.core.processing.parameters import Param, with_defaults
from arpegon.processors import PROCESSORS
from arpegon.ui.controls.choices import Picker, ToggleSwitch
from arpegon.ui.look import theme
from arpegon.ui.look.plain import Label
from arpegon.ui.look.timers import one_shot
from arpegon.ui.model.take_stage import plan_stage
from arpegon.ui.parts.standard import STANDARD, caps, captioned, standard_control

_SOON_MS = 40
"""After how long a turned knob is looked at: a drag is followed, not chased."""
_MOST_USED = (
    "scale",
    "transpose",
    "velocity",
    "humanize",
    "length",
    "chord",
    "mirror",
    "echo",
    "keymap",
    "thin",
    "sieve",
)
"""Stages that stand first in the list: those that are of most use over notes that were kept."""


class RemedyPanel(QWidget):
    """Chooses a remedy, turns its knobs, says what it would do, and does it.

    Signals:
        planned: what the remedy would do now; ``None``: nothing.
        done: do it (a label, and the plan).
    """

    planned = pyqtSignal(object)
    done = pyqtSignal(str, object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(268)
        self._sheet, self._chosen, self._course = Sheet(), frozenset[int](), Course()
        self._where = ""
        self._others: Callable[[], Mapping[str, tuple[str, Sheet]]] = dict
        self._values: dict[str, dict[str, Any]] = {}
        self.suggested: dict[str, dict[str, Any]] = {}
        """Where the knobs of a remedy stand until they are turned, by what made the take."""
        self.plan: Plan | None = None
        self.beside: dict[str, Plan] = {}
        """What it would do in the other strands, where it is done in all."""
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 10, 14, 12)
        box.setSpacing(8)
        box.addWidget(caps("Remedies"))
        names = {"": "choose a remedy …"}
        names |= {name: remedy.label for name, remedy in REMEDIES.items()}
        names |= {
            f"stage:{kind}": f"Stage: {PROCESSORS[kind].label}" for kind in dict.fromkeys((*_MOST_USED, *PROCESSORS))
        }
        self.which = Picker(names, "What is to be done to the chosen notes, or to all where none is chosen.")
        self.which.chosen.connect(self.choose)
        box.addWidget(self.which)
        self.summary = Label("")
        self.summary.setProperty("role", "second")
        self.summary.setWordWrap(True)
        box.addWidget(self.summary)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._holder = QWidget()
        self._holder.setObjectName("paper")
        self._controls = QVBoxLayout(self._holder)
        self._controls.setContentsMargins(0, 0, 8, 0)
        self._controls.setSpacing(8)
        area.setWidget(self._holder)
        box.addWidget(area, 1)
        self.everywhere = ToggleSwitch("In all strands", "Do it in every strand of the take, to all of their notes.")
        self.everywhere.toggled.connect(self.look)
        box.addWidget(self.everywhere)
        self.words = Label("")
        self.words.setWordWrap(True)
        box.addWidget(self.words)
        row = QHBoxLayout()
        self.do = QPushButton("Do it")
        self.do.setProperty("strong", True)
        self.do.setToolTip("Do what the paper shows; Ctrl+Z takes it back.")
        self.do.clicked.connect(self._do)
        self.leave = QPushButton("Leave it")
        self.leave.setToolTip("Show no remedy.")
        self.leave.clicked.connect(lambda: self.choose(""))
        row.addWidget(self.do, 1)
        row.addWidget(self.leave)
        box.addLayout(row)
        self._timer = one_shot(self, _SOON_MS)
        self._timer.timeout.connect(self.look)
        self.name = ""
        self.choose("")

    # -- choosing ----------------------------------------------------------------------------------

    @property
    def params(self) -> tuple[Param, ...]:
        """The declarations of what can be turned."""
        if self.name.startswith("stage:"):
            return tuple(PROCESSORS[self.name.partition(":")[2]].params)
        return REMEDIES[self.name].params if self.name else ()

    @property
    def label(self) -> str:
        """What it is called."""
        if self.name.startswith("stage:"):
            return PROCESSORS[self.name.partition(":")[2]].label
        return REMEDIES[self.name].label if self.name else ""

    @property
    def values(self) -> dict[str, Any]:
        """The values that its knobs have."""
        return with_defaults(self.params, self._set)

    @property
    def _set(self) -> dict[str, Any]:
        """The values that are not the declared ones."""
        return {**self.suggested.get(self.name, {}), **self._values.get(self.name, {})}

    def choose(self, name: str) -> None:
        """Take up a remedy (empty: none)."""
        self.name = name
        self.which.set_value(name)
        while (item := self._controls.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for param in self.params:
            if isinstance(param, STANDARD):
                control = standard_control(param, theme.ink(3), self._turner(param.name), lambda: None)
                control.set_value(self.values[param.name])  # type: ignore[attr-defined]
                self._controls.addWidget(captioned(param, control))
        self._controls.addStretch(1)
        kind = name.partition(":")[2]
        about = PROCESSORS[kind].summary if kind else REMEDIES[name].summary if name else ""
        self.summary.setText(
            about or "A remedy shows on the paper what it takes away (rings) and what it puts there (dotted)."
        )
        for widget in (self.do, self.leave, self.everywhere):
            widget.setVisible(bool(name))
        self.look()

    def _turner(self, key: str) -> Callable[[Any, bool], None]:
        """What is done when a knob is turned."""

        def turn(value: Any, settled: bool) -> None:
            self._values.setdefault(self.name, {})[key] = value
            self._timer.start()

        return turn

    # -- showing -----------------------------------------------------------------------------------

    def show_notes(
        self,
        sheet: Sheet,
        chosen: frozenset[int],
        course: Course,
        where: str,
        others: Callable[[], Mapping[str, tuple[str, Sheet]]],
    ) -> None:
        """What it works on now.

        Args:
            where: the name of its strand.
            others: gives the names and sheets of the other strands, by their ids.
        """
        self._where, self._others = where, others
        if (sheet, chosen, course) != (self._sheet, self._chosen, self._course):
            self._sheet, self._chosen, self._course = sheet, chosen, course
            if self.name:
                self._timer.start()

    def look(self) -> None:
        """Work out what it would do, and say it."""
        self.plan, self.beside = None, {}
        text = ""
        if self.name:
            try:
                text = self._look()
            except ArpegonError as error:
                text = str(error)
        self.words.setText(text)
        self.do.setEnabled(self._does_something)
        self.planned.emit(self.plan)

    def _look(self) -> str:
        """Plan it, and say what it would do."""
        everywhere = self.everywhere.value()
        self.plan = self._planned(self._sheet, frozenset() if everywhere else self._chosen)
        if not everywhere:
            return self.plan.words or "Nothing would change."
        words = [(self._where, self.plan.words)]
        for strand, (name, sheet) in self._others().items():
            plan = self.beside[strand] = self._planned(sheet, frozenset())
            words.append((name, plan.words))
        return "\n".join(f"{name}: {said}" for name, said in words if said) or "Nothing would change."

    @property
    def _does_something(self) -> bool:
        plans = [*self.beside.values(), *([self.plan] if self.plan is not None else [])]
        return any(not plan.does_nothing for plan in plans)

    def _planned(self, sheet: Sheet, chosen: frozenset[int]) -> Plan:
        values = self._set
        if self.name.startswith("stage:"):
            return plan_stage(sheet, chosen, self._course, self.name.partition(":")[2], values)
        return REMEDIES[self.name].plan(sheet, chosen, self._course, values)

    def _do(self) -> None:
        self._timer.stop()
        self.look()
        if self.plan is not None and self._does_something:
            self.done.emit(self.label, self.plan)
