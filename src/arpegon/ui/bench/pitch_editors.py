"""The editors of Transpose, Mirror and Key map: two facing keyboards and the threads between them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QMenu, QPushButton

from arpegon.core.errors import ArpegonError
from arpegon.core.theory.chords import CHORD_TYPES, TYPE_LABELS
from arpegon.core.theory.scales import SCALES, Key, pitch_classes, stage_key
from arpegon.core.time import studio
from arpegon.engine.wire.protocol import Passed
from arpegon.files.keymap_csv import load_keymap, save_keymap
from arpegon.processors.stages.keymap import TEMPLATE, all_threads, fill_chord, fill_scale, only
from arpegon.processors.stages.mirror import mirrored
from arpegon.processors.stages.transpose import moved
from arpegon.ui.bench.editor import StageEditor, strokes
from arpegon.ui.controls.facing_keys import FacingKeys
from arpegon.ui.look.plain import Label
from arpegon.ui.parts.save_dialog import ask_where

_FILTER = "Key maps (*.csv);;All files (*)"


class FacingEditor(StageEditor):
    """Base: facing keyboards whose range follows what is played."""

    editable = False

    def add_keys(self) -> None:
        """Put in the keyboards."""
        self.keys = FacingKeys(self.ink, self.editable)
        self.box.addWidget(self.keys)

    def passed(self, batch: Sequence[Passed]) -> None:
        now = studio.now()
        for struck, made in strokes(batch):
            if struck is not None:
                targets = [event.data1 for event in made]
                self._reach([struck.data1, *targets])
                self.keys.strike(struck.data1, targets, now)

    def _reach(self, notes: Sequence[int]) -> None:
        """Widen the keyboards so that these notes are in sight."""
        low = min(self.keys.low, *(note // 12 * 12 for note in notes))
        high = max(self.keys.high, *(min(127, note // 12 * 12 + 11) for note in notes))
        if (low, high) != (self.keys.low, self.keys.high):
            self.keys.show_range(low, high)

    def tick(self, now: float) -> None:
        self.keys.tick(now)


class TransposeEditor(FacingEditor):
    """How far every key moves, drawn as threads."""

    def build(self) -> None:
        self.add_keys()
        self.keys.setToolTip("Keys played above, notes that sound below.")
        for key in ("semitones", "octaves", "degrees"):
            self.side.addWidget(self.control(key))
        self.side.addWidget(self.captioned("outside"))
        self.side.addWidget(self.control("follow_key"))
        self.side.addLayout(self.grid("root", "scale"))

    def show_values(self, values: dict[str, Any]) -> None:
        for name in ("root", "scale"):
            self.controls[name].setEnabled(bool(values["degrees"]) and not values["follow_key"])
        self.controls["follow_key"].setEnabled(bool(values["degrees"]))
        key = stage_key(values, self.session.project.key)
        threads: Mapping[int, Sequence[int]] = {
            note: [] if (target := moved(note, values, key)) is None else [target] for note in range(128)
        }
        self.keys.show_threads(threads)


class MirrorEditor(FacingEditor):
    """Where every key lands on the other side, drawn as threads that cross at the axis."""

    def build(self) -> None:
        self.add_keys()
        self.keys.setToolTip("Keys played above, notes that sound below.")
        self.side.addWidget(self.captioned("way"))
        self.side.addWidget(self.control("axis"))
        self.side.addWidget(self.captioned("outside"))
        self.side.addWidget(self.control("follow_key"))
        self.side.addLayout(self.grid("root", "scale"))

    def show_values(self, values: dict[str, Any]) -> None:
        in_key = values["way"] == "key"
        for name in ("root", "scale"):
            self.controls[name].setEnabled(in_key and not values["follow_key"])
        self.controls["follow_key"].setEnabled(in_key)
        key = stage_key(values, self.session.project.key)
        self.keys.show_threads(
            {note: [] if (target := mirrored(note, values, key)) is None else [target] for note in range(128)}
        )


class KeyMapEditor(FacingEditor):
    """Threads that are drawn, moved and cut; filled from a scale or chord; read and written as CSV."""

    editable = True

    def build(self) -> None:
        self.add_keys()
        self.keys.setToolTip(
            "Drag from an upper key to a lower one to draw a thread, drag its lower end to move it; "
            "drag it away or click it with the right button to cut it. A key with no thread is silent. Left and Right "
            "choose a key, Up and Down move its threads, Ins draws one more, Del cuts them."
        )
        self.keys.drawn.connect(self._draw)
        self.keys.cut.connect(self._cut)
        self.keys.settled.connect(self.session.settle)
        self.hint = Label("")
        self.hint.setProperty("role", "second")
        self.hint.setWordWrap(True)
        self.box.addWidget(self.hint)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.fill = QPushButton("Fill ▾")
        self.fill.setToolTip("Draw the threads of all keys from a scale or a chord.")
        self.fill.clicked.connect(lambda: self.fill_menu().exec(self.fill.mapToGlobal(self.fill.rect().bottomLeft())))
        self.view = QPushButton("Keys ▾")
        self.view.setToolTip("Which octaves are in sight.")
        self.view.clicked.connect(self._view_menu)
        read = QPushButton("Read CSV …")
        read.setToolTip("Take the threads from a CSV file with the columns key and plays.")
        read.clicked.connect(self.ask_read)
        write = QPushButton("Write CSV …")
        write.setToolTip("Write all 128 keys with what they play to a CSV file.")
        write.clicked.connect(self.ask_write)
        for button in (self.fill, self.view, read, write):
            row.addWidget(button)
        self.side.addLayout(row)
        self.side.addWidget(self.control("octave"))

    # -- threads -----------------------------------------------------------------------------------

    def show_values(self, values: dict[str, Any]) -> None:
        table = all_threads(values)
        octave = values["octave"]
        faint = frozenset(key for key in range(128) if octave and key // 12 != TEMPLATE // 12)
        self.keys.show_threads(dict(enumerate(table)), faint)
        silent = sum(not targets for targets in table)
        where = "Threads of any key hold in every octave." if octave else ""
        self.hint.setText(
            f"{where} {silent} of 128 keys are silent.".strip() if silent or octave else "No key is silent."
        )

    def _threads(self) -> dict[int, list[int]]:
        return {key: list(targets) for key, targets in enumerate(all_threads(self.values))}

    def _home(self, key: int, target: int) -> tuple[int, int]:
        """A thread as it is kept: in the octave that stands for all, where one does."""
        if not self.values["octave"]:
            return key, target
        shift = TEMPLATE + key % 12 - key
        return key + shift, target + shift

    def _draw(self, key: int, target: int) -> None:
        key, target = self._home(key, target)
        if 0 <= target <= 127:
            threads = self._threads()
            self._store(threads | {key: [*threads[key], target]}, settled=False)

    def _cut(self, key: int, target: int) -> None:
        key, target = self._home(key, target)
        threads = self._threads()
        self._store(threads | {key: [one for one in threads[key] if one != target]}, settled=False)

    def _store(self, threads: Mapping[int, Sequence[int]], settled: bool = True) -> None:
        if self.values["octave"]:
            threads = {key: threads[key] for key in range(TEMPLATE, TEMPLATE + 12)}
        self.set(settled, threads=only(threads))

    # -- filling and files -------------------------------------------------------------------------

    def fill_menu(self) -> QMenu:
        """What the threads can be filled from."""
        menu = QMenu(self)
        key = self.session.project.key
        menu.addAction("Each key is itself", lambda: self.set(threads={}))
        for silent, words in ((False, "others go to the nearest"), (True, "others are silent")):
            act = self._filler(key, silent)
            menu.addAction(f"The key {key.label}: {words}", act)
            scales = menu.addMenu(f"A scale on {key.names[key.tonic]}: {words}")
            for name, scale in SCALES.items():
                if scales is not None:
                    scales.addAction(scale.label, self._filler(Key(key.root, name), silent))
        chords = menu.addMenu("A chord on every key")
        for name, intervals in CHORD_TYPES.items():
            if chords is not None:
                chords.addAction(TYPE_LABELS[name], lambda intervals=intervals: self._store(fill_chord(intervals)))
        return menu

    def _filler(self, key: Key, silent: bool) -> Any:
        return lambda: self._store(fill_scale(pitch_classes(key.root, key.scale), silent))

    def _view_menu(self) -> None:
        menu = QMenu(self)
        for words, low, high in (
            ("Three octaves from C3", 48, 83),
            ("Three octaves from C2", 36, 71),
            ("Five octaves", 36, 95),
            ("One octave", 60, 71),
            ("All keys", 0, 127),
        ):
            menu.addAction(words, lambda low=low, high=high: self.keys.show_range(low, high))
        menu.exec(self.view.mapToGlobal(self.view.rect().bottomLeft()))

    def read(self, path: Path) -> None:
        """Take the threads from a file; what is wrong with it is said, and the threads stay."""
        try:
            threads = load_keymap(path)
        except ArpegonError as error:
            self.session.notice("file", str(error))
        else:
            self.session.notice("file", "")
            self.set(threads=threads, octave=False)

    def write(self, path: Path) -> None:
        """Write the threads to a file."""
        try:
            save_keymap(all_threads(self.values), path)
        except ArpegonError as error:
            self.session.notice("file", str(error))

    def ask_read(self) -> None:
        """Let a CSV file be chosen and read."""
        name, _ = QFileDialog.getOpenFileName(self, "Read a key map", str(self.session.filing.folder), _FILTER)
        if name:
            self.read(Path(name))

    def ask_write(self) -> None:
        """Let a file be chosen and written."""
        proposed = self.session.filing.writes_to / "key-map.csv"
        path = ask_where(self, "Write the key map", proposed, "Key maps", (".csv",))
        if path is not None:
            self.write(path)
