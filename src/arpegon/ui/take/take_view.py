"""The Take view: what was kept and recorded, as played and as generated, to be edited on the paper."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QStackedLayout, QVBoxLayout, QWidget

from arpegon.core.document import take_edits
from arpegon.core.document.remedies import Plan
from arpegon.core.errors import ArpegonError
from arpegon.core.events import Event, note_off, note_on
from arpegon.core.notes.course import Course
from arpegon.core.notes.sheet import Sheet
from arpegon.core.notes.takes import Round, Take, TakePart
from arpegon.core.time import studio
from arpegon.files.midi import Track, write_song
from arpegon.files.musicxml import SCORES, ScorePart, write_score
from arpegon.processors import PROCESSORS
from arpegon.ui.look import theme
from arpegon.ui.look.plain import Label
from arpegon.ui.model.session import Session
from arpegon.ui.model.take_stage import heard_range
from arpegon.ui.parts import midi_clipboard
from arpegon.ui.parts.save_dialog import ask_where
from arpegon.ui.parts.when_seen import WhenSeen
from arpegon.ui.take.playing import TakePlaying
from arpegon.ui.take.remedy_panel import RemedyPanel
from arpegon.ui.take.span import Span
from arpegon.ui.take.take_acts import TakeActs
from arpegon.ui.take.take_bar import TakeBar
from arpegon.ui.take.take_list import TakeList
from arpegon.ui.take.tap_along import TapAlong
from arpegon.ui.take.version import VERSIONS, Version, events_of

_HEARD_SECONDS = 0.35
"""How long a note sounds that is touched."""


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
        self.span = Span()
        self._sheets: dict[tuple[str, str], tuple[tuple[Event, ...], object, Sheet]] = {}
        self.playing = TakePlaying(session, lambda: self.take, self.span)
        self.acts = TakeActs(session, lambda: (self.take_id, self.strand_id, self.at_work), self.playing)
        self.acts.chosen.connect(self.choose)
        self.acts.tapped.connect(self.tap_along)
        self.acts.pointed_at.connect(self._show_round)
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
            label.setWordWrap(True)
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
        self.list = TakeList()
        self.list.chosen.connect(self._chosen)
        self.list.noted.connect(self._write_note)
        row.addWidget(self.list)
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(self._bar())
        right.addWidget(self._taps())
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

    def _bar(self) -> QWidget:
        bar = self.bar = TakeBar(self.span.snap)
        bar.renamed.connect(self._rename)
        bar.strand_chosen.connect(self.show_strand)
        bar.others_shown.connect(self._show_others)
        bar.snap_chosen.connect(self._set_snap)
        bar.play_asked.connect(self.playing.toggle)
        bar.through_asked.connect(self.playing.play_through)
        bar.drop_asked.connect(
            lambda: self.session.edit("Drop doubtful", take_edits.drop_doubtful(self.session.project, self.take_id))
        )
        bar.more_asked.connect(lambda: self.acts.menu(self).exec(bar.more.mapToGlobal(bar.more.rect().bottomLeft())))
        return bar

    def _taps(self) -> QWidget:
        taps = self.taps = TapAlong()
        taps.asked.connect(self._tap)
        taps.begun.connect(lambda: self.playing.play_from(0.0))
        taps.changed.connect(self._show_taps)
        taps.laid.connect(self._lay_taps)
        return taps

    def _listen_to(self, pane: Version) -> None:
        """Do what a paper asks for."""
        roll, version = pane.roll, pane.version
        roll.scrolled.connect(self._repaint)
        roll.pointed.connect(self.playing.play_from)
        roll.edited.connect(lambda label, sheet, goes_on: self._edit(version, label, sheet, goes_on))
        roll.settled.connect(self.session.settle)
        roll.picked.connect(lambda: self._work_on(version))
        roll.sounded.connect(self._sound)
        roll.other_picked.connect(self.show_strand)
        roll.asked.connect(lambda what: self._ask(version, what))

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self.list.sought.hasFocus() or self.focusWidget() in (None, self.list.sought):
            self.list.rest()

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
        self.list.show_takes(takes, self.take_id)
        self._show()

    def choose(self, take_id: str) -> None:
        """Show a take."""
        self.take_id = take_id
        self.refresh()

    def _chosen(self, take_id: str) -> None:
        self.playing.stop()
        self.taps.leave()
        self.take_id = take_id
        self._show()

    def _show(self) -> None:
        take = self.take
        if take is None:
            return
        if take.part(self.strand_id) is None:
            self.strand_id = take.parts[0].strand if take.parts else ""
        self.list.show_note(take.note)
        self.bar.show_take(take, self.strand_id)
        self.show_strand(self.strand_id)

    def _fit(self, take: Take) -> None:
        span = self.span
        sheets = [self._sheet(take, part, version) for part in self._in_sight(take) for version in VERSIONS]
        notes = [note.note for sheet in sheets for note in sheet.notes]
        low, high = (min(notes) - 2, max(notes) + 2) if notes else (48, 84)
        missing = max(0, 24 - (high - low))
        span.low, span.high = max(0, low - missing // 2), min(127, high + missing - missing // 2)
        span.length = take.beats
        span.course = take.course
        span.clamp(self.versions["played"].roll.height())

    def _in_sight(self, take: Take) -> list[TakePart]:
        """The parts that are on the papers: that of the strand at work, and the others where they are shown."""
        return [part for part in take.parts if part.strand == self.strand_id or self.bar.others.value()]

    def show_strand(self, strand_id: str) -> None:
        """Show one strand's part of the take, to be worked on."""
        self.strand_id = strand_id
        self.bar.strands.set_value(strand_id)
        take = self.take
        part = take.part(strand_id) if take else None
        if take is None or part is None:
            return
        self._fit(take)
        ink = self.session.ink_number(strand_id)
        for version, pane in self.versions.items():
            made_by = _made_by(part) if version == "generated" else ""
            pane.show_sheet(self._sheet(take, part, version), ink, part.name, made_by)
            pane.offers = part, take
            pane.roll.show_beside(
                {
                    one.strand: (self.session.ink_number(one.strand), self._sheet(take, one, version))
                    for one in self._in_sight(take)
                    if one is not part
                }
            )
        self.remedies.suggested = {"clean": heard_range(self.session.project, strand_id)}
        self._work_on(self.at_work)

    def _show_others(self, on: bool) -> None:
        self.show_strand(self.strand_id)

    def tick(self, now: float) -> None:
        """One frame."""
        take = self.take
        if take is None:
            return
        position = self.playing.tick(now)
        self.bar.show_playing(take, self.playing.on, self.playing.meanwhile if position is not None else "")
        self.taps.tick(now)
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

    def _write_note(self, note: str) -> None:
        take = self.take
        if take is not None and take.note != note:
            self.session.edit("Note of a take", take_edits.set_take(self.session.project, take.id, note=note))

    # -- tapping along -----------------------------------------------------------------------------

    def tap_along(self) -> None:
        """Play the take from its start, and let its beats be tapped."""
        take = self.take
        if take is not None:
            project = self.session.project
            self.playing.stop()
            self.taps.start(project.meter, project.key)

    def _tap(self) -> None:
        now = studio.now()
        second = self.playing.heard_second(now)
        if second is not None:
            self.taps.tap(second, now)
        elif not self.playing.on:  # else it is about to begin again
            self.playing.play_from(0.0)

    def _show_taps(self) -> None:
        self.span.taps = tuple(map(self.span.course.beat_at, self.taps.taps))
        self._repaint()

    def _lay_taps(self, course: Course) -> None:
        self.playing.stop()
        self.span.taps = ()
        self.session.edit("Lay take on taps", take_edits.set_course(self.session.project, self.take_id, course))

    # -- editing -----------------------------------------------------------------------------------

    def _sheet(self, take: Take, part: TakePart, version: str) -> Sheet:
        """The sheet of a version; it is made once for each that is shown."""
        place, events = (part.strand, version), events_of(part, version)
        said = (part.doubtful if version == "played" else (), take.beats)
        known = self._sheets.get(place)
        if known is None or known[0] is not events or known[1] != said:
            known = self._sheets[place] = events, said, Sheet.of(events, take.beats, said[0])
        return known[2]

    def _edit(
        self, version: str, label: str, sheet: Sheet, goes_on: bool, beside: Mapping[str, Sheet] | None = None
    ) -> None:
        """Put another sheet in the place of the version that is shown, and others ``beside`` it."""
        project = self.session.project
        sheets = {**(beside or {}), self.strand_id: sheet}
        for strand_id, made in sheets.items():
            project = take_edits.set_version(project, self.take_id, strand_id, version, made)
        take = project.take(self.take_id)
        for part in take.parts if take is not None else ():
            if take is not None and part.strand in sheets:
                # What was edited is what its events say, so that the notes that are chosen stay in their places.
                said = (part.doubtful if version == "played" else (), take.beats)
                self._sheets[part.strand, version] = events_of(part, version), said, sheets[part.strand]
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
        self.remedies.show_notes(
            pane.roll.sheet_shown, frozenset(pane.roll.chosen), self.span.course, pane.where, self._sheets_beside
        )

    def _sheets_beside(self) -> dict[str, tuple[str, Sheet]]:
        """The other strands' names and sheets of the version at work."""
        take = self.take
        others = [part for part in take.parts if part.strand != self.strand_id] if take is not None else []
        return {part.strand: (part.name, self._sheet(take, part, self.at_work)) for part in others}  # type: ignore[arg-type]

    def _show_round(self, shown: Round | None) -> None:
        """Ring what a round brought; ``None``: nothing."""
        for version, pane in self.versions.items():
            brought = [part for part in shown.added if part.strand == self.strand_id] if shown is not None else []
            notes = Sheet.of(events_of(brought[0], version), self.span.length).notes if brought else ()
            pane.roll.ghosts = (notes, ())
            pane.roll.update()

    def _show_plan(self, plan: Plan | None) -> None:
        roll = self.versions[self.at_work].roll
        roll.ghosts = ((), ()) if plan is None else (plan.gone, plan.come)
        roll.update()

    def _do_plan(self, label: str, plan: Plan) -> None:
        beside = {strand: one.sheet for strand, one in self.remedies.beside.items() if not one.does_nothing}
        self._edit(self.at_work, label, plan.sheet, False, beside)
        self.versions[self.at_work].roll.choose(set(plan.chosen))

    def _sound(self, note: int, velocity: int, channel: int) -> None:
        """Let a note be heard at the destinations of its strand."""
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
            midi_clipboard.copy(midi_clipboard.mime_of_notes(some, self.span.course, self.bar.name.text() or "Take"))

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
        if sheet is not None:
            roll.put("Paste", roll.sheet_shown.with_sheet(sheet, self.span.cursor))

    # -- acts --------------------------------------------------------------------------------------

    def _keep(self) -> None:
        if not self.session.recorder.keep():
            self.session.notice("take", "There is nothing to keep yet: play something first.")

    def remove(self) -> None:
        """Take the take out."""
        self.playing.stop()
        self.session.edit("Remove take", take_edits.remove_take(self.session.project, self.take_id))

    def _ask_save(self, version: str) -> None:
        take = self.take
        if take is None:
            return
        proposed = f"{take.name} {VERSIONS[version][0].lower()}.mid".replace("/", "-")
        title = f"Save {VERSIONS[version][0].lower()}"
        kinds = "MIDI files, scores (MusicXML)"
        path = ask_where(self, title, self.session.filing.writes_to / proposed, kinds, (".mid", ".midi", *SCORES))
        if path is not None:
            self.save(version, path)

    def save(self, version: str, path: Path) -> bool:
        """Write a version of the take to a MIDI file, or a score, by the suffix; what goes wrong is said."""
        take = self.take
        if take is None:
            return False
        title = f"{take.name}, {VERSIONS[version][0].lower()}"
        tracks = [_track(part, version) for part in take.parts]
        try:
            if path.suffix.lower() in SCORES:
                lines = [ScorePart(part.name, Sheet.of(events_of(part, version), take.beats)) for part in take.parts]
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


def _made_by(part: TakePart) -> str:
    """Which stages made a version, in words."""
    names = [PROCESSORS[str(stage.get("kind"))].label for stage in part.stages if stage.get("kind") in PROCESSORS]
    return f"made by {', '.join(names)}" if names else ""


def _track(part: TakePart, version: str) -> Track:
    return Track(part.name, events_of(part, version))
