"""One version of a take: its heading, its paper, its lines, its way to a file."""

from __future__ import annotations

from PyQt6.QtCore import QMimeData, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from arpegon.core.events import BEND, CONTROL, POLY_PRESSURE, PRESSURE, Event
from arpegon.core.notes.sheet import Line, Sheet
from arpegon.core.notes.takes import Take, TakePart
from arpegon.core.theory.controllers import cc_words
from arpegon.ui.controls.choices import Picker
from arpegon.ui.look.plain import Label, tip
from arpegon.ui.parts.drag_out import DragOut
from arpegon.ui.parts.midi_clipboard import mime_of, mime_of_notes
from arpegon.ui.take.paper import TakePaper
from arpegon.ui.take.span import Span

VERSIONS = {
    "played": ("As played", "what went into the strand, before any stage"),
    "generated": ("As generated", "what came out after all stages: what was heard"),
}
_NEW_LINES = {
    "new:1": Line(CONTROL, 1),
    "new:7": Line(CONTROL, 7),
    "new:11": Line(CONTROL, 11),
    "new:64": Line(CONTROL, 64),
    "new:bend": Line(BEND),
    "new:pressure": Line(PRESSURE),
}


def events_of(part: TakePart, version: str) -> tuple[Event, ...]:
    """The events of a version (``played`` or ``generated``) of a strand's part of a take."""
    return part.played if version == "played" else part.generated


def line_name(line: Line) -> str:
    """What a line is called: its controller or kind, and its channel where that is not the first."""
    kind = line.status & 0xF0
    names = {CONTROL: cc_words(line.number), BEND: "bend", PRESSURE: "pressure", POLY_PRESSURE: "key pressure"}
    channel = (line.status & 0x0F) + 1
    return names.get(kind, "values") + (f" · ch {channel}" if channel > 1 else "")


class Version(QWidget):
    """One version of a take: its heading, its paper, its way to a file."""

    save = pyqtSignal(str)

    def __init__(self, version: str, span: Span, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.version = version
        self._made_by = ""
        self.where = ""
        """The name of the strand."""
        self.offers: tuple[TakePart, Take] | None = None
        """What of which take is dragged out while no note is chosen."""
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 8, 12, 10)
        box.setSpacing(4)
        name, words = VERSIONS[version]
        head = QHBoxLayout()
        title = Label(name)
        title.setProperty("role", "name")
        title.setToolTip(tip(f"{name}: {words}."))
        head.addWidget(title, 1)
        self.tool = Picker({"": "notes"}, "What the pen changes on this paper: notes, or a line of values.")
        self.tool.setMinimumWidth(98)
        self.tool.chosen.connect(self._choose_line)
        head.addWidget(self.tool)
        self.drag = DragOut(
            self._offer,
            "Drag what is chosen, or all of this version, onto another program or a folder: it is a MIDI file. "
            "A click copies it.",
        )
        head.addWidget(self.drag)
        self.save_button = QPushButton("Save …")
        self.save_button.setToolTip(tip(f"Write this take {name.lower()} to a MIDI file, one track for each strand."))
        self.save_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.save_button.clicked.connect(lambda: self.save.emit(version))
        head.addWidget(self.save_button)
        box.addLayout(head)
        self.roll = TakePaper(span)
        self.roll.setAccessibleName(name)
        self.roll.empty_words = "nothing in this version; double click draws a note"
        box.addWidget(self.roll, 1)
        self.count = Label("")
        self.count.setProperty("role", "second")
        box.addWidget(self.count)
        self._lines: dict[str, Line] = {}

    def show_sheet(self, sheet: Sheet, ink: int, where: str, made_by: str = "") -> None:
        """Show what it holds."""
        self.roll.show_sheet(sheet, ink)
        lines = {
            f"{line.status}:{line.number}": line for line in self.roll.lines if line.status & 0xF0 != POLY_PRESSURE
        }
        fresh = {name: line for name, line in _NEW_LINES.items() if line not in lines.values()}
        self._lines = {**lines, **fresh}
        self.tool.set_options(
            {
                "": "notes",
                **{name: line_name(line) for name, line in lines.items()},
                **{name: f"new {line_name(line)}" for name, line in fresh.items()},
            }
        )
        chosen = next((name for name, line in self._lines.items() if line == self.roll.line), "")
        self.tool.set_value(chosen)
        if not chosen:
            self.roll.line = None
        self.where, self._made_by = where, made_by
        self.tell()

    def tell(self) -> None:
        """Say how much there is, and how much of it is chosen."""
        roll = self.roll
        text = f"{len(roll.notes):,} {'note' if len(roll.notes) == 1 else 'notes'}"
        values = len(roll.sheet_shown.others)
        text += f", {values:,} {'value' if values == 1 else 'values'}" if values else ""
        text += f" · {len(roll.chosen):,} chosen" if roll.chosen else ""
        text += f" · {self._made_by}" if self._made_by and not roll.chosen else ""
        self.count.setText(text)

    def _offer(self) -> tuple[str, QMimeData] | None:
        """What is dragged out: the notes that are chosen, or all that the version holds."""
        roll = self.roll
        if roll.chosen:
            notes = [roll.notes[place] for place in sorted(roll.chosen)]
            return self.where, mime_of_notes(notes, roll.span.course, self.where)
        events = events_of(self.offers[0], self.version) if self.offers is not None else ()
        return (self.where, mime_of(events, roll.span.course, self.where)) if events else None

    def _choose_line(self, name: str) -> None:
        self.roll.line = self._lines.get(name)
        self.roll.choose(set())
        self.roll.update()
