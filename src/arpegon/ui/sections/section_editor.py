"""The editor of one section: its name, its bars, what follows, and what it holds."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from arpegon.core.document import edits
from arpegon.core.document.model import Held, Project, Section, SectionClock
from arpegon.core.document.sections import CLOCK_WAYS, MAX_BARS, TRANSPORT_WAYS, tempo_of
from arpegon.core.processing.parameters import Number, Param
from arpegon.processors.targets import TEMPO, WITHIN, held_words, name_of, param_at, value_now
from arpegon.ui.controls.choices import Segments, ToggleSwitch
from arpegon.ui.controls.more_edge import MoreEdge
from arpegon.ui.controls.slider import Slider
from arpegon.ui.look import theme
from arpegon.ui.look.plain import Label
from arpegon.ui.model.session import Session
from arpegon.ui.parts.parts_menu import holdable_menu
from arpegon.ui.parts.standard import STANDARD, caps, captioned, standard_control, under_caption
from arpegon.ui.sections.messages_box import MessagesBox

_BARS = Number(name="bars", label="Bars", default=8, low=1, high=MAX_BARS, help="How many bars it lasts.")
_THEN = {"on": "goes on", "again": "again", "top": "to the first", "stop": "stops"}
_TEACH = (
    "A section is a part of the piece: some bars, and the settings that hold there. Add one, then press “hold changes” "
    "in the strip above the board and change what you like: tempo, key, patterns, mutes. It holds only there."
)

_LEAST_HOLDS = 150
"""Pixels for what a section holds; where there are fewer, all of its editor scrolls."""


class SectionEditor(QWidget):
    """Everything about the section that is chosen."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.section_id = ""
        self.setFixedWidth(398)
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        box = QVBoxLayout(self)
        box.setContentsMargins(18, 10, 18, 8)
        box.setSpacing(6)
        self.title = Label("")
        self.title.setProperty("role", "name")
        box.addWidget(self.title)
        self.words = Label(_TEACH)
        self.words.setProperty("role", "second")
        self.words.setWordWrap(True)
        box.addWidget(self.words)
        self.body = QWidget()
        column = QVBoxLayout(self.body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self._build_own(column)
        self._build_holds(column)
        box.addWidget(self.body, 1)
        box.addStretch(0)
        self._rows: dict[tuple[str, str], HeldRow] = {}
        self.refresh()

    # -- building ----------------------------------------------------------------------------------

    def _build_own(self, column: QVBoxLayout) -> None:
        self.name = QLineEdit()
        self.name.setToolTip("What the section is called.")
        self.name.editingFinished.connect(self._rename)
        column.addWidget(self.name)
        self.bars = Slider(_BARS, theme.ink(3))
        self.bars.moved.connect(lambda value: self._set("Bars", "bars", bars=int(value)))
        self.bars.settled.connect(self.session.settle)
        column.addWidget(self.bars)
        label = Label("After its bars")
        label.setProperty("role", "second")
        column.addWidget(label)
        self.then = Segments(
            _THEN,
            "Goes on: the next section follows. Again: it is repeated until another one is asked for. To the first: "
            "the piece begins anew. Stops: the transport stops.",
        )
        self.then.chosen.connect(lambda value: self._set("After its bars", then=value))
        column.addWidget(self.then)
        self.within = Slider(WITHIN, theme.ink(3))
        self.within.moved.connect(lambda value: self._set("Tempo", "within", tempo_within=int(value)))
        self.within.settled.connect(self.session.settle)
        column.addWidget(self.within)
        self.goes = ToggleSwitch("The tempo goes on to another", "Evenly, from its own tempo to one at its end.")
        self.goes.toggled.connect(self._let_tempo_go)
        self.tempo_to = Slider(msgspec.structs.replace(TEMPO, label="Until its end to"), theme.ink(3))
        self.tempo_to.moved.connect(lambda value: self._set("Tempo", "tempo_to", tempo_to=round(float(value), 1)))
        self.tempo_to.settled.connect(self.session.settle)
        column.addWidget(self.goes)
        column.addWidget(self.tempo_to)

        self.transport = Segments(
            TRANSPORT_WAYS,
            "Goes on: what plays goes on over the line. Begins anew: walks, draws and clips begin as at a start. "
            "Stops: the transport rests here until it is started again.",
        )
        self.transport.chosen.connect(lambda value: self._set("Transport", transport=value))
        column.addWidget(under_caption("Where it begins, the transport", self.transport))
        self._clocks = QVBoxLayout()
        self._clocks.setSpacing(6)
        column.addLayout(self._clocks)
        self.clocks: dict[str, Segments] = {}

    def _build_holds(self, column: QVBoxLayout) -> None:
        head = QHBoxLayout()
        head.addWidget(caps("What holds here"), 1)
        self.more = QPushButton("+ setting")
        self.more.setToolTip("Choose something that shall hold in this section; it begins with its value of now.")
        self.more.clicked.connect(self._choose)
        head.addWidget(self.more)
        column.addLayout(head)
        self.none = Label(
            "Nothing yet: it sounds as the project is. Right click on any control of the bench and choose “Hold”, or "
            "press “hold changes” and change things while it plays."
        )
        self.none.setProperty("role", "second")
        self.none.setWordWrap(True)
        column.addWidget(self.none)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        holder = QWidget()
        holder.setObjectName("paper")
        outer = QVBoxLayout(holder)
        outer.setContentsMargins(0, 0, 8, 0)
        self._holds = QVBoxLayout()
        self._holds.setSpacing(7)
        outer.addLayout(self._holds)
        outer.addSpacing(8)
        self.messages = MessagesBox()
        self.messages.changed.connect(lambda messages: self._set("what it sends", "sends", sends=messages))
        outer.addWidget(self.messages)
        outer.addStretch(1)
        area.setWidget(holder)
        area.setMinimumHeight(_LEAST_HOLDS)
        MoreEdge(area)
        column.addWidget(area, 1)

    # -- showing -----------------------------------------------------------------------------------

    @property
    def section(self) -> Section | None:
        """The section that is edited."""
        return self.session.project.section(self.section_id)

    def show_section(self, section_id: str) -> None:
        """Edit another one."""
        if section_id != self.section_id:
            self.session.settle()
            self.section_id = section_id
            self.refresh()

    def refresh(self) -> None:
        """Show it as it is now."""
        section = self.section
        self.body.setVisible(section is not None)
        self.words.setVisible(section is None)
        if section is None:
            self.title.setText("Sections")
            return
        self.title.setText(f"Section {self.session.project.sections.index(section) + 1}")
        if not self.name.hasFocus():
            self.name.setText(section.name)
        self.bars.set_value(section.bars)
        self.then.set_value(section.then)
        self.within.set_value(section.tempo_within)
        self.goes.set_value(section.tempo_to is not None)
        self.tempo_to.setVisible(section.tempo_to is not None)
        if section.tempo_to is not None:
            self.tempo_to.set_value(section.tempo_to)
        self.transport.set_value(section.transport)
        self._show_clocks(section)
        self.messages.show_messages(self.session.project, section.sends)
        self.none.setVisible(not section.holds)
        self._show_holds(section)

    def _show_clocks(self, section: Section) -> None:
        """A choice for each clock that is sent."""
        ports = self.session.project.clock.send
        if list(ports) != list(self.clocks):
            while (item := self._clocks.takeAt(0)) is not None:
                widget = item.widget()
                if widget is not None:
                    widget.hide()
                    widget.deleteLater()
            self.clocks = {}
            for port in ports:
                made = self.clocks[port] = Segments(
                    CLOCK_WAYS, "What the clock that is sent there does in this section."
                )
                made.chosen.connect(lambda way, port=port: self._set_clock(port, way))
                self._clocks.addWidget(under_caption(f"The clock to {port or 'Arpegon’s own output'}", made))
        ways = {one.port: one.way for one in section.clocks}
        for port, segments in self.clocks.items():
            segments.set_value(ways.get(port, "on"))

    def _set_clock(self, port: str, way: str) -> None:
        section = self.section
        if section is None:
            return
        others = tuple(one for one in section.clocks if one.port != port)
        own = () if way == "on" else (msgspec.convert({"port": port, "way": way}, SectionClock),)
        self._set("Clocks", clocks=(*others, *own))

    def _show_holds(self, section: Section) -> None:
        project = self.session.project
        shapes = [(one.place, held_words(project, one) is None) for one in section.holds]
        if shapes != [(place, row.gone) for place, row in self._rows.items()]:
            for row in self._rows.values():
                self._holds.removeWidget(row)
                row.hide()
                row.deleteLater()
            self._rows = {}
            for one in section.holds:
                made = self._rows[one.place] = HeldRow(project, one, self._hold, self.session.settle, self._let_go)
                self._holds.addWidget(made)
        for one in section.holds:
            self._rows[one.place].show_held(project, one)

    # -- edits -------------------------------------------------------------------------------------

    def _set(self, label: str, merge: str = "", **changes: Any) -> None:
        project = edits.set_section(self.session.project, self.section_id, **changes)
        self.session.edit(f"Section: {label}", project, f"{self.section_id}:{merge}" if merge else None)

    def _let_tempo_go(self, on: bool) -> None:
        section = self.section
        if section is not None and on != (section.tempo_to is not None):
            self._set("Tempo", tempo_to=tempo_of(self.session.project, section) if on else None)

    def _rename(self) -> None:
        name = self.name.text().strip()
        if name:
            self._set("Name", name=name)
        self.refresh()

    def _hold(self, held: Held, settled: bool) -> None:
        project = edits.hold(self.session.project, self.section_id, held)
        self.session.edit("Section: what holds", project, f"{self.section_id}:{held.place}")
        if settled:
            self.session.settle()

    def _let_go(self, target: str, param: str) -> None:
        self.session.edit("Hold no more", edits.let_go(self.session.project, self.section_id, target, param))

    def _choose(self) -> None:
        menu = holdable_menu(self.session.project, self, self._take)
        menu.exec(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    def _take(self, target: str, param: str) -> None:
        project = self.session.project
        held = Held(target=target, param=param, value=value_now(project, target, param))
        self.session.edit("Hold", edits.hold(project, self.section_id, held))


class HeldRow(QWidget):
    """One held value: its control where it has a standard one, else its words; and a button to let it go."""

    def __init__(
        self,
        project: Project,
        held: Held,
        hold: Callable[[Held, bool], None],
        settle: Callable[[], None],
        let_go: Callable[[str, str], None],
    ) -> None:
        super().__init__()
        param = param_at(project, held.place)
        self.gone = param is None
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        self.control: QWidget | None = None
        self._label: Label | None = None
        if isinstance(param, STANDARD):
            where = name_of(project, held.target)
            named: Param = msgspec.structs.replace(param, label=f"{param.label} · {where}" if where else param.label)
            self.control = standard_control(
                named,
                theme.ink(3),
                lambda value, settled: hold(msgspec.structs.replace(held, value=value), settled),
                settle,
            )
            row.addWidget(captioned(named, self.control), 1)
        else:
            self._label = Label("")
            self._label.setWordWrap(True)
            self._label.setProperty("role", "warning" if self.gone else "")
            row.addWidget(self._label, 1)
        drop = QPushButton("×")
        drop.setFixedSize(26, 24)
        drop.setStyleSheet("padding: 0;")
        drop.setToolTip("It holds here no more: the project's own value is heard.")
        drop.clicked.connect(lambda: let_go(*held.place))
        row.addWidget(drop, 0, Qt.AlignmentFlag.AlignTop)

    def show_held(self, project: Project, held: Held) -> None:
        """Show the value."""
        if self.control is not None:
            self.control.set_value(held.value)  # type: ignore[attr-defined]
        elif self._label is not None:
            gone = f"{held.param} of “{held.target}” is gone; it holds again if that comes back."
            self._label.setText(held_words(project, held) or gone)
