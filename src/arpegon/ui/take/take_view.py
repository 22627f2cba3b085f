"""The Take view: what was kept and recorded, as played and as generated."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStackedLayout,
    QVBoxLayout,
    QWidget,
)

from arpegon.core.document import edits
from arpegon.core.errors import ArpegonError
from arpegon.core.events import NOTE_ON, Event
from arpegon.core.notes.takes import Part, Take
from arpegon.core.time.clock import bar_beats
from arpegon.files.midi import Track, write_midi
from arpegon.ui.controls.choices import Segments
from arpegon.ui.controls.name_field import NameField
from arpegon.ui.look import theme
from arpegon.ui.look.plain import Label, tip
from arpegon.ui.model.session import Session
from arpegon.ui.parts.save_dialog import ask_where
from arpegon.ui.parts.when_seen import WhenSeen
from arpegon.ui.take.take_roll import Span, TakeRoll

VERSIONS = {
    "played": ("As played", "what went into the strand, before any stage"),
    "generated": ("As generated", "what came out after all stages: what was heard"),
}


class Version(QWidget):
    """One version of a take: its heading, its paper, its way to a file."""

    save = pyqtSignal(str)

    def __init__(self, version: str, span: Span, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.version = version
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 10, 14, 12)
        box.setSpacing(4)
        name, words = VERSIONS[version]
        head = QHBoxLayout()
        title = Label(name)
        title.setProperty("role", "name")
        head.addWidget(title, 1)
        self.save_button = QPushButton("Save as MIDI file …")
        self.save_button.setToolTip(tip(f"Write this take {name.lower()} to a MIDI file, one track for each strand."))
        self.save_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.save_button.clicked.connect(lambda: self.save.emit(version))
        head.addWidget(self.save_button)
        box.addLayout(head)
        self.words = Label(words)
        self.words.setProperty("role", "second")
        box.addWidget(self.words)
        self.roll = TakeRoll(span)
        self.roll.empty_words = "nothing in this version"
        box.addWidget(self.roll, 1)
        self.count = Label("")
        self.count.setProperty("role", "second")
        box.addWidget(self.count)


class TakeView(WhenSeen):
    """The list of takes, and both versions of the chosen one side by side."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setObjectName("desk")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.take_id = ""
        self.strand_id = ""
        self.span = Span()
        self._stack = QStackedLayout(self)
        self._stack.addWidget(self._empty())
        self._stack.addWidget(self._full())
        session.changed.connect(self.document_changed)
        session.recorder.kept.connect(self.choose)
        theme.changed.connect(self.update)
        self.refresh()

    def _empty(self) -> QWidget:
        widget = QWidget()
        box = QVBoxLayout(widget)
        box.addStretch(1)
        title = Label("No take yet, but nothing is lost")
        title.setProperty("role", "headline")
        text = Label(
            "Arpegon remembers the last ten minutes of every strand without being asked, as played and as generated.\n"
            "Press Keep (Ctrl+K) after a good moment and it becomes a take; Record (Ctrl+R) marks start and end."
        )
        text.setProperty("role", "desk")
        for label in (title, text):
            label.setAlignment(Qt.AlignmentFlag.AlignCenter)
            box.addWidget(label)
        keep = QPushButton("Keep what was just played")
        keep.setProperty("strong", True)
        keep.clicked.connect(self._keep)
        box.addSpacing(10)
        box.addWidget(keep, 0, Qt.AlignmentFlag.AlignCenter)
        box.addStretch(2)
        return widget

    def _full(self) -> QWidget:
        widget = QWidget()
        row = QHBoxLayout(widget)
        row.setContentsMargins(12, 10, 12, 10)
        row.setSpacing(10)
        row.addWidget(self._side())
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(self._bar())
        papers = QHBoxLayout()
        papers.setSpacing(8)
        self.versions: dict[str, Version] = {}
        for version in VERSIONS:
            pane = self.versions[version] = Version(version, self.span)
            pane.save.connect(self._ask_save)
            pane.roll.scrolled.connect(self._repaint)
            pane.roll.pointed.connect(self.play_from)
            papers.addWidget(pane, 1)
            if version == "played":
                arrow = Label("→")
                arrow.setProperty("role", "headline")
                arrow.setToolTip("The stages made the right from the left.")
                papers.addWidget(arrow)
        right.addLayout(papers, 1)
        row.addLayout(right, 1)
        return widget

    def _side(self) -> QWidget:
        side = QWidget()
        side.setFixedWidth(220)
        box = QVBoxLayout(side)
        box.setContentsMargins(0, 0, 0, 0)
        head = Label("Takes")
        head.setProperty("role", "title")
        box.addWidget(head)
        self.list = QListWidget()
        self.list.currentItemChanged.connect(self._chosen)
        box.addWidget(self.list, 1)
        return side

    def _bar(self) -> QWidget:
        bar = QFrame()
        bar.setObjectName("paper")
        row = QHBoxLayout(bar)
        row.setContentsMargins(14, 8, 14, 8)
        row.setSpacing(10)
        self.name = NameField("", "title")
        self.name.renamed.connect(
            lambda name: self.session.edit("Rename take", edits.rename_take(self.session.project, self.take_id, name))
        )
        row.addWidget(self.name)
        self.words = Label("")
        self.words.setProperty("role", "second")
        row.addWidget(self.words, 1)
        self.strands = QHBoxLayout()
        row.addLayout(self.strands)
        self.play = QPushButton("Play as generated")
        self.play.setProperty("strong", True)
        self.play.setMinimumWidth(140)
        self.play.setToolTip(
            "Play what was generated straight to the destinations; the stages do not work on it again."
        )
        self.play.clicked.connect(self.toggle)
        row.addWidget(self.play)
        self.doubtful = QPushButton("Drop doubtful")
        self.doubtful.setToolTip(
            "Leave out the notes that may have been heard falsely (outlined on the paper), and what the stages made of "
            "them; Ctrl+Z brings them back."
        )
        self.doubtful.clicked.connect(
            lambda: self.session.edit("Drop doubtful", edits.drop_doubtful(self.session.project, self.take_id))
        )
        row.addWidget(self.doubtful)
        remove = QPushButton("Remove")
        remove.setToolTip("Take this take out of the project; Ctrl+Z brings it back.")
        remove.clicked.connect(self.remove)
        row.addWidget(remove)
        return bar

    # -- showing -----------------------------------------------------------------------------------

    @property
    def take(self) -> Take | None:
        """The take that is shown."""
        return self.session.project.take(self.take_id)

    def refresh(self) -> None:
        """Show the document's takes."""
        takes = self.session.project.takes
        self._stack.setCurrentIndex(1 if takes else 0)
        if takes and self.take is None:
            self.take_id = takes[0].id
        self.list.blockSignals(True)
        self.list.clear()
        for take in takes:
            item = QListWidgetItem(f"{take.name}\n{take.seconds:.1f} s · {len(take.parts)} strands")
            item.setData(Qt.ItemDataRole.UserRole, take.id)
            self.list.addItem(item)
            if take.id == self.take_id:
                self.list.setCurrentItem(item)
        self.list.blockSignals(False)
        self._show()

    def choose(self, take_id: str) -> None:
        """Show a take."""
        self.take_id = take_id
        self.refresh()

    def _chosen(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.stop()
            self.take_id = item.data(Qt.ItemDataRole.UserRole)
            self._show()

    def _show(self) -> None:
        take = self.take
        if take is None:
            return
        parts = {part.strand: part for part in take.parts}
        if self.strand_id not in parts:
            self.strand_id = take.parts[0].strand if take.parts else ""
        self.name.setText(take.name)
        self.words.setText(f"{take.seconds:.1f} seconds at {take.tempo:g}")
        while self.strands.count():
            item = self.strands.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.deleteLater()
        if len(parts) > 1:
            chooser = Segments({part.strand: part.name for part in take.parts}, "Which strand is shown.")
            chooser.setMinimumWidth(chooser.sizeHint().width() + 40)
            chooser.set_value(self.strand_id)
            chooser.chosen.connect(self.show_strand)
            self.strands.addWidget(chooser)
        self._fit(take)
        self.show_strand(self.strand_id)

    def _fit(self, take: Take) -> None:
        span = self.span
        notes = [
            event.data1
            for part in take.parts
            if part.strand == self.strand_id
            for event in (*part.played, *part.generated)
            if event.kind == NOTE_ON
        ]
        low, high = (min(notes) - 2, max(notes) + 2) if notes else (48, 84)
        missing = max(0, 24 - (high - low))
        span.low, span.high = max(0, low - missing // 2), min(127, high + missing - missing // 2)
        span.length = take.seconds
        span.beat_seconds = 60.0 / take.tempo * 4 / take.meter[1]
        span.beats_per_bar = bar_beats(take.meter) * take.meter[1] / 4
        span.clamp(self.versions["played"].roll.height())

    def show_strand(self, strand_id: str) -> None:
        """Show one strand's part of the take."""
        self.strand_id = strand_id
        take = self.take
        part = next((part for part in take.parts if part.strand == strand_id), None) if take else None
        if take is None or part is None:
            return
        self._fit(take)
        ink = self.session.ink_number(strand_id)
        for version, pane in self.versions.items():
            events = part.played if version == "played" else part.generated
            pane.roll.show_events(events, ink, part.doubtful if version == "played" else ())
            pane.save_button.setText(f"Save {VERSIONS[version][0].lower()} …")
            pane.count.setText(f"{len(pane.roll.notes)} notes, {len(events)} events in {part.name}")

        count = sum(len(part.doubtful) for part in take.parts)
        self.doubtful.setVisible(count > 0)
        self.doubtful.setText(f"Drop {count} doubtful" if count != 1 else "Drop 1 doubtful")

    def tick(self, now: float) -> None:
        """One frame."""
        told = self.session.telemetry
        position = told.take if told.take is None else told.take + now - told.now
        playing = position is not None
        self.play.setText("Stop" if playing else "Play as generated")
        if position != self.span.playhead:
            self.span.playhead = position
            if position is not None:
                height = self.versions["played"].roll.height() / self.span.pixels
                if not self.span.start <= position <= self.span.start + height * 0.9:
                    self.span.start = position - height * 0.1
            self._repaint()

    def _repaint(self) -> None:
        for pane in self.versions.values():
            pane.roll.update()

    # -- acts --------------------------------------------------------------------------------------

    def _keep(self) -> None:
        if not self.session.recorder.keep():
            self.session.notice("take", "There is nothing to keep yet: play something first.")

    def toggle(self) -> None:
        """Play from the start, or stop."""
        if self.session.telemetry.take is not None:
            self.stop()
        else:
            self.play_from(0.0)

    def play_from(self, start: float) -> None:
        """Play what was generated, of all strands, from ``start`` seconds on."""
        take = self.take
        if take is not None:
            parts = {part.strand: list(part.generated) for part in take.parts}
            self.session.link.play_take(parts, start)

    def stop(self) -> None:
        """Stop playing."""
        if self.session.telemetry.take is not None:
            self.session.link.stop_take()

    def remove(self) -> None:
        """Take the take out."""
        self.stop()
        self.session.edit("Remove take", edits.remove_take(self.session.project, self.take_id))

    def _ask_save(self, version: str) -> None:
        take = self.take
        if take is None:
            return
        proposed = f"{take.name} {VERSIONS[version][0].lower()}.mid".replace("/", "-")
        title = f"Save {VERSIONS[version][0].lower()}"
        path = ask_where(self, title, self.session.filing.folder / proposed, "MIDI files", (".mid", ".midi"))
        if path is not None:
            self.save(version, path)

    def save(self, version: str, path: Path) -> bool:
        """Write a version of the take to a MIDI file; what goes wrong is said."""
        take = self.take
        if take is None:
            return False
        tracks = [Track(part.name, _events(part, version)) for part in take.parts]
        try:
            write_midi(path, tracks, take.tempo, take.meter, f"{take.name}, {VERSIONS[version][0].lower()}")
        except ArpegonError as error:
            self.session.notice("file", str(error))
            return False
        self.session.notice("done", f"{take.name} was saved {VERSIONS[version][0].lower()} as “{path.name}”.")
        return True


def _events(part: Part, version: str) -> tuple[Event, ...]:
    return part.played if version == "played" else part.generated
