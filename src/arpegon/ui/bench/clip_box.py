"""The settings of a clip: its files, which one plays, and how it keeps time."""

from __future__ import annotations

from pathlib import PurePath
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QRadioButton, QVBoxLayout, QWidget

from arpegon.core.document.model import ClipSource
from arpegon.core.processing.own_tempo import OWN_TEMPO
from arpegon.core.processing.parameters import Number
from arpegon.core.processing.patterns import bars_ahead
from arpegon.core.time.own_tempo import TEMPI
from arpegon.processors.targets import CLIP_BEATS, CLIP_FIRST, CLIP_ROUNDS
from arpegon.ui.controls.choices import Segments, ToggleSwitch
from arpegon.ui.controls.slider import Slider
from arpegon.ui.look import theme
from arpegon.ui.look.plain import Label, tip
from arpegon.ui.parts.standard import under_caption

_BARS = bars_ahead("change_bars", "After bars", "On which bar line another file takes over: 1 is the next one.")


class ClipBox(QWidget):
    """A row for each file, and the settings of them all; ``changed`` carries what an edit is called and changes."""

    changed = pyqtSignal(str, dict)

    def __init__(self) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        self.files = QVBoxLayout()
        self.files.setSpacing(2)
        box.addLayout(self.files)
        self.add = QPushButton("Choose a MIDI file …")
        self.add.setToolTip("Choose a file to play; where there is one, another to choose from.")
        box.addWidget(self.add)
        self.loop = ToggleSwitch("Loop", "Begin again at the end of the clip's last bar.")
        self.loop.toggled.connect(lambda on: self.changed.emit("Loop", {"loop": on}))
        self.tempo = Segments(
            {**TEMPI, "file": "the file's"},
            "At the piece's tempo, at a number or a share of the piece's, or at the tempo of the file itself.",
        )
        self.tempo.chosen.connect(self._set_tempo)
        box.addWidget(under_caption("Its tempo", self.tempo))
        self.pace = {param.name: Slider(param, theme.ink(3)) for param in OWN_TEMPO if isinstance(param, Number)}
        row = QHBoxLayout()
        row.setSpacing(20)
        for key, slider in self.pace.items():
            slider.moved.connect(lambda value, key=key: self.changed.emit("Own tempo", {key: value}))
            row.addWidget(slider, 1)
        box.addLayout(row)
        self.muted = ToggleSwitch("Muted", "Nothing of it sounds.")
        self.muted.toggled.connect(lambda on: self.changed.emit("Mute clip", {"muted": on}))
        self.own = ToggleSwitch("Only a part", "From a beat of the file on, so many beats long.")
        self.own.toggled.connect(self._let_part)
        self.past = ToggleSwitch(
            "Past the stages", "It enters at the end of the strand: what was made once is not made again."
        )
        self.past.toggled.connect(lambda on: self.changed.emit("Clip past the stages", {"past": on}))
        for pair in ((self.loop, self.own), (self.muted, self.past)):
            row = QHBoxLayout()
            for switch in pair:
                row.addWidget(switch, 1)
            box.addLayout(row)
        self.first, self.beats = Slider(CLIP_FIRST, theme.ink(3)), Slider(CLIP_BEATS, theme.ink(3))
        self.first.moved.connect(lambda value: self.changed.emit("Part of a clip", {"first": float(value)}))
        self.beats.moved.connect(lambda value: self.changed.emit("Part of a clip", {"beats": float(value)}))
        row = QHBoxLayout()
        row.setSpacing(20)
        row.addWidget(self.first, 1)
        row.addWidget(self.beats, 1)
        box.addLayout(row)
        self.starts = Segments({"play": "with play", "action": "by an action"}, "When it starts.")
        self.starts.chosen.connect(lambda value: self.changed.emit("Clip starts", {"starts": value}))
        self.rounds = Slider(CLIP_ROUNDS, theme.ink(3))
        self.rounds.moved.connect(lambda value: self.changed.emit("Rounds of a clip", {"rounds": int(value)}))
        self.start, self.stop = QPushButton("Start"), QPushButton("Stop")
        self.start.setToolTip("Start it, for so many rounds (0: until it is stopped).")
        self.stop.setToolTip("Stop it now.")
        row = QHBoxLayout()
        row.setSpacing(12)
        row.addWidget(under_caption("It starts", self.starts), 2)
        for button in (self.start, self.stop):
            row.addWidget(button, 0, Qt.AlignmentFlag.AlignBottom)
        box.addLayout(row)
        box.addWidget(self.rounds)
        self.begins = Segments(
            {"piece": "with the piece", "bar": "on the next bar"},
            "Runs as if it had begun with the piece, or begins with its own first bar on the next bar.",
        )
        self.begins.chosen.connect(lambda value: self.changed.emit("Clip begins", {"begins": value}))
        box.addWidget(under_caption("It begins", self.begins))
        self.change = Segments(
            {"bar": "on a bar", "beat": "on the next beat", "now": "at once"}, "When another of the files takes over."
        )
        self.change.chosen.connect(lambda value: self.changed.emit("Clip changes", {"change": value}))
        self.change_box = under_caption("It starts, or another file takes over", self.change)
        box.addWidget(self.change_box)
        self.bars = Slider(_BARS, theme.ink(3))
        self.bars.moved.connect(lambda value: self.changed.emit("Clip changes", {"change_bars": int(value)}))
        box.addWidget(self.bars)
        self._shown: ClipSource | None = None
        self._choice = QButtonGroup(self)
        self.rows: list[QRadioButton] = []

    def show_clip(self, source: ClipSource) -> None:
        """Show a clip."""
        if self._shown is None or (source.files, source.plays) != (self._shown.files, self._shown.plays):
            self._show_files(source)
        self._shown = source
        for place, button in enumerate(self.rows):
            button.setChecked(place == source.files.index(source.playing_file) if source.file else False)
        self.add.setText("Add another file to choose from …" if source.file else "Choose a MIDI file …")
        self.loop.set_value(source.loop)
        self.tempo.set_value(source.own_tempo if source.follow_tempo else "file")
        shown = {"bpm": ("own_bpm", "own_bars"), "ratio": ("own_ratio", "own_bars")}.get(source.own_tempo, ())
        for key, slider in self.pace.items():
            slider.setVisible(source.follow_tempo and key in shown)
            slider.set_value(getattr(source, key))
        self.begins.set_value(source.begins)
        self.muted.set_value(source.muted)
        self.past.set_value(source.past)
        part = bool(source.first) or source.beats is not None
        self.own.set_value(part)
        for slider, value in ((self.first, source.first), (self.beats, source.beats or 4.0)):
            slider.setVisible(part)
            slider.set_value(value)
        self.starts.set_value(source.starts)
        by_action = source.starts == "action"
        for widget in (self.rounds, self.start, self.stop):
            widget.setVisible(by_action)
        self.rounds.set_value(source.rounds)
        self.change.set_value(source.change)
        waits = len(source.files) > 1 or by_action
        self.change_box.setVisible(waits)
        self.bars.setVisible(waits and source.change == "bar")
        self.bars.set_value(source.change_bars)

    def show_waiting(self, waits: bool) -> None:
        """Show whether a start or another file that was asked for waits for its line."""
        text = "waits …" if waits else "Start"
        if text != self.start.text():
            self.start.setText(text)
        for place, button in enumerate(self.rows):
            chosen = self._shown is not None and place == self._shown.files.index(self._shown.playing_file)
            name = PurePath(self._shown.files[place]).stem if self._shown is not None else ""
            words = f"{name} – waits for its line" if waits and chosen else name
            if words != button.text():
                button.setText(words)

    def _show_files(self, source: ClipSource) -> None:
        while (item := self.files.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.deleteLater()
        self.rows = []
        for place, file in enumerate(source.files):
            row = QWidget()
            line = QHBoxLayout(row)
            line.setContentsMargins(0, 0, 0, 0)
            if not file:
                words = Label(f"“{source.plays}”, in the project" if source.plays else "no file yet")
                words.setProperty("role", "second")
                line.addWidget(words)
            else:
                button = QRadioButton(PurePath(file).stem)
                button.setToolTip(tip(f"{file}: play this one."))
                button.clicked.connect(
                    lambda _=False, place=place: self.changed.emit("Choose a clip", {"choice": place + 1})
                )
                self._choice.addButton(button)
                self.rows.append(button)
                line.addWidget(button, 1)
                remove = QPushButton("×")
                remove.setProperty("flat", True)
                remove.setToolTip("Take this file out of the choice.")
                remove.clicked.connect(lambda _=False, place=place: self._remove(place))
                line.addWidget(remove)
            self.files.addWidget(row)

    def _set_tempo(self, whose: str) -> None:
        changes: dict[str, Any] = (
            {"follow_tempo": False} if whose == "file" else {"follow_tempo": True, "own_tempo": whose}
        )
        self.changed.emit("Clip tempo", changes)

    def _let_part(self, on: bool) -> None:
        self.changed.emit("Part of a clip", {"first": 0.0, "beats": 4.0 if on else None})

    def _choose(self, place: int) -> None:
        self.changed.emit("Choose a clip", {"choice": place + 1})

    def _remove(self, place: int) -> None:
        source = self._shown
        if source is None:
            return
        files = [file for at, file in enumerate(source.files) if at != place]
        choice = source.choice - 1 if source.choice > place + 1 else source.choice
        changes: dict[str, Any] = {"file": files[0] if files else "", "more": tuple(files[1:])}
        self.changed.emit("Remove a clip", {**changes, "choice": max(1, min(choice, len(files) or 1))})
