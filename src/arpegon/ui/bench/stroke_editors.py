"""The editors of Thin, Chance, Hold, Length, Grid, Echo, Repeat: keys as they were held, and what sounded for them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from arpegon.core.events import NOTE_OFF, NOTE_ON
from arpegon.engine.wire.protocol import Passed
from arpegon.ui.bench.editor import StageEditor
from arpegon.ui.controls.step_bars import StepBars
from arpegon.ui.controls.strokes_view import StrokesView
from arpegon.ui.look.plain import Label
from arpegon.ui.parts.standard import counted_heading

_EMPTY = "play: keys show above, what sounds for them below"
_MAX_STEPS = 32


class StrokeEditor(StageEditor):
    """Base: a view of the last strokes above the standard controls."""

    def build(self) -> None:
        self.view = StrokesView(self.ink, _EMPTY)
        self.box.addWidget(self.view)
        self.word = Label("")
        self.word.setProperty("role", "second")
        self.word.setWordWrap(True)
        self.box.addWidget(self.word)
        self.add_controls()

    def add_controls(self) -> None:
        """Put in the controls: one standard control for each parameter."""
        for key in self.params:
            self.side.addWidget(self.captioned(key))

    def passed(self, batch: Sequence[Passed]) -> None:
        view = self.view
        for one in batch:
            if one.event is not None and one.event.kind == NOTE_ON:
                view.came_in(one.event.data1, one.event.time)
            elif one.event is not None and one.event.kind == NOTE_OFF:
                view.went(one.event.data1, one.event.time)
            for event in one.out:
                if event.kind == NOTE_ON:
                    view.sounded(event.data1, event.time)
                elif event.kind == NOTE_OFF:
                    view.ended(event.data1, event.time)

    def tick(self, now: float) -> None:
        self.view.tick(now)


class ThinEditor(StrokeEditor):
    """Which of the notes held are kept."""

    def show_values(self, values: dict[str, Any]) -> None:
        count = values["count"]
        notes = f"{values['keep']} note" if count == 1 else f"{values['keep']} {count} notes"
        self.word.setText(f"Of what is held, the {notes} {'sounds' if count == 1 else 'sound'}; the others are rings.")


class ChanceEditor(StrokeEditor):
    """How many strokes pass: as set, and as it fell of late."""

    def tick(self, now: float) -> None:
        super().tick(now)
        passed, count = self.view.share
        text = f"{passed} of the last {count} strokes passed." if count else "Each stroke is drawn anew."
        if text != self.word.text():
            self.word.setText(text)


class HoldEditor(StrokeEditor):
    """What is latched, and what lets it go."""

    def show_values(self, values: dict[str, Any]) -> None:
        self.controls["controller"].setEnabled(values["until"] == "controller")
        self.word.setText(
            {
                "again": "Each key switches its note on and off.",
                "next": "A chord goes on until a key is pressed while none is down.",
                "controller": f"Notes go on until CC {values['controller']} reaches 64.",
            }[values["until"]]
        )


class LengthEditor(StrokeEditor):
    """How long the key was down above, how long the note lasts below."""

    def show_values(self, values: dict[str, Any]) -> None:
        unit = values["unit"]
        for key, units in (("value", ("value",)), ("ms", ("ms",)), ("percent", ("step", "played"))):
            control = self.controls[key]
            shown = unit in units
            holder = control.parentWidget()
            (holder if key == "value" and holder is not None else control).setVisible(shown)
        self.word.setText(
            {
                "value": "Every note lasts this long at the tempo, however long its key is held.",
                "ms": "Every note lasts this long, however long its key is held.",
                "step": "Short below 100 %, joined to the next stroke at 100 %, overlapping above.",
                "played": "Lengthens what the key lasted; below 100 % a note still ends with its key.",
            }[unit]
        )


class GridEditor(StrokeEditor):
    """When keys were struck above, when their notes fell below."""

    def show_values(self, values: dict[str, Any]) -> None:
        waits = "" if self.session.telemetry.playing else " The transport stands still, so everything passes."
        self.word.setText(
            f"Nothing is moved back in time: what is later than its catch waits for the line after.{waits}"
        )


class EchoEditor(StrokeEditor):
    """The strokes above, what comes again below."""

    def add_controls(self) -> None:
        self.side.addLayout(self.grid("repeats", "rate", "fade", "move"))
        self.side.addWidget(self.captioned("move_by"))
        self.side.addWidget(self.control("dry"))
        self.side.addWidget(self.control("follow_key"))
        self.side.addLayout(self.grid("root", "scale"))

    def show_values(self, values: dict[str, Any]) -> None:
        in_key = bool(values["move"]) and values["move_by"] == "degrees"
        self.controls["move_by"].setEnabled(bool(values["move"]))
        for name in ("root", "scale"):
            self.controls[name].setEnabled(in_key and not values["follow_key"])
        self.controls["follow_key"].setEnabled(in_key)
        last = round(100 * (values["fade"] / 100.0) ** values["repeats"])
        self.word.setText(f"The last repeat is struck at {last} % of the key.")


class RepeatEditor(StrokeEditor):
    """Rate, rhythm and how the strokes die away or swell."""

    def add_controls(self) -> None:
        self.side.addLayout(counted_heading("Rhythm", "step", self._count))
        self.steps = StepBars(
            self.ink,
            1.5,
            "The strokes of the rhythm: drag to draw, the right button makes a rest; the dashed line is as played.",
            "one stroke on every step",
        )
        self.steps.changed.connect(lambda levels: self.set(False, rhythm=levels))
        self.steps.settled.connect(self.session.settle)
        self.side.addWidget(self.steps)
        self.side.addLayout(self.grid("rate", "gate", "change", "times"))
        self.side.addWidget(self.captioned("starts"))
        self._step = -1

    def _count(self, by: int) -> None:
        rhythm = list(self.values["rhythm"]) or [1.0]
        if by > 0 and len(rhythm) < _MAX_STEPS:
            rhythm.append(1.0)
        elif by < 0 and len(rhythm) > 1:
            rhythm.pop()
        self.set(rhythm=rhythm)

    def show_values(self, values: dict[str, Any]) -> None:
        self.steps.show_levels(values["rhythm"])
        waits = values["starts"] == "beat" and not self.session.telemetry.playing
        self.word.setText("It waits for the transport: press Space." if waits else "")
        self.word.setVisible(waits)

    def passed(self, batch: Sequence[Passed]) -> None:
        super().passed(batch)
        rhythm = self.values["rhythm"]
        for one in batch:
            ons = [event for event in one.out if event.kind == NOTE_ON]
            if one.event is not None and one.event.kind == NOTE_ON:
                self._step = 0
            elif one.event is None and ons and rhythm:
                self._step = next(
                    (self._step + by) % len(rhythm)
                    for by in range(1, len(rhythm) + 1)
                    if rhythm[(self._step + by) % len(rhythm)] > 0
                )
        self.steps.show_lit(self._step if self._step >= 0 else None)
