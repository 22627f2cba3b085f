"""The numbered patterns of a stage: chosen, copied, pasted, duplicated; the one that plays is lit."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QMenu, QPushButton, QWidget

from arpegon.core.errors import ArpegonError
from arpegon.core.processing.patterns import MAX, Patterns
from arpegon.ui.look.plain import tip

_MARK = "arpegon-pattern"


class PatternRow(QWidget):
    """A button for each pattern, and one that adds another.

    ``chosen`` carries the place of a pattern (from 0); ``edited`` all patterns and the place that is chosen then.

    Args:
        fresh: makes a pattern to begin with.
        say: takes a sentence for the status line.
    """

    chosen = pyqtSignal(int)
    edited = pyqtSignal(str, list, int)
    learn = pyqtSignal(int)

    def __init__(self, declared: Patterns, ink: str, fresh: Callable[[], Any], say: Callable[[str], None]) -> None:
        super().__init__()
        self.declared = declared
        self.ink = ink
        self.fresh = fresh
        self.say = say
        self.patterns: list[Any] = []
        self.current = 0
        self._playing: int | None = None
        self.buttons: list[QPushButton] = []
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        for place in range(MAX):
            button = QPushButton(str(place + 1))
            button.setCheckable(True)
            button.setFixedSize(30, 26)
            button.setToolTip(
                tip(
                    f"Pattern {place + 1}: it takes over as “Changes” says. "
                    "Right click to copy, paste, duplicate, remove."
                )
            )
            button.clicked.connect(lambda _=False, place=place: self._choose(place))
            button.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
            button.customContextMenuRequested.connect(lambda at, place=place: self.offer(place, at))
            self.buttons.append(button)
            row.addWidget(button)
        self.add = QPushButton("+")
        self.add.setFixedSize(30, 26)
        self.add.setToolTip("One more pattern, as a copy of this one (up to eight).")
        self.add.clicked.connect(lambda: self.duplicate(self.current))
        row.addWidget(self.add)
        row.addStretch(1)

    def show_patterns(self, patterns: Sequence[Any], current: int) -> None:
        """Show patterns, and which one is chosen."""
        self.patterns = list(patterns)
        self.current = current
        for place, button in enumerate(self.buttons):
            button.setVisible(place < max(1, len(patterns)))
            button.setChecked(place == current)
        self.add.setVisible(len(patterns) < MAX)
        self._light()

    def show_playing(self, place: int | None) -> None:
        """Show which pattern plays."""
        if place != self._playing:
            self._playing = place
            self._light()

    def _light(self) -> None:
        for place, button in enumerate(self.buttons):
            lit = place == self._playing
            edge = f"border: 2px solid {self.ink};" if lit else ""
            button.setStyleSheet(f"padding: 0; {edge}")

    def _choose(self, place: int) -> None:
        self.buttons[place].setChecked(place == self.current)
        self.chosen.emit(place)

    # -- edits -------------------------------------------------------------------------------------

    def offer(self, place: int, at: QPoint) -> None:
        """The menu of one pattern."""
        menu = self.menu(place)
        menu.exec(self.buttons[place].mapToGlobal(at))

    def menu(self, place: int) -> QMenu:
        """What can be done with a pattern."""
        menu = QMenu(self)
        menu.addAction("Learn a control for this pattern …", lambda: self.learn.emit(place))
        menu.addAction("Learn a control for the next pattern …", lambda: self.learn.emit(-1))
        menu.addSeparator()
        menu.addAction("Copy", lambda: self.copy(place))
        menu.addAction("Paste here", lambda: self.paste(place))
        full = len(self.patterns) >= MAX
        duplicate = menu.addAction("Duplicate", lambda: self.duplicate(place))
        if duplicate is not None:
            duplicate.setEnabled(not full)
        menu.addAction("Begin afresh", lambda: self._put("Pattern afresh", place, self.fresh()))
        menu.addSeparator()
        remove = menu.addAction("Remove", lambda: self.remove(place))
        if remove is not None:
            remove.setEnabled(len(self.patterns) > 1)
        return menu

    def copy(self, place: int) -> None:
        """Put a pattern on the clipboard."""
        clipboard = QApplication.clipboard()
        if clipboard is not None and place < len(self.patterns):
            clipboard.setText(json.dumps({_MARK: self.patterns[place]}))

    def paste(self, place: int) -> None:
        """Replace a pattern by the one on the clipboard."""
        clipboard = QApplication.clipboard()
        try:
            found = json.loads(clipboard.text() if clipboard is not None else "")[_MARK]
            pattern = self.declared.check([found])[0]
        except (ValueError, TypeError, KeyError):
            self.say("The clipboard holds no pattern: copy one first (right click on its number).")
        except ArpegonError:
            self.say("The pattern on the clipboard is of another kind of stage.")
        else:
            self._put("Paste pattern", place, pattern)

    def duplicate(self, place: int) -> None:
        """A copy of a pattern behind all others, chosen at once."""
        if len(self.patterns) >= MAX:
            return
        copied = self.patterns[place] if place < len(self.patterns) else self.fresh()
        patterns = [*(self.patterns or [self.fresh()]), copied]
        self.edited.emit("Add a pattern", patterns, len(patterns) - 1)

    def remove(self, place: int) -> None:
        """Take a pattern out; those behind it move up."""
        if len(self.patterns) > 1:
            patterns = [*self.patterns[:place], *self.patterns[place + 1 :]]
            current = self.current - 1 if self.current > place else min(self.current, len(patterns) - 1)
            self.edited.emit("Remove pattern", patterns, current)

    def _put(self, label: str, place: int, pattern: Any) -> None:
        patterns = list(self.patterns) or [self.fresh()]
        patterns[place] = pattern
        self.edited.emit(label, patterns, self.current)
