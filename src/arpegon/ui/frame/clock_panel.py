"""The clock: whose leads the transport, who is sent it, and the clock box to try it with."""

from __future__ import annotations

from typing import Any

import msgspec
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QCheckBox, QDialog, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from arpegon.core.document import edits
from arpegon.core.document.model import Hookup
from arpegon.core.processing.parameters import Number
from arpegon.core.time.timecode import RATES, code_from
from arpegon.engine.clocks.clock_box import NAME as CLOCK_BOX
from arpegon.engine.clocks.clock_box import BoxSettings
from arpegon.engine.wire.protocol import Telemetry
from arpegon.ui.controls.choices import Picker, Segments
from arpegon.ui.controls.slider import Slider
from arpegon.ui.look import theme
from arpegon.ui.look.plain import Label, tip, unmarked
from arpegon.ui.model.session import Session
from arpegon.ui.model.words import OWN_OUTPUT, port_words
from arpegon.ui.parts.standard import caps, under_caption

_WORDS = {
    "own": "The project's own tempo leads.",
    "waiting": "No clock has come yet.",
    "running": "In step with a clock of {tempo:.1f} beats a minute.",
    "lost": "The clock no longer comes.",
    "code-waiting": "No time code has come yet.",
    "code-stands": "The time code stands; the transport does, too.",
    "code-running": "At the place that the time code says.",
}
_SENT = {"send": "Clock", "code_to": "Time code"}
_SENT_HELP = {"send": "Send ticks, start, stop and song position", "code_to": "Send MIDI time code"}
_CHECK_WIDTH = 78
_TOGETHER = "Starts, stops and goes to places together with JACK's transport, where a server runs."
_TEMPO = Number(
    name="tempo", label="Its tempo", default=104.0, low=20.0, high=400.0, step=0.1, help="The tempo of the clock box."
)
_DRIFT = Number(
    name="drift",
    label="Drift",
    default=0.2,
    low=0.0,
    high=5.0,
    step=0.1,
    unit="%",
    help="By how much its tempo swings to and fro, as that of a warm old box does.",
)
_JITTER = Number(
    name="jitter",
    label="Jitter",
    default=1.0,
    low=0.0,
    high=5.0,
    step=0.1,
    unit="ms",
    help="By how much its ticks come late, each by another amount.",
)


class ClockPanel(QDialog):
    """A panel beneath the tempo; it stays open while music plays."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Tool)
        self.session = session
        self.box = BoxSettings()
        self.setWindowTitle("Clock")
        self.setFixedWidth(360)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 16)
        column.setSpacing(9)
        self._build_follow(column)
        self._build_send(column)
        self._build_box(column)
        session.changed.connect(self.refresh)
        session.ports_changed.connect(self.refresh)
        session.reported.connect(self._reported)
        self.refresh()

    def open_below(self, where: QPoint) -> None:
        """Open, or come to the front."""
        self.adjustSize()
        self.move(where)
        self.show()
        self.raise_()

    # -- building ----------------------------------------------------------------------------------

    def _build_follow(self, column: QVBoxLayout) -> None:
        column.addWidget(caps("The transport follows"))
        self.leader = Segments(
            {"own": "itself", "clock": "MIDI clock", "code": "time code", "jack": "JACK"},
            "What leads: the project's tempo; ticks from outside; MIDI time code, which says the place while the tempo "
            "is the project's; or JACK's transport, with which all programs start, stop and go to places together.",
        )
        self.leader.chosen.connect(self._lead_by)
        column.addWidget(self.leader)
        self.bars = Segments(
            {"follow": "others", "lead": "Arpegon"},
            "Who says bars and tempo to all programs that go along with JACK's transport.",
        )
        self.bars.chosen.connect(lambda value: self._set("Bars of JACK", jack=value))
        self.bars_box = under_caption("Bars and tempo are said by", self.bars)
        column.addWidget(self.bars_box)
        self.port = Picker({}, "From which MIDI input the clock comes.")
        self.port.chosen.connect(lambda port: self._set("Clock input", port=port))
        self.port_box = under_caption("From", self.port)
        column.addWidget(self.port_box)
        self.lost = Segments(
            {"go-on": "goes on", "stop": "stops"},
            "What the transport does when the ticks no longer come: go on at the last tempo, or stop.",
        )
        self.lost.chosen.connect(lambda value: self._set("A lost clock", lost=value))
        self.lost_box = under_caption("When the clock is lost, the transport", self.lost)
        column.addWidget(self.lost_box)
        self.state = Label("")
        self.state.setProperty("role", "second")
        self.state.setWordWrap(True)
        column.addWidget(self.state)
        row = QHBoxLayout()
        for words, wanted in (
            ("Learn a knob for the tempo", Hookup(id="", param="tempo", out_low=50.0, out_high=200.0)),
            ("Learn a pad to tap it", Hookup(id="", action="tap", way="trigger")),
        ):
            button = QPushButton(words)
            button.setToolTip("Move or strike a control: it is hooked up. Its range can be set in the Hookups view.")
            button.clicked.connect(lambda _=False, wanted=wanted: self.session.hooking.learn(wanted))
            row.addWidget(button)
        column.addLayout(row)

    def _lead_by(self, leader: str) -> None:
        kept = self.session.project.clock.by
        by = leader if leader in ("clock", "code") else kept
        self._set("Clock", follow=leader in ("clock", "code"), by=by, jack="follow" if leader == "jack" else "off")
        self.adjustSize()

    def _build_send(self, column: QVBoxLayout) -> None:
        column.addSpacing(4)
        head = QHBoxLayout()
        head.addWidget(caps("Sent to"), 1)
        for words in _SENT.values():
            caption = caps(words)
            caption.setFixedWidth(_CHECK_WIDTH)
            head.addWidget(caption)
        column.addLayout(head)
        self.outputs = QVBoxLayout()
        self.outputs.setSpacing(2)
        column.addLayout(self.outputs)
        self.checks: dict[str, dict[str, QCheckBox]] = {}
        """By output, and by the list of the document in which it is named."""
        row = QHBoxLayout()
        row.setSpacing(20)
        self.code_rate = Segments({name: name for name in RATES}, "Frames in a second of the time code that is sent.")
        self.code_rate.chosen.connect(lambda rate: self._set("Frame rate", code_rate=rate))
        row.addWidget(under_caption("Frames a second", self.code_rate))
        self.code_start = QLineEdit()
        self.code_start.setToolTip("The time code at which the piece begins, hours:minutes:seconds:frames.")
        self.code_start.editingFinished.connect(self._set_start)
        row.addWidget(under_caption("The piece begins at", self.code_start))
        self.code_box = QWidget()
        self.code_box.setLayout(row)
        row.setContentsMargins(0, 4, 0, 0)
        column.addWidget(self.code_box)

    def _build_box(self, column: QVBoxLayout) -> None:
        column.addSpacing(4)
        head = QHBoxLayout()
        head.addWidget(caps("Clock box"))
        hint = Label("a simulated device, to try it with nothing plugged in")
        hint.setProperty("role", "second")
        head.addWidget(hint, 1)
        column.addLayout(head)
        row = QHBoxLayout()
        self.power = QPushButton("On")
        self.power.setCheckable(True)
        self.power.setToolTip("Switch it on: it ticks, also while it is stopped, as many devices do.")
        self.power.toggled.connect(lambda on: self._turn(on=on, running=on and self.box.running))
        self.run = QPushButton("Start")
        self.run.setToolTip("Its start button: it sends a start and then its ticks; pressed again, a stop.")
        self.run.clicked.connect(lambda: self._turn(running=not self.box.running))
        self.follow_it = QPushButton("Follow it")
        self.follow_it.setToolTip("Let the transport follow the clock box.")
        self.follow_it.clicked.connect(
            lambda: self._set("Follow the clock box", follow=True, by="clock", port=CLOCK_BOX)
        )
        for button in (self.power, self.run, self.follow_it):
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)
        self.sliders: dict[str, Slider] = {}
        pair = QHBoxLayout()
        pair.setSpacing(20)
        for number in (_TEMPO, _DRIFT, _JITTER):
            slider = self.sliders[number.name] = Slider(number, theme.ink(7))
            slider.set_value(getattr(self.box, number.name))
            slider.moved.connect(lambda value, key=number.name: self._turn(**{key: round(value, 1)}))
            if number is _TEMPO:
                column.addWidget(slider)
            else:
                pair.addWidget(slider)
        column.addLayout(pair)

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the document and the ports as they are."""
        clock = self.session.project.clock
        self.leader.set_value(clock.by if clock.follow else "own" if clock.jack == "off" else "jack")
        self.bars.set_value("follow" if clock.jack == "off" else clock.jack)
        self.bars_box.setVisible(clock.jack != "off")
        self.port_box.setVisible(clock.jack == "off")
        self.lost_box.setVisible(clock.jack == "off" and clock.by == "clock")
        inputs = {"": "any MIDI input", CLOCK_BOX: f"{CLOCK_BOX} (simulated)"}
        inputs |= {port: port_words(port) for port in self.session.reports.ports.inputs}
        if clock.port not in inputs:
            inputs[clock.port] = f"{port_words(clock.port)} (not there now)"
        self.port.set_options(inputs)
        self.port.set_value(clock.port)
        self.lost.set_value(clock.lost)
        for widget in (self.port_box, self.lost_box):
            widget.setEnabled(clock.follow)
        ports = (*edits.own_outputs(self.session.project), *self.session.reports.ports.outputs)
        outputs = {"": OWN_OUTPUT, **{port: port_words(port) for port in ports}}
        named = (*clock.send, *clock.code_to)
        outputs |= {port: f"{port_words(port)} (not there now)" for port in named if port not in outputs}
        if list(outputs) != list(self.checks):
            self._make_checks(outputs)
        for port, checks in self.checks.items():
            for which, check in checks.items():
                check.setChecked(port in getattr(clock, which))
        self.code_box.setVisible(bool(clock.code_to) or (clock.follow and clock.by == "code"))
        self.code_rate.set_value(clock.code_rate)
        self.code_rate.setEnabled(bool(clock.code_to))
        if not self.code_start.hasFocus():
            self.code_start.setText(clock.code_start)
        self._show_box()

    def _make_checks(self, outputs: dict[str, str]) -> None:
        while self.outputs.count():
            row = self.outputs.takeAt(0)
            widget = row.widget() if row is not None else None
            if widget is not None:
                widget.deleteLater()
        self.checks = {}
        for port, words in outputs.items():
            line = QWidget()
            row_box = QHBoxLayout(line)
            row_box.setContentsMargins(0, 0, 0, 0)
            name = Label(unmarked(words))
            row_box.addWidget(name, 1)
            self.checks[port] = {}
            for which, what in _SENT_HELP.items():
                check = QCheckBox()
                check.setFixedWidth(_CHECK_WIDTH)
                check.setAccessibleName(f"{what} to {words}")
                check.setToolTip(tip(f"{what} to {words}."))
                check.clicked.connect(lambda _=False, which=which: self._send(which))
                self.checks[port][which] = check
                row_box.addWidget(check)
            self.outputs.addWidget(line)
        self.adjustSize()

    def _show_box(self) -> None:
        self.power.setChecked(self.box.on)
        self.run.setText("Stop" if self.box.running else "Start")
        self.run.setEnabled(self.box.on)

    def _reported(self, told: Telemetry) -> None:
        if self.isVisible():
            together = self.session.project.clock.jack != "off"
            self.state.setText(_TOGETHER if together else _WORDS[told.clock].format(tempo=told.tempo))

    # -- edits -------------------------------------------------------------------------------------

    def _set(self, label: str, **changes: Any) -> None:
        clock = msgspec.structs.replace(self.session.project.clock, **changes)
        self.session.edit(label, edits.set_project(self.session.project, clock=clock))

    def _send(self, which: str) -> None:
        chosen = tuple(port for port, checks in self.checks.items() if checks[which].isChecked())
        self._set("Send a clock" if which == "send" else "Send time code", **{which: chosen})
        self.adjustSize()

    def _set_start(self) -> None:
        text = self.code_start.text()
        code = code_from(text, RATES[self.session.project.clock.code_rate])
        if code is None:
            self.session.notice(
                "edit", f"“{text}” is no time code: type hours:minutes:seconds:frames, such as 01:00:00:00."
            )
            self.code_start.setText(self.session.project.clock.code_start)
        elif str(code) != self.session.project.clock.code_start:
            self._set("Start of the time code", code_start=str(code))

    def _turn(self, **changes: Any) -> None:
        self.box = msgspec.structs.replace(self.box, **changes)
        self.session.link.set_clock_box(self.box)
        self._show_box()
