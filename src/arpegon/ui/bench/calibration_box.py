"""Calibration of a pad: hit softly, hit hard, a few times each."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from arpegon.listen.calibration import ENOUGH, TRIAL, Calibration, calibrate, strokes_in, surely
from arpegon.listen.heard import HeardNote, Sight
from arpegon.ui.bench.editor import StageEditor
from arpegon.ui.look.plain import Label

_QUIET_SECONDS = 1.0
_STEPS = ("", "quiet", "soft", "hard")


class CalibrationBox(QWidget):
    """Watches the strokes, step by step, and sets the pad from them in one edit."""

    def __init__(self, editor: StageEditor, make_default: Callable[[], None]) -> None:
        super().__init__()
        self.editor = editor
        self.step = ""
        self.found: Calibration | None = None
        self._quiet_until = math.inf
        self._noise = 0.0
        self._heard: dict[str, list[HeardNote]] = {"soft": [], "hard": []}
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        row = QHBoxLayout()
        self.begin = QPushButton("Calibrate")
        self.begin.setToolTip(
            "Hit the pad softly and hard, a few times each; threshold, response and retrigger follow."
        )
        self.begin.clicked.connect(self.toggle)
        self.next = QPushButton("Next")
        self.next.setToolTip("Go on with the strokes that were heard.")
        self.next.clicked.connect(self._advance)
        self.keep = QPushButton("Use for new pads")
        self.keep.setToolTip("Audio sources that you add from now on begin with these settings.")
        self.keep.clicked.connect(make_default)
        row.addWidget(self.begin)
        row.addWidget(self.next)
        row.addWidget(self.keep)
        row.addStretch(1)
        box.addLayout(row)
        self.words = Label("")
        self.words.setWordWrap(True)
        self.words.setProperty("role", "second")
        box.addWidget(self.words)
        self._show()

    def toggle(self) -> None:
        """Begin, or leave it as it was."""
        if self.step:
            self.stop()
            self.words.setText("Nothing was changed.")
        else:
            self.step, self.found = "quiet", None
            self._quiet_until, self._noise = math.inf, 0.0
            self._heard = {"soft": [], "hard": []}
            trial = {**self.editor.stage.params, **TRIAL}
            self.editor.session.link.set_params(self.editor.stage.id, trial)
        self._show()

    def stop(self) -> None:
        """Hear as before."""
        if self.step:
            self.step = ""
            self.editor.session.link.set_params(self.editor.stage.id, self.editor.stage.params)
            self._show()

    def hear(self, sight: Sight | None, marks: Sequence[HeardNote]) -> None:
        """Something was heard."""
        if self.step == "quiet" and sight is not None and sight.values:
            if self._quiet_until == math.inf:
                self._quiet_until = sight.time + _QUIET_SECONDS
            self._noise = max(self._noise, sorted(sight.values)[len(sight.values) // 2])
            if sight.time >= self._quiet_until:
                self._advance()
        elif self.step in self._heard and marks:
            self._heard[self.step] += marks
            if len(self._strokes()) > ENOUGH:
                self._advance()
            else:
                self._show()

    def _strokes(self) -> list[HeardNote]:
        return strokes_in(self._heard.get(self.step, []))[0]

    def _advance(self) -> None:
        if self.step == "hard":
            self._finish()
        else:
            self.step = _STEPS[_STEPS.index(self.step) + 1]
        self._show()

    def _finish(self) -> None:
        noise = 20.0 * math.log10(max(self._noise, 1e-5))
        found = calibrate(noise, self._heard["soft"], self._heard["hard"])
        self.stop()
        self.found = found
        if found.values:
            self.editor.session.set_params(self.editor.stage.id, found.values, settled=True)
        self.words.setText(
            f"{found.words} I am {surely(found.sure)}. Ctrl+Z undoes it." if found.values else found.words
        )

    def _show(self) -> None:
        self.begin.setText("Leave it" if self.step else "Calibrate")
        self.next.setVisible(self.step in self._heard)
        self.next.setEnabled(len(self._strokes()) >= 2)
        self.keep.setVisible(not self.step)
        if self.step == "quiet":
            self.words.setText("Let it be quiet for a moment …")
        elif self.step:
            how = "softly" if self.step == "soft" else "hard"
            self.words.setText(f"Hit it {how}, a few times: {len(self._strokes())} of {ENOUGH + 1} heard.")
        elif self.found is None and not self.words.text():
            self.words.setText("Hit softly, hit hard, a few times each: it sets itself by what it hears.")
