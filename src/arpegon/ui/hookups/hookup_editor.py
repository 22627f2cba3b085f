"""The editor of one hookup."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from arpegon.core.document import edits
from arpegon.core.document.hookup_values import SILENCE_RANGE, bounds, steps_of
from arpegon.core.document.model import Hookup, Project
from arpegon.core.processing.parameters import Number, Param
from arpegon.core.theory.pitch import written
from arpegon.processors.actions import ACTIONS, target_words
from arpegon.processors.targets import declared, name_of
from arpegon.ui.controls.choices import Picker, Segments, ToggleSwitch
from arpegon.ui.controls.range_slider import RangeSlider
from arpegon.ui.controls.slider import Slider
from arpegon.ui.look import theme
from arpegon.ui.look.plain import Label, unmarked
from arpegon.ui.model.hookup_words import control_words, surface_name, taps_of
from arpegon.ui.model.session import Session
from arpegon.ui.parts.end_editor import CHANNELS, channel_of
from arpegon.ui.parts.parts_menu import target_menu
from arpegon.ui.parts.standard import caps, under_caption

_CONTROLS = {
    "cc": "controller",
    "cc14": "controller, 14 bit",
    "note": "note",
    "velocity": "velocity of keys",
    "pressure": "pressure",
    "poly": "key pressure",
    "bend": "pitch bend",
    "program": "program",
    "stage": "LFO or contour",
}
_WAYS = {"follow": "follow", "toggle": "toggle", "held": "held", "trigger": "trigger", "next": "next"}
_TAKEOVERS = {"jump": "jump", "pick-up": "pick up", "scale": "scale"}
_NUMBER = Number(name="number", label="Number", default=0, low=0, high=127, help="The number of the control.")
_VALUE = Number(name="value", label="Value", default=1, low=0, high=64, help="The number that the action takes.")
_SILENCE = Number(
    name="silence",
    label="A press again after",
    default=0.3,
    low=SILENCE_RANGE[0],
    high=SILENCE_RANGE[1],
    step=0.01,
    unit="s",
    help="After so long without a value one above the middle is another press: some buttons never send their release.",
)
_BUTTONS = ("cc", "cc14", "pressure", "poly", "bend")
_TAP = "tap:"
"""Before the name of a tap, among the places where a control is."""


class HookupEditor(QWidget):
    """Everything about the hookup that is chosen."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedWidth(398)
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.hookup_id = ""
        self._ends: tuple[float, float] | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(18, 10, 18, 8)
        box.setSpacing(4)
        self.title = Label("")
        self.title.setProperty("role", "name")
        self.title.setWordWrap(True)
        box.addWidget(self.title)
        self.words = Label("")
        self.words.setProperty("role", "second")
        self.words.setWordWrap(True)
        box.addWidget(self.words)
        self.body = QWidget()
        self._column = QVBoxLayout(self.body)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(5)
        self._build_control()
        self._build_target()
        self._build_how()
        box.addWidget(self.body)
        box.addStretch(1)
        self.refresh()

    # -- building ----------------------------------------------------------------------------------

    def _build_control(self) -> None:
        column = self._column
        column.addWidget(caps("Control"))
        self.name = QLineEdit()
        self.name.setPlaceholderText("a name, if you like")
        self.name.setToolTip("What the control is called, such as its label on the device.")
        self.name.editingFinished.connect(lambda: self._set("Name", name=self.name.text().strip()))
        row = QHBoxLayout()
        row.addWidget(self.name, 1)
        self.learn = QPushButton("Learn again")
        self.learn.setToolTip("Move or strike another control for this hookup.")
        self.learn.clicked.connect(self._learn)
        row.addWidget(self.learn)
        column.addLayout(row)
        self.control = Picker(_CONTROLS, "What kind of control it is.")
        self.control.chosen.connect(lambda value: self._set("Control", control=value))
        self.channel = Picker({"": "any channel", **CHANNELS}, "The MIDI channel of the control.")
        self.channel.chosen.connect(lambda value: self._set("Channel", channel=channel_of(value)))
        self.feed = Picker({}, "Where the control is: any input, one of them, or what passes a place in a strand.")
        self.feed.chosen.connect(self._take_feed)
        self.stage = Picker({}, "Which LFO or contour.")
        self.stage.chosen.connect(lambda value: self._set("LFO or contour", stage=value))
        row = QHBoxLayout()
        for widget in (self.control, self.channel, self.stage):
            row.addWidget(widget, 1)
        column.addLayout(row)
        column.addWidget(self.feed)
        self.number = Slider(_NUMBER, theme.ink(3))
        self.number.moved.connect(lambda value: self._set("Number", "number", number=int(value)))
        column.addWidget(self.number)

    def _build_target(self) -> None:
        column = self._column
        column.addWidget(caps("Moves"))
        self.target = QPushButton("")
        self.target.setToolTip("Choose another parameter or action.")
        self.target.clicked.connect(self._choose_target)
        column.addWidget(self.target)
        self.value = Slider(_VALUE, theme.ink(3))
        self.value.moved.connect(lambda value: self._set("Value", "value", value=float(value)))
        column.addWidget(self.value)

    def _build_how(self) -> None:
        column = self._column
        column.addWidget(caps("How"))
        self.way = Segments(
            _WAYS,
            "Follow: the value goes with the control. Toggle: each press flips it. Held: while it is pressed. "
            "Trigger: each press sets or does it. Next: each press goes on by one.",
        )
        self.way.chosen.connect(lambda value: self._set("Way", way=value))
        column.addWidget(self.way)
        self.inside = RangeSlider(0, 127, 1, theme.ink(3), "From what to what the control is moved.")
        self.inside.moved.connect(lambda low, high: self._put_range("in", low, high))
        self.inside.settled.connect(self.session.settle)
        self.inside_words = Label("")
        self.outside = RangeSlider(0, 127, 1, theme.ink(3), "From what to what the parameter goes.")
        self.outside.moved.connect(lambda low, high: self._put_range("out", low, high))
        self.outside.settled.connect(self.session.settle)
        self.outside_words = Label("")
        self.outside_caption = Label("Out")
        for words, slider, label in (
            (self.inside_words, self.inside, Label("In")),
            (self.outside_words, self.outside, self.outside_caption),
        ):
            line = QHBoxLayout()
            label.setProperty("role", "second")
            words.setProperty("role", "small-number")
            line.addWidget(label, 1)
            line.addWidget(words)
            column.addLayout(line)
            column.addWidget(slider)
        self.reversed = ToggleSwitch("Reversed", "The control's top becomes the bottom.")
        self.reversed.toggled.connect(self._reverse)
        self.passes = ToggleSwitch("It goes on into the strands", "Else what moves it is kept from the strands.")
        self.passes.toggled.connect(lambda on: self._set("Passes", passes=on))
        row = QHBoxLayout()
        row.addWidget(self.reversed, 2)
        row.addWidget(self.passes, 3)
        column.addLayout(row)
        self.curve = Segments({"straight": "straight", "soft": "soft", "hard": "hard"}, "How the value bends.")
        self.curve.chosen.connect(lambda value: self._set("Curve", curve=value))
        column.addWidget(under_caption("Curve", self.curve))
        self.takeover = Segments(
            _TAKEOVERS,
            "A knob that stands elsewhere: jump at once, pick up where it meets the value, or scale what is left.",
        )
        self.takeover.chosen.connect(lambda value: self._set("Take-over", takeover=value))
        self.takeover_box = under_caption("A knob that stands elsewhere", self.takeover)
        column.addWidget(self.takeover_box)
        self.silence = Slider(_SILENCE, theme.ink(3))
        self.silence.moved.connect(lambda value: self._set("Silence", "silence", silence=float(value)))
        self.silence.settled.connect(self.session.settle)
        column.addWidget(self.silence)
        row = QHBoxLayout()
        self.remove = QPushButton("Remove")
        self.remove.setToolTip("Take this hookup out (Del); Ctrl+Z brings it back.")
        self.remove.clicked.connect(self._remove)
        row.addStretch(1)
        row.addWidget(self.remove)
        column.addLayout(row)

    # -- showing -----------------------------------------------------------------------------------

    @property
    def hookup(self) -> Hookup | None:
        """The hookup that is edited."""
        return self.session.project.hookup(self.hookup_id)

    def show_hookup(self, hookup_id: str) -> None:
        """Edit another one."""
        if hookup_id != self.hookup_id:
            self.session.settle()
            self.hookup_id = hookup_id
            self.refresh()

    def refresh(self) -> None:
        """Show it as it is now."""
        one, project = self.hookup, self.session.project
        self.body.setVisible(one is not None)
        if one is None:
            self.title.setText("Hookups")
            self.words.setText(
                "A hookup ties a knob, pad, pedal, key or LFO to a parameter or an action. Right click on any "
                "control of the program (or Ctrl+L), then move or strike something: done."
            )
            return
        words = target_words(project, one)
        name = one.name or surface_name(project, one)
        self.title.setText(name or control_words(one, project))
        self.words.setText(control_words(one, project) if name else "")
        if not self.name.hasFocus():
            self.name.setText(one.name)
        self.control.set_value(one.control)
        numbered = one.control in ("cc", "cc14", "note", "poly", "program")
        by_stage = one.control == "stage"
        self.number.setVisible(numbered)
        self.number.set_value(one.number)
        self.channel.setVisible(not by_stage)
        self.channel.set_value("" if one.channel is None else str(one.channel))
        self.feed.setVisible(not by_stage)
        self.stage.setVisible(by_stage)
        self._show_pickers(one, project)
        self.target.setText(unmarked(words or "what it moved is gone; choose another …"))
        action = ACTIONS.get(one.action)
        self.value.setVisible(action is not None and bool(action.value))
        self.value.set_value(one.value or 1)
        self.way.set_value(one.way)
        self.curve.set_value(one.curve)
        self.takeover.set_value(one.takeover)
        self.takeover_box.setVisible(one.way == "follow" and one.control in ("cc", "cc14", "pressure", "bend"))
        self.silence.setVisible(one.way in ("toggle", "trigger", "next") and one.control in _BUTTONS)
        self.silence.set_value(one.silence)
        self.passes.setVisible(not by_stage and not one.tap and one.control != "velocity")
        self.passes.set_value(one.passes)
        self._show_ranges(one, declared(project, one) if one.param else None)

    def _show_pickers(self, one: Hookup, project: Project) -> None:
        feeds = {"": "any input", "surface": "play surface"}
        feeds |= {f"midi:{port}": port for port in self.session.reports.ports.inputs}
        feeds |= {f"{_TAP}{tap}": f"what {words}" for tap, words in taps_of(project).items()}
        place = f"{_TAP}{one.tap}" if one.tap else one.feed
        if place not in feeds:
            feeds[place] = f"{place.removeprefix('midi:').removeprefix(_TAP)} (not there)"
        self.feed.set_options(feeds)
        self.feed.set_value(place)
        stages = {stage.id: name_of(project, stage.id) or stage.id for _, stage in project.stages()}
        movers = {stage.id: stages[stage.id] for _, stage in project.stages() if stage.kind in ("lfo", "contour")} or {
            "": "no LFO or contour"
        }
        self.stage.set_options(movers)
        self.stage.set_value(one.stage)

    def _show_ranges(self, one: Hookup, param: Param | None) -> None:
        low, high = sorted((one.in_low, one.in_high))
        self.inside.show_span(low, high)
        self.inside_words.setText(f"{low:g} – {high:g}")
        shown = param is not None
        for widget in (self.outside, self.outside_words, self.outside_caption):
            widget.setVisible(shown)
        self.reversed.set_value(one.in_low > one.in_high)
        if param is None:
            return
        whole = bounds(param, Hookup(id=""))
        if whole != self._ends:
            self._ends = whole
            self.outside.low, self.outside.high = whole
            step = param.step if isinstance(param, Number) else 1
            self.outside.step = max(step, (whole[1] - whole[0]) / 400) if isinstance(param, Number) else 1
        low, high = sorted(bounds(param, one))
        self.outside.show_span(low, high)
        self.outside_words.setText(f"{_text(param, low)} – {_text(param, high)}")

    # -- edits -------------------------------------------------------------------------------------

    def _set(self, label: str, merge: str = "", **changes: Any) -> None:
        one = self.hookup
        if one is not None and any(getattr(one, key) != value for key, value in changes.items()):
            project = edits.set_hookup(self.session.project, one.id, **changes)
            self.session.edit(f"Hookup: {label}", project, f"{one.id}:{merge}" if merge else None)

    def _take_feed(self, place: str) -> None:
        if place.startswith(_TAP):
            self._set("Place", tap=place.removeprefix(_TAP), feed="")
        else:
            self._set("Input", tap="", feed=place)

    def _put_range(self, which: str, low: float, high: float) -> None:
        one = self.hookup
        if one is None:
            return
        if which == "in":
            ends = (high, low) if one.in_low > one.in_high else (low, high)
            self._set("Range", "in", in_low=float(ends[0]), in_high=float(ends[1]))
        else:
            self._set("Range", "out", out_low=float(low), out_high=float(high))

    def _reverse(self, on: bool) -> None:
        one = self.hookup
        if one is not None:
            low, high = sorted((one.in_low, one.in_high))
            self._set("Reversed", in_low=high if on else low, in_high=low if on else high)

    def _learn(self) -> None:
        one = self.hookup
        if one is not None:
            self.session.hooking.learn(one)

    def _remove(self) -> None:
        self.session.edit("Remove hookup", edits.remove_hookup(self.session.project, self.hookup_id))

    def _choose_target(self) -> None:
        menu = target_menu(self.session.project, self, self._take_target)
        menu.exec(self.target.mapToGlobal(self.target.rect().bottomLeft()))

    def _take_target(self, target: str, param: str, action: str) -> None:
        way = "trigger" if action else "follow"
        self._set("Moves", target=target, param=param, action=action, way=way, out_low=None, out_high=None)


def _text(param: Param, number: float) -> str:
    """An end of the output range, as it is read."""
    steps = steps_of(param)
    if steps is not None:
        return param.text(steps[max(0, min(len(steps) - 1, round(number)))])
    if isinstance(param, Number):
        return f"{number:g}".replace("-", "−")
    return written(max(0, min(127, round(number))))
