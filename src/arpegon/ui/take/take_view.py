"""The Take view: what was kept and recorded, as played and as generated, to be edited on the paper."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStackedLayout,
    QVBoxLayout,
    QWidget,
)

from arpegon.core.document import take_edits
from arpegon.core.document.model import Project
from arpegon.core.document.remedies import Plan
from arpegon.core.document.resting import playing_by_itself
from arpegon.core.errors import ArpegonError
from arpegon.core.events import NOTE_ON, Event, note_off, note_on
from arpegon.core.notes.sheet import Sheet
from arpegon.core.notes.takes import Part, Take
from arpegon.core.time.rhythm import NOTE_VALUES
from arpegon.files.midi import Track, write_song
from arpegon.files.musicxml import SCORES, Line, write_score
from arpegon.processors import PROCESSORS
from arpegon.ui.controls.choices import Picker
from arpegon.ui.controls.name_field import NameField
from arpegon.ui.look import theme
from arpegon.ui.look.plain import Label
from arpegon.ui.look.swatch import ink_icon
from arpegon.ui.model.session import Session
from arpegon.ui.model.words import source_words
from arpegon.ui.parts import midi_clipboard
from arpegon.ui.parts.save_dialog import ask_where
from arpegon.ui.parts.when_seen import WhenSeen
from arpegon.ui.take.record_over import RecordOver, span_of
from arpegon.ui.take.remedy_panel import RemedyPanel
from arpegon.ui.take.span import Span
from arpegon.ui.take.take_acts import TakeActs
from arpegon.ui.take.version import VERSIONS, Version

_AGAIN_SECONDS = 0.3
"""How long word takes, at most, of a take that begins again."""
_HEARD_SECONDS = 0.35
"""How long a note sounds that is touched."""
_SNAPS = {"": "free", **{value: value for value in NOTE_VALUES if "bars" not in value}}


class TakeView(WhenSeen):
    """The list of takes, and both versions of the chosen one side by side."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setObjectName("desk")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.take_id = ""
        self.strand_id = ""
        self.at_work = "generated"
        """The version on whose paper something was done last: remedies work on it."""
        self._meanwhile = ""
        """What is said of the strands while it plays."""
        self._again_at = 0.0
        """When it was last begun again."""
        self.span = Span()
        self._sheets: dict[str, tuple[tuple[Event, ...], object, Sheet]] = {}
        self.acts = TakeActs(session, lambda: (self.take_id, self.strand_id, self.at_work), lambda: self.span.loop)
        self.acts.chosen.connect(self.choose)
        self.acts.over.connect(self.record_over)
        self.over = RecordOver(session)
        self.over.begun.connect(self.play_from)
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
            self._listen_to(pane)
            papers.addWidget(pane, 1)
        self.remedies = RemedyPanel()
        self.remedies.planned.connect(self._show_plan)
        self.remedies.done.connect(self._do_plan)
        papers.addWidget(self.remedies)
        right.addLayout(papers, 1)
        row.addLayout(right, 1)
        return widget

    def _listen_to(self, pane: Version) -> None:
        """Do what a paper asks for."""
        roll, version = pane.roll, pane.version
        roll.scrolled.connect(self._repaint)
        roll.pointed.connect(self.play_from)
        roll.edited.connect(lambda label, sheet, goes_on: self._edit(version, label, sheet, goes_on))
        roll.settled.connect(self.session.settle)
        roll.picked.connect(lambda: self._work_on(version))
        roll.sounded.connect(self._sound)
        roll.asked.connect(lambda what: self._ask(version, what))

    def _side(self) -> QWidget:
        side = QWidget()
        side.setFixedWidth(176)
        box = QVBoxLayout(side)
        box.setContentsMargins(0, 0, 0, 0)
        head = Label("Takes")
        head.setProperty("role", "title")
        box.addWidget(head)
        self.sought = QLineEdit()
        self.sought.setPlaceholderText("find")
        self.sought.setToolTip("Show the takes whose name, note or strands hold these words; “star” for those.")
        self.sought.textChanged.connect(self.refresh)
        box.addWidget(self.sought)
        self.list = QListWidget()
        self.list.currentItemChanged.connect(self._chosen)
        box.addWidget(self.list, 1)
        self.note = QLineEdit()
        self.note.setPlaceholderText("a note about this take")
        self.note.setToolTip("What you want to remember of this take.")
        self.note.editingFinished.connect(self._write_note)
        box.addWidget(self.note)
        return side

    def _bar(self) -> QWidget:
        bar = QFrame()
        bar.setObjectName("paper")
        row = QHBoxLayout(bar)
        row.setContentsMargins(14, 8, 14, 8)
        row.setSpacing(10)
        self.name = NameField("", "title")
        self.name.renamed.connect(self._rename)
        self.name.setMinimumWidth(90)
        row.addWidget(self.name)
        self.words = Label("")
        self.words.setProperty("role", "second")
        row.addWidget(self.words, 1)
        self.strands = Picker({}, "Which strand is shown.")
        self.strands.setMinimumWidth(130)
        self.strands.chosen.connect(self.show_strand)
        row.addWidget(self.strands)
        self.snap = Picker(_SNAPS, "The lines to which notes go while they are dragged; Shift leaves them off.")
        self.snap.setMinimumWidth(76)
        self.snap.set_value(self.span.snap)
        self.snap.chosen.connect(self._set_snap)
        row.addWidget(self.snap)
        self.play = QPushButton("Play as generated")
        self.play.setProperty("strong", True)
        self.play.setMinimumWidth(140)
        self.play.setToolTip(
            "Play what was generated straight to the destinations; the stages do not work on it again."
        )
        self.play.clicked.connect(self.toggle)
        row.addWidget(self.play)
        self.through = QPushButton("Through the stages")
        self.through.setToolTip("Play what was played, through the stages of its strands as they are now.")
        self.through.clicked.connect(self.play_through)
        row.addWidget(self.through)
        self.doubtful = QPushButton("Drop doubtful")
        self.doubtful.setToolTip(
            "Leave out the notes that may have been heard falsely (outlined on the paper), and what the stages made of "
            "them; Ctrl+Z brings them back."
        )
        self.doubtful.clicked.connect(
            lambda: self.session.edit("Drop doubtful", take_edits.drop_doubtful(self.session.project, self.take_id))
        )
        row.addWidget(self.doubtful)
        self.more = QPushButton("…")
        self.more.setToolTip("More to be done with this take.")
        self.more.setFixedWidth(34)
        self.more.clicked.connect(self._open_more)
        row.addWidget(self.more)
        return bar

    def _open_more(self) -> None:
        self.acts.menu(self).exec(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self.sought.hasFocus() or self.focusWidget() is self.sought:
            self.list.setFocus()  # letters play notes, until somebody asks for a field

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
            if not _is_found(take, self.sought.text()):
                continue
            strands = "1 strand" if len(take.parts) == 1 else f"{len(take.parts)} strands"
            star = " ★" if take.starred else ""
            item = QListWidgetItem(f"{take.name}{star}\n{take.seconds:.1f} s · {strands}")
            item.setData(Qt.ItemDataRole.UserRole, take.id)
            if take.ink is not None:
                item.setIcon(ink_icon(take.ink))
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
        if not self.note.hasFocus():
            self.note.setText(take.note)
        self.words.setText(_words(take))
        self.strands.set_options({part.strand: part.name for part in take.parts})
        self.strands.set_value(self.strand_id)
        self._fit(take)
        self.show_strand(self.strand_id)

    def _fit(self, take: Take) -> None:
        span = self.span
        notes = [
            event.data1
            for part in take.parts
            if part.strand == self.strand_id
            for event in (*part.played, *part.generated)
            if event.status & 0xF0 == NOTE_ON
        ]
        low, high = (min(notes) - 2, max(notes) + 2) if notes else (48, 84)
        missing = max(0, 24 - (high - low))
        span.low, span.high = max(0, low - missing // 2), min(127, high + missing - missing // 2)
        span.length = take.beats
        span.course = take.course
        span.clamp(self.versions["played"].roll.height())

    def show_strand(self, strand_id: str) -> None:
        """Show one strand's part of the take."""
        self.strand_id = strand_id
        self.strands.set_value(strand_id)
        take = self.take
        part = take.part(strand_id) if take else None
        if take is None or part is None:
            return
        self._fit(take)
        ink = self.session.ink_number(strand_id)
        for version, pane in self.versions.items():
            made_by = _made_by(part) if version == "generated" else ""
            pane.show_sheet(self._sheet(take, part, version), ink, part.name, made_by)
        self._work_on(self.at_work)

        count = sum(len(part.doubtful) for part in take.parts)
        self.doubtful.setVisible(count > 0)
        self.doubtful.setText(f"Drop {count} doubtful" if count != 1 else "Drop 1 doubtful")

    def tick(self, now: float) -> None:
        """One frame."""
        told = self.session.telemetry
        seconds = told.take if told.take is None else told.take + now - told.now
        position = None if seconds is None else self.span.course.beat_at(seconds)
        take = self.take
        if take is not None:
            words = self._meanwhile if seconds is not None and self._meanwhile else _words(take)
            if words != self.words.text():
                self.words.setText(words)
        playing = position is not None
        self.play.setText("Stop" if playing or self.over.on else "Play as generated")
        self.over.tick(now)
        loop = None if self.over.on else self.span.loop
        if position is not None and loop is not None and position >= loop[1] and now - self._again_at > _AGAIN_SECONDS:
            self._again_at = now
            self.play_from(loop[0])
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

    def _rename(self, name: str) -> None:
        self.session.edit("Rename take", take_edits.set_take(self.session.project, self.take_id, name=name))

    def _write_note(self) -> None:
        take = self.take
        if take is not None and take.note != self.note.text():
            made = take_edits.set_take(self.session.project, take.id, note=self.note.text())
            self.session.edit("Note of a take", made)

    # -- editing -----------------------------------------------------------------------------------

    def _sheet(self, take: Take, part: Part, version: str) -> Sheet:
        """The sheet of a version; it is made once for each that is shown."""
        events = part.played if version == "played" else part.generated
        doubtful = part.doubtful if version == "played" else ()
        known = self._sheets.get(version)
        if known is None or known[0] is not events or known[1] != (doubtful, take.beats):
            known = self._sheets[version] = events, (doubtful, take.beats), Sheet.of(events, take.beats, doubtful)
        return known[2]

    def _edit(self, version: str, label: str, sheet: Sheet, goes_on: bool) -> None:
        project = take_edits.set_version(self.session.project, self.take_id, self.strand_id, version, sheet)
        take = project.take(self.take_id)
        part = take.part(self.strand_id) if take is not None else None
        if take is not None and part is not None:
            # What was edited is what its events say, so that the notes that are chosen stay in their places.
            events = part.played if version == "played" else part.generated
            doubtful = part.doubtful if version == "played" else ()
            self._sheets[version] = events, (doubtful, take.beats), sheet
        merge = f"take:{self.take_id}:{self.strand_id}:{version}:{label}" if goes_on else None
        self.session.edit(label, project, merge)

    def _work_on(self, version: str) -> None:
        """Remedies work on this version."""
        self.at_work = version
        for name, pane in self.versions.items():
            if name != version and pane.roll.ghosts != ((), ()):
                pane.roll.ghosts = ((), ())
                pane.roll.update()
        pane = self.versions[version]
        pane.tell()
        self.remedies.show_notes(pane.roll.sheet_shown, frozenset(pane.roll.chosen), self.span.course)

    def _show_plan(self, plan: Plan | None) -> None:
        roll = self.versions[self.at_work].roll
        roll.ghosts = ((), ()) if plan is None else (plan.gone, plan.come)
        roll.update()

    def _do_plan(self, label: str, plan: Plan) -> None:
        self._edit(self.at_work, label, plan.sheet, False)
        self.versions[self.at_work].roll.choose(set(plan.chosen))

    def _sound(self, note: int, velocity: int, channel: int) -> None:
        """Let a note be heard where its version goes: past all stages, or through them."""
        events = [note_on(0.0, channel, note, velocity), note_off(_HEARD_SECONDS, channel, note)]
        if self.session.project.strand(self.strand_id) is not None:
            self.session.link.direct(self.strand_id, events)

    def _set_snap(self, value: str) -> None:
        self.span.snap = value

    def _ask(self, version: str, what: str) -> None:
        roll = self.versions[version].roll
        acts: dict[str, Callable[[], object]] = {
            "copy": lambda: self._copy(version),
            "cut": lambda: self._cut(version),
            "paste": lambda: self._paste(version),
            "grid": lambda: self.remedies.choose("grid"),
            "next-doubtful": roll.next_doubtful,
        }
        acts[what]()

    def _copy(self, version: str) -> None:
        roll = self.versions[version].roll
        some = [roll.notes[place] for place in sorted(roll.chosen)]
        if some:
            midi_clipboard.copy(some, self.span.course, self.name.text() or "Take")

    def _cut(self, version: str) -> None:
        self._copy(version)
        self.versions[version].roll.remove()

    def _paste(self, version: str) -> None:
        roll = self.versions[version].roll
        try:
            sheet = midi_clipboard.pasted()
        except ArpegonError as error:
            self.session.notice("take", str(error))
            return
        if sheet is not None and sheet.notes:
            beat = self.span.cursor
            notes = [msgspec.structs.replace(one, start=one.start + beat, end=one.end + beat) for one in sheet.notes]
            roll.put("Paste notes", roll.sheet_shown.added(notes))

    # -- acts --------------------------------------------------------------------------------------

    def _keep(self) -> None:
        if not self.session.recorder.keep():
            self.session.notice("take", "There is nothing to keep yet: play something first.")

    def toggle(self) -> None:
        """Play from the start, or stop."""
        if self.session.telemetry.take is not None or self.over.on:
            self.stop()
        else:
            self.play_from(0.0)

    def play_from(self, start: float) -> None:
        """Play what was generated, of all strands, from a beat on."""
        take = self.take
        if take is not None:
            self._play(take, "generated", start)

    def record_over(self, replaces: bool) -> None:
        """Record over the take, or the span that is set, round by round, until it is stopped."""
        take = self.take
        if take is not None:
            self.over.start(take.id, span_of(take, self.span.loop), replaces)

    def play_through(self) -> None:
        """Play what was played through the stages of its strands."""
        take = self.take
        if take is not None:
            self.stop()
            self._play(take, "played", self.span.cursor)

    def _play(self, take: Take, version: str, beat: float) -> None:
        """Play a version of all its strands: what was generated straight to the destinations, else through the
        stages."""
        parts = {part.strand: take.in_seconds(_events(part, version)) for part in take.parts}
        second = max(0.0, take.course.second_at(beat))
        self.session.link.play_take(parts, second, version == "played", self.acts.keys_out)
        self._meanwhile = while_it_plays(self.session.project, take, self.acts.keys_out)

    def stop(self) -> None:
        """Stop playing, and recording over."""
        self.over.stop()
        if self.session.telemetry.take is not None:
            self.session.link.stop_take()

    def remove(self) -> None:
        """Take the take out."""
        self.stop()
        self.session.edit("Remove take", take_edits.remove_take(self.session.project, self.take_id))

    def _ask_save(self, version: str) -> None:
        take = self.take
        if take is None:
            return
        proposed = f"{take.name} {VERSIONS[version][0].lower()}.mid".replace("/", "-")
        title = f"Save {VERSIONS[version][0].lower()}"
        kinds = "MIDI files, scores (MusicXML)"
        path = ask_where(self, title, self.session.filing.folder / proposed, kinds, (".mid", ".midi", *SCORES))
        if path is not None:
            self.save(version, path)

    def save(self, version: str, path: Path) -> bool:
        """Write a version of the take to a MIDI file, or a score, by the suffix; what goes wrong is said."""
        take = self.take
        if take is None:
            return False
        title = f"{take.name}, {VERSIONS[version][0].lower()}"
        tracks = [Track(part.name, _events(part, version)) for part in take.parts]
        try:
            if path.suffix.lower() in SCORES:
                lines = [Line(part.name, Sheet.of(_events(part, version), take.beats)) for part in take.parts]
                write_score(path, lines, take.course, self.span.snap or "1/16", title)
            else:
                write_song(path, tracks, take.course, title)
        except ArpegonError as error:
            self.session.notice("file", str(error))
            return False
        self.session.notice("done", f"{take.name} was saved {VERSIONS[version][0].lower()} as “{path.name}”.")
        return True


def _is_found(take: Take, words: str) -> bool:
    """Whether all words are found in what is said of a take."""
    text = " ".join((take.name, take.note, "star" if take.starred else "", *(part.name for part in take.parts))).lower()
    return all(word in text for word in words.lower().split())


def while_it_plays(project: Project, take: Take, keys_out: bool) -> str:
    """What rests while a take plays, in words; empty: nothing does."""
    names = []
    for strand in filter(None, (project.strand(part.strand) for part in take.parts)):
        names += [source_words(project, source)[0] for source in playing_by_itself(strand)]
    words = []
    if names:
        some = ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")
        words.append(f"{some} {'rests' if len(names) == 1 else 'rest'} meanwhile")
    if keys_out:
        words.append("live keys are kept out")
    return " · ".join(words)


def _words(take: Take) -> str:
    """How long a take is, how fast, and where in the piece it lies."""
    tempi = {round(tempo, 1) for _, tempo in take.course.tempi}
    tempo = f"at {min(tempi):g}" if len(tempi) == 1 else f"at {min(tempi):g} to {max(tempi):g}"
    bar = take.course.bar_at(take.course.first)[0]
    where = f" · from bar {bar}" if take.course.tied else " · played freely"
    return f"{take.seconds:.1f} s {tempo}{where}"


def _made_by(part: Part) -> str:
    """Which stages made a version, in words."""
    names = [PROCESSORS[str(stage.get("kind"))].label for stage in part.stages if stage.get("kind") in PROCESSORS]
    return f"made by {', '.join(names)}" if names else ""


def _events(part: Part, version: str) -> tuple[Event, ...]:
    return part.played if version == "played" else part.generated
