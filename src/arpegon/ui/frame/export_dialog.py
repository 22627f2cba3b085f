"""The export of the whole piece: what is written, where to, how far it is."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QDialog, QHBoxLayout, QProgressBar, QPushButton, QVBoxLayout, QWidget

from arpegon.core.processing.parameters import Number
from arpegon.files.song import BY, Wish
from arpegon.ui.controls.choices import Segments, ToggleSwitch
from arpegon.ui.controls.slider import Slider
from arpegon.ui.look import theme
from arpegon.ui.look.plain import Label
from arpegon.ui.model.session import Session
from arpegon.ui.parts.save_dialog import ask_where
from arpegon.ui.parts.standard import under_caption

_BARS = Number(
    name="bars",
    label="Bars",
    default=0,
    low=0,
    high=512,
    help="How many bars are written; 0: until the sections, clips and all that they began have ended.",
)


class ExportDialog(QDialog):
    """Asks what is to be written, and shows how far it is; the music goes on meanwhile."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.export = session.export
        self.setWindowTitle("Export")
        self.setMinimumWidth(420)
        box = QVBoxLayout(self)
        box.setContentsMargins(18, 14, 18, 14)
        box.setSpacing(10)
        words = Label("What sounds is written: mutes, solo, sections, channels and offsets are as they are heard.")
        words.setProperty("role", "second")
        words.setWordWrap(True)
        box.addWidget(words)
        self.what = Segments({"midi": "MIDI", "sound": "sound", "both": "both"}, "What is written.")
        self.what.set_value("midi")
        self.what.chosen.connect(lambda _: self._fit())
        box.addWidget(under_caption("Write", self.what))
        self.by = Segments({name: name for name in BY}, f"What has a track of its own: {'; '.join(BY.values())}.")
        self.by.set_value("strand")
        self.by_box = under_caption("A track for each", self.by)
        box.addWidget(self.by_box)
        self.stems = ToggleSwitch("Each instrument by itself, too", "Files beside it, one for each instrument.")
        self.normalize = ToggleSwitch("As loud as can be", "The loudest moment is made as loud as a file can hold.")
        box.addWidget(self.stems)
        box.addWidget(self.normalize)
        self.bars = Slider(_BARS, theme.ink(3))
        self.bars.set_value(0)
        box.addWidget(self.bars)
        self.progress = QProgressBar()
        self.progress.setRange(0, 100)
        box.addWidget(self.progress)
        self.said = Label("")
        self.said.setWordWrap(True)
        box.addWidget(self.said)
        row = QHBoxLayout()
        self.go = QPushButton("Export …")
        self.go.setProperty("strong", True)
        self.go.clicked.connect(self.ask)
        self.cancel = QPushButton("Close")
        self.cancel.clicked.connect(self._cancel)
        row.addStretch(1)
        row.addWidget(self.go)
        row.addWidget(self.cancel)
        box.addLayout(row)
        self.export.moved.connect(self._moved)
        self.export.ended.connect(self._ended)
        self._fit()

    def _fit(self) -> None:
        """Show what is of use as things are."""
        what, running = self.what.value(), self.export.running
        self.by_box.setVisible(what != "sound")
        for switch in (self.stems, self.normalize):
            switch.setVisible(what != "midi")
        self.progress.setVisible(running)
        self.go.setEnabled(not running)
        self.cancel.setText("Stop" if running else "Close")
        self.adjustSize()

    def ask(self) -> None:
        """Ask where to, and begin."""
        folder, name = self.session.filing.writes_to, self.session.title.replace("/", "-")
        midi = self.what.value() != "sound"
        suffixes = (".mid", ".midi") if midi else (".wav", ".flac")
        kind = "MIDI files" if midi else "Sound"
        path = ask_where(self, "Export", folder / f"{name}{suffixes[0]}", kind, suffixes)
        if path is not None:
            self.begin(path)

    def begin(self, path: Path) -> None:
        """Write to a file (and beside it, where both are written)."""
        what = self.what.value()
        self.said.setText("")
        self.progress.setValue(0)
        self.export.start(
            Wish(
                project=Path("the project"),
                midi_out=path if what != "sound" else None,
                wav_out={"midi": None, "sound": path, "both": path.with_suffix(".wav")}[str(what)],
                by=str(self.by.value()),
                bars=float(self.bars.value()) or None,
                stems=what != "midi" and self.stems.value(),
                normalize=what != "midi" and self.normalize.value(),
            )
        )
        self._fit()

    def _moved(self, share: float) -> None:
        self.progress.setValue(round(100 * share))

    def _ended(self, words: str, well: bool) -> None:
        self.progress.setValue(100 if well else 0)
        self.said.setText(words)
        self._fit()

    def _cancel(self) -> None:
        if self.export.running:
            self.export.stop()
        else:
            self.close()
