"""What can be done with a whole take: doubled, starred, laid on bars, put onto the board, read from a file."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMenu, QWidget

from arpegon.core.counting import counted
from arpegon.core.document import edits, take_edits
from arpegon.core.events import NOTE_ON
from arpegon.core.notes.course import Course
from arpegon.core.notes.takes import Take
from arpegon.core.time.clock import TEMPO_RANGE
from arpegon.files.path_text import text_path
from arpegon.ui.look import theme
from arpegon.ui.look.swatch import ink_icon
from arpegon.ui.model.session import Session
from arpegon.ui.parts.dropping import as_take
from arpegon.ui.take.playing import TakePlaying


class TakeActs(QObject):
    """Edits of the take that is shown.

    Args:
        shown: the ids of the take and the strand that are shown, and the version that is worked on.
        playing: plays it.

    Signals:
        chosen: another take is to be shown (its id).
        tapped: its beats are to be tapped.
        pointed_at: what this round brought is to be shown (``None``: no more).
    """

    chosen = pyqtSignal(str)
    tapped = pyqtSignal()
    pointed_at = pyqtSignal(object)

    def __init__(
        self,
        session: Session,
        shown: Callable[[], tuple[str, str, str]],
        playing: TakePlaying,
    ) -> None:
        super().__init__(session)
        self.session = session
        self._shown = shown
        self._playing = playing

    @property
    def take(self) -> Take | None:
        """The take that is shown."""
        return self.session.project.take(self._shown()[0])

    def menu(self, parent: QWidget) -> QMenu:
        """What else can be done with the take."""
        menu = QMenu(parent)
        take = self.take
        menu.addAction("Duplicate", self.duplicate)
        what = "the span" if self._playing.span.loop else "all of it"
        menu.addAction(f"Onto the board: {what}, as a clip of its strand", self.onto_board)
        menu.addAction("Record over it, adding", lambda: self._playing.record_over(False))
        menu.addAction("Record over it, replacing", lambda: self._playing.record_over(True))
        keys = menu.addAction("Keep live keys out while it plays")
        if keys is not None:
            keys.setCheckable(True)
            keys.setChecked(self._playing.keys_out)
            keys.toggled.connect(lambda on: setattr(self._playing, "keys_out", on))
        menu.addAction("Read a MIDI file as a take …", lambda: self.ask_read(parent))
        if take is not None:
            self._offer_rounds(menu, take)
            menu.addAction("No star" if take.starred else "Star", self.star)
            inks = menu.addMenu("Colour")
            if inks is not None:
                inks.addAction("none", lambda: self.colour(None))
                for place, name in enumerate(theme.INK_NAMES):
                    inks.addAction(ink_icon(place), name, lambda place=place: self.colour(place))
            menu.addAction("Bring the stages of that moment back", self.bring_stages_back).setEnabled(  # type: ignore[union-attr]
                self.can_bring_back
            )
            menu.addSeparator()
            for text, act in (
                ("The first note is beat 1", self.first_note_first),
                ("Lay it at the tempo of the project", lambda: self.lay_at_tempo()),
                ("Lay it at another tempo …", lambda: self.ask_tempo(parent)),
                ("Tap its beats while it plays …", self.tapped.emit),
            ):
                menu.addAction(text, act).setEnabled(not take.course.tied)  # type: ignore[union-attr]
        return menu

    def _offer_rounds(self, menu: QMenu, take: Take) -> None:
        """The rounds that were recorded over it, each to be dropped by itself; the paper shows what would go."""
        rounds = menu.addMenu("Rounds recorded over it") if take.rounds else None
        if rounds is None:
            return
        for one in reversed(take.rounds):
            count = sum(event.kind == NOTE_ON for part in one.added for event in part.generated)
            notes = counted(count, "note")
            action = rounds.addAction(f"Drop round {one.number}: {notes}", lambda one=one: self.drop_round(one.number))
            action.hovered.connect(lambda one=one: self.pointed_at.emit(one))  # type: ignore[union-attr]
        rounds.aboutToHide.connect(lambda: self.pointed_at.emit(None))

    def drop_round(self, number: int) -> None:
        """Take out what a round brought."""
        take, project = self.take, self.session.project
        if take is not None:
            self.session.edit(f"Drop round {number}", take_edits.drop_round(project, take.id, number))

    def ask_read(self, parent: QWidget) -> None:
        """Ask for a MIDI file, and make it a take."""
        folder = str(self.session.filing.folder)
        name, _ = QFileDialog.getOpenFileName(parent, "Read as a take", folder, "MIDI files (*.mid *.midi)")
        if name:
            as_take(self.session, text_path(name))

    def duplicate(self) -> None:
        """Make a copy of the take, and show it."""
        take, project = self.take, self.session.project
        if take is None:
            return
        made = msgspec.structs.replace(
            take,
            id=edits.fresh_id("take", (one.id for one in project.takes)),
            name=edits.fresh_name(take.name, (one.name for one in project.takes)),
        )
        self.session.edit("Duplicate take", take_edits.add_take(project, made))
        self.chosen.emit(made.id)

    def first_note_first(self) -> None:
        """Let the first note be beat 1 of the first bar."""
        take = self.take
        if take is None:
            return
        events = (event for part in take.parts for event in (*part.played, *part.generated))
        begins = [event.time for event in events if event.kind == NOTE_ON]
        if begins:
            self.session.edit(
                "First note on beat 1", take_edits.shift_take(self.session.project, take.id, -min(begins))
            )

    def colour(self, ink: int | None) -> None:
        """Give it a colour, or none."""
        take = self.take
        if take is not None:
            self.session.edit("Colour of a take", take_edits.set_take(self.session.project, take.id, ink=ink))

    def ask_tempo(self, parent: QWidget) -> None:
        """Ask at which tempo the take was played, and lay it on its beats."""
        low, high = TEMPO_RANGE
        now = self.session.project.tempo
        tempo, given = QInputDialog.getDouble(parent, "Tempo", "Quarter notes a minute", now, low, high, 1)
        if given:
            self.lay_at_tempo(tempo)

    def lay_at_tempo(self, tempo: float | None = None) -> None:
        """Lay a take that was played freely at a tempo (left out: that of the project), as it was played."""
        take, project = self.take, self.session.project
        if take is not None:
            course = Course(
                tempi=((0.0, tempo or project.tempo),), meters=((0.0, project.meter, 1),), keys=((0.0, project.key),)
            )
            self.session.edit("Lay take at the tempo", take_edits.set_course(project, take.id, course))

    def star(self) -> None:
        """Star it, or take the star away."""
        take = self.take
        if take is not None:
            self.session.edit("Star", take_edits.set_take(self.session.project, take.id, starred=not take.starred))

    @property
    def can_bring_back(self) -> bool:
        """Whether the strand that is shown had other stages than it has now."""
        take, (take_id, strand_id, _) = self.take, self._shown()
        if take is None or self.session.project.strand(strand_id) is None:
            return False
        project = self.session.project
        return take_edits.bring_stages_back(project, take_id, strand_id) != project

    def bring_stages_back(self) -> None:
        """Give the strand the stages that made the take."""
        take_id, strand_id, _ = self._shown()
        made = take_edits.bring_stages_back(self.session.project, take_id, strand_id)
        self.session.edit("Bring stages back", made)

    def onto_board(self) -> None:
        """Make the version at work a clip of its strand."""
        take, project = self.take, self.session.project
        _, strand_id, version = self._shown()
        if take is None or project.strand(strand_id) is None:
            self.session.notice("take", "The strand of this take is gone, so it cannot be a clip there.")
            return
        span = self._playing.span.loop
        made = take_edits.take_onto_board(project, take.id, strand_id, version, span)
        self.session.edit("Take onto the board", made)
        what = f"Beats {span[0] + 1:g} to {span[1] + 1:g} of {take.name} play" if span else f"{take.name} plays"
        where = "before the stages" if version == "played" else "past the stages, at the end"
        name = project.strand(strand_id).name  # type: ignore[union-attr]
        self.session.notice("done", f"{what} as a clip {where} of “{name}”; what played there by itself rests.")
