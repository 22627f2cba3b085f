"""The bar above the papers of a take: its name, which strand is shown, how things snap, and how it is played."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from arpegon.core.notes.takes import Take
from arpegon.core.time.rhythm import NOTE_VALUES
from arpegon.ui.controls.choices import Picker, ToggleSwitch
from arpegon.ui.controls.elided import Elided
from arpegon.ui.controls.name_field import NameField

_SNAPS = {"": "free", **{value: value for value in NOTE_VALUES if "bars" not in value}}


class TakeBar(QFrame):
    """What is said of a take, and its buttons.

    Signals:
        renamed, strand_chosen, snap_chosen: another name, strand, note value.
        others_shown: whether the other strands are in sight, too.
        play_asked, through_asked, drop_asked, more_asked: a button was pressed.
    """

    renamed = pyqtSignal(str)
    strand_chosen = pyqtSignal(str)
    others_shown = pyqtSignal(bool)
    snap_chosen = pyqtSignal(str)
    play_asked = pyqtSignal()
    through_asked = pyqtSignal()
    drop_asked = pyqtSignal()
    more_asked = pyqtSignal()

    def __init__(self, snap: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("paper")
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 6, 14, 6)
        row.setSpacing(10)
        self.name = NameField("", "title")
        self.name.renamed.connect(self.renamed)
        self.name.setMinimumWidth(90)
        self.words = Elided("")
        self.words.setProperty("role", "second")
        said = QVBoxLayout()
        said.setSpacing(0)
        said.addWidget(self.name)
        said.addWidget(self.words)
        row.addLayout(said, 1)
        self.strands = Picker({}, "Which strand is shown.")
        self.strands.setMinimumWidth(130)
        self.strands.chosen.connect(self.strand_chosen)
        row.addWidget(self.strands)
        self.others = ToggleSwitch(
            "Others", "The other strands lie faintly beneath, in their colours; a click on a note of theirs shows them."
        )
        self.others.toggled.connect(self.others_shown)
        self.others.setMinimumWidth(self.others.sizeHint().width())
        row.addWidget(self.others)
        self.snap = Picker(_SNAPS, "The lines to which notes go while they are dragged; Shift leaves them off.")
        self.snap.setMinimumWidth(76)
        self.snap.set_value(snap)
        self.snap.chosen.connect(self.snap_chosen)
        row.addWidget(self.snap)
        self.play = QPushButton("Play as generated")
        self.play.setProperty("strong", True)
        self.play.setMinimumWidth(140)
        self.play.setToolTip(
            "Play what was generated straight to the destinations; the stages do not work on it again."
        )
        self.play.clicked.connect(self.play_asked)
        row.addWidget(self.play)
        self.through = QPushButton("Through the stages")
        self.through.setToolTip("Play what was played, through the stages of its strands as they are now.")
        self.through.clicked.connect(self.through_asked)
        row.addWidget(self.through)
        self.doubtful = QPushButton("Drop doubtful")
        self.doubtful.setToolTip(
            "Leave out the notes that may have been heard falsely (outlined on the paper), and what the stages made of "
            "them; Ctrl+Z brings them back."
        )
        self.doubtful.clicked.connect(self.drop_asked)
        row.addWidget(self.doubtful)
        self.more = QPushButton("…")
        self.more.setToolTip("More to be done with this take.")
        self.more.setFixedWidth(34)
        self.more.clicked.connect(self.more_asked)
        row.addWidget(self.more)

    def show_take(self, take: Take, strand_id: str) -> None:
        """Show what is said of a take."""
        self.name.setText(take.name)
        self.words.setText(take_words(take))
        self.strands.set_options({part.strand: part.name for part in take.parts})
        self.strands.set_value(strand_id)
        self.others.setVisible(len(take.parts) > 1)
        count = sum(len(part.doubtful) for part in take.parts)
        self.doubtful.setVisible(count > 0)
        self.doubtful.setText(f"Drop {count} doubtful")

    def show_playing(self, take: Take, on: bool, meanwhile: str) -> None:
        """Show whether it plays, and what is said of that."""
        self.play.setText("Stop" if on else "Play as generated")
        words = meanwhile if on and meanwhile else take_words(take)
        if words != self.words.full:
            self.words.setText(words)


def take_words(take: Take) -> str:
    """How long a take is, how fast, and where in the piece it lies."""
    tempi = {round(tempo, 1) for _, tempo in take.course.tempi}
    tempo = f"at {min(tempi):g}" if len(tempi) == 1 else f"at {min(tempi):g} to {max(tempi):g}"
    bar = take.course.bar_at(take.course.first)[0]
    where = f" · from bar {bar}" if take.course.tied else " · played freely"
    return f"{take.seconds:.1f} s {tempo}{where}"
