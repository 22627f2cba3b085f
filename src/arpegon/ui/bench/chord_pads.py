"""Chord's third way: pads, each with a chord that is chosen around the ring and a trigger that is learnt."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from arpegon.core.events import Event
from arpegon.core.processing.parameters import Number
from arpegon.core.theory.chords import CHORD_TYPES, STACKS, TYPE_LABELS, chord_name
from arpegon.core.theory.pitch import ascii_name, written
from arpegon.core.theory.scales import Key
from arpegon.core.theory.voicing import inverted
from arpegon.processors.stages.pads import BOUNDS, MAX, pad_notes
from arpegon.ui.controls.chord_palette import Chip, ChordPalette
from arpegon.ui.controls.pad_grid import PadGrid, Tile
from arpegon.ui.controls.pitch_ring import PitchRing
from arpegon.ui.controls.slider import Slider
from arpegon.ui.look.plain import Label
from arpegon.ui.parts.standard import caps

if TYPE_CHECKING:
    from arpegon.ui.bench.chord_editor import ChordEditor

_COMMON = frozenset({"major", "m", "7", "m7", "maj7", "sus4", "dim", "aug", "6", "9"})
_FIRST_TRIGGER = 36
_CHORD_KEYS = ("root", "quality", "degree", "stack")


class PadsPane(QWidget):
    """The ring chooses a root, the palette a chord on it, a click or drop puts it on a pad."""

    def __init__(self, editor: ChordEditor) -> None:
        super().__init__()
        self.editor = editor
        self.selected: int | None = None
        self.root: int | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(7)
        row = QHBoxLayout()
        row.setSpacing(12)
        self.ring = PitchRing(editor.ink, playable=True)
        self.ring.setToolTip("Click a note: it becomes the root of the chords that are offered.")
        self.ring.clicked.connect(self._choose_root)
        row.addWidget(self.ring, 0, Qt.AlignmentFlag.AlignTop)
        row.addLayout(self._buttons(), 1)
        box.addLayout(row)
        self.grid = PadGrid(editor.ink)
        self.grid.chosen.connect(self.select)
        self.grid.dropped.connect(self._drop)
        self.grid.removed.connect(self._remove)
        box.addWidget(self.grid)
        self.empty = Label("No pads yet. Press learn and strike the pads of your controller one after the other.")
        self.empty.setProperty("role", "second")
        self.empty.setWordWrap(True)
        box.addWidget(self.empty)
        head = QHBoxLayout()
        self.offer = caps("Chords")
        self.more = QPushButton("all")
        self.more.setProperty("flat", True)
        self.more.setCheckable(True)
        self.more.setToolTip("Offer every chord on this root, not only the key's own and the common ones.")
        self.more.toggled.connect(lambda on: self.show_values(editor.values))
        head.addWidget(self.offer, 1)
        head.addWidget(self.more)
        box.addLayout(head)
        self.palette_ = ChordPalette(
            editor.ink, "The key's own chords stand out. Click to hear one and put it on the selected pad, or drag it."
        )
        self.palette_.chosen.connect(self._choose_chord)
        box.addWidget(self.palette_)
        box.addLayout(editor.grid("first_row", "others"))
        box.addWidget(editor.control("columns"))
        editor.session.heard.connect(self._heard)

    def _buttons(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        line = QHBoxLayout()
        line.setSpacing(5)
        self.learn = QPushButton("learn")
        self.learn.setCheckable(True)
        self.learn.setToolTip(
            "Strike the pads of the controller one after the other, from the selected pad on: "
            "each stroke becomes the trigger of the next pad; past the last one, new pads are made."
        )
        self.learn.toggled.connect(self._learn)
        add = QPushButton("+ pad")
        add.setToolTip("Add a pad with the next chord of the key.")
        add.clicked.connect(lambda: self.add_pad())
        remove = QPushButton("− pad")
        remove.setToolTip("Take the selected pad away (Del).")
        remove.clicked.connect(lambda: self._remove(self.selected))
        for button in (self.learn, add, remove):
            button.setStyleSheet("padding: 4px 6px;")
            line.addWidget(button)
        column.addLayout(line)
        column.addWidget(self._one_pad())
        column.addStretch(1)
        return column

    def _one_pad(self) -> QWidget:
        """What the selected pad has of its own."""
        self.one = QWidget()
        column = QVBoxLayout(self.one)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(4)
        self.turns: dict[str, Slider] = {}
        for name, label in (("inversion", "Its inversion"), ("register", "Its register")):
            low, high = BOUNDS[name]
            param = Number(name=name, label=label, default=0, low=low, high=high, help="Of the selected pad alone.")
            slider = self.turns[name] = Slider(param, self.editor.ink)
            slider.moved.connect(lambda value, name=name: self._change(False, **{name: int(value)}))
            slider.settled.connect(self.editor.session.settle)
            column.addWidget(slider)
        self.group = QLineEdit()
        self.group.setPlaceholderText("group, such as verse")
        self.group.setToolTip("The name of the group to which this pad belongs.")
        self.group.editingFinished.connect(lambda: self._change(group=self.group.text().strip()))
        column.addWidget(self.group)
        return self.one

    # -- showing -----------------------------------------------------------------------------------

    @property
    def pads(self) -> list[dict[str, Any]]:
        """The pads as they stand in the document."""
        return [dict(pad) for pad in self.editor.values["pads"]]

    def show_values(self, values: dict[str, Any]) -> None:
        """Show pads, ring and palette."""
        key = self.editor.working_key
        pads = values["pads"]
        if self.selected is not None and self.selected >= len(pads):
            self.selected = len(pads) - 1 if pads else None
        tiles = [
            Tile(pad_name(pad, key), written(pad["trigger"]), pad["trigger"], pad.get("group", ""), "degree" in pad)
            for pad in pads
        ]
        self.grid.waiting = self._waiting() if self.learn.isChecked() else None
        self.grid.show_tiles(tiles, values["columns"], values["first_row"] == "bottom", self.selected)
        self.grid.setVisible(bool(pads) or self.learn.isChecked())
        self.empty.setVisible(not pads and not self.learn.isChecked())
        pad = pads[self.selected] if self.selected is not None else None
        self.one.setVisible(pad is not None)
        if pad is not None:
            for name, slider in self.turns.items():
                slider.set_value(pad.get(name, 0))
            if not self.group.hasFocus():
                self.group.setText(pad.get("group", ""))
        self._show_ring(key, pad)

    def _show_ring(self, key: Key, pad: Mapping[str, Any] | None) -> None:
        notes = pad_notes(pad, key) if pad is not None else []
        root = self.root if self.root is not None else notes[0] % 12 if notes else key.tonic
        classes = {note % 12 for note in notes}
        self.ring.show_state(
            names=key.names,
            shape=classes,
            filled=classes,
            members=key.pitch_classes,
            armed=root,
            title=pad_name(pad, key) if pad is not None else "",
            subtitle=f"on {written(pad['trigger'])}" if pad is not None else "",
        )
        chord = {name: pad[name] for name in _CHORD_KEYS if name in pad} if pad is not None else None
        self.palette_.show_chips(offered(root, key, self.more.isChecked(), chord), chord)
        self.offer.setText(f"CHORDS ON {key.names[root]}")

    # -- choosing ----------------------------------------------------------------------------------

    def select(self, place: int) -> None:
        """Select a pad, and hear it."""
        self.selected = place
        self.root = None
        pads = self.pads
        if place < len(pads):
            self.editor.hear(sounding(pads[place], self.editor.working_key))
        self.show_values(self.editor.values)

    def _choose_root(self, pitch_class: int) -> None:
        self.root = pitch_class
        self.show_values(self.editor.values)

    def _choose_chord(self, chord: Mapping[str, Any]) -> None:
        self.editor.hear(pad_notes(chord, self.editor.working_key))
        if self.selected is not None:
            self._put(self.selected, chord)

    def _drop(self, place: int, chord: Mapping[str, Any]) -> None:
        self._put(place, chord)
        self.select(place)

    def _put(self, place: int, chord: Mapping[str, Any]) -> None:
        pads = self.pads
        kept = {name: value for name, value in pads[place].items() if name not in _CHORD_KEYS}
        pads[place] = kept | dict(chord)
        self.editor.set(pads=pads)

    def _change(self, settled: bool = True, **changes: Any) -> None:
        pads = self.pads
        if self.selected is not None and self.selected < len(pads):
            pads[self.selected] |= changes
            self.editor.set(settled, pads=pads)

    def add_pad(self, trigger: int | None = None) -> None:
        """Add a pad with the next chord of the key, on a trigger or on the next free one."""
        pads = self.pads
        if len(pads) >= MAX:
            self.editor.session.notice("edit", f"There are {MAX} pads, one for each note; no more fit.")
            return
        used = {pad["trigger"] for pad in pads}
        after = max(used) if used else _FIRST_TRIGGER - 1
        free = [note for note in (*range(after + 1, 128), *range(128)) if note not in used]
        degrees = len(self.editor.working_key.intervals)
        made = {"trigger": free[0] if trigger is None else trigger, "degree": len(pads) % degrees + 1, "stack": "triad"}
        self.selected = len(pads)
        self.root = None
        self.editor.set(pads=[*pads, made])

    def _remove(self, place: int | None) -> None:
        pads = self.pads
        if place is not None and place < len(pads):
            del pads[place]
            self.editor.set(pads=pads)

    # -- learning ----------------------------------------------------------------------------------

    def _waiting(self) -> int:
        return len(self.editor.values["pads"]) if self.selected is None else self.selected

    def _learn(self, on: bool) -> None:
        if on and self.selected is None and self.pads:
            self.selected = 0
        self.show_values(self.editor.values)

    def _heard(self, feed: str, event: Event) -> None:
        """Something was struck anywhere: where triggers are learnt, it becomes the next one."""
        if not self.learn.isChecked() or not self.isVisible():
            return
        pads = self.pads
        place = self._waiting()
        note = event.data1
        other = next((number for number, pad in enumerate(pads) if pad["trigger"] == note), None)
        if place >= len(pads):
            if other is None:
                self.add_pad(note)
                self.selected = None
            else:
                self.editor.session.notice("edit", f"{written(note)} triggers pad {other + 1} already.")
        else:
            if other is not None and other != place:
                pads[other]["trigger"] = pads[place]["trigger"]
                words = f"{written(note)} was the trigger of pad {other + 1}: the two changed places."
                self.editor.session.notice("edit", words)
            pads[place]["trigger"] = note
            self.selected = place + 1 if place + 1 < len(pads) else None
            self.editor.set(pads=pads)
        self.show_values(self.editor.values)


def pad_name(pad: Mapping[str, Any], key: Key) -> str:
    """The name of a pad's chord, spelled for the key, e.g. ``"E♭maj7"``."""
    notes = pad_notes(pad, key)
    return chord_name(notes, key.names) or " ".join(key.names[note % 12] for note in notes)


def sounding(pad: Mapping[str, Any], key: Key) -> list[int]:
    """The notes of a pad with its own inversion and register."""
    voices = [(note, 1.0) for note in pad_notes(pad, key)]
    return [note + 12 * pad.get("register", 0) for note, _ in inverted(voices, pad.get("inversion", 0))]


def offered(root: int, key: Key, everything: bool = True, current: Mapping[str, Any] | None = None) -> list[Chip]:
    """The chords on a root: first those that the key gives on it, then all others, or the common ones.

    ``current`` is offered in any case.
    """
    chips: list[Chip] = []
    own: set[frozenset[int]] = set()
    if root in key.pitch_classes:
        degree = key.intervals.index((root - key.tonic) % 12) + 1
        for stack in STACKS:
            pad = {"degree": degree, "stack": stack}
            notes = pad_notes(pad, key)
            classes = frozenset(note % 12 for note in notes)
            name = chord_name(notes, key.names)
            if name is not None and classes not in own:
                own.add(classes)
                chips.append((name, pad, True))
    root_name = key.names[root]
    for quality, intervals in CHORD_TYPES.items():
        classes = frozenset((root + interval) % 12 for interval in intervals)
        chord = {"root": ascii_name(root_name), "quality": quality}
        if classes not in own and (everything or quality in _COMMON or chord == current):
            label = "" if quality == "major" else TYPE_LABELS[quality]
            chips.append((f"{root_name}{label}", chord, False))
    return chips
