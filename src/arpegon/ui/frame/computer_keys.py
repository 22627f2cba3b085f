"""The computer's keys as a keyboard: which note each plays, and hearing them wherever they go in the program."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any, Protocol

from PyQt6 import sip
from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QAbstractSpinBox, QApplication, QComboBox, QLineEdit, QWidget

from arpegon.core.theory.scales import Key
from arpegon.ui.look.painted import OwnKeys

# Two rows of a piano on the computer's keys, by place and not by letter: evdev codes of the keys from the
# left (Linux input-event-codes.h), which X11 reports plus 8. The letters serve where there is no such code.
_LOWER_CODES = (44, 31, 45, 32, 46, 47, 34, 48, 35, 49, 36, 50, 51, 38, 52, 39, 53)
_UPPER_CODES = (16, 3, 17, 4, 18, 19, 6, 20, 7, 21, 8, 22, 23, 10, 24, 11, 25, 26, 13, 27)
_LOWER_LETTERS = "ZSXDCVGBHNJM,L.;/"
_UPPER_LETTERS = "Q2W3ER5T6Y7UI9O0P[=]"
_X11 = 8

CODES = {code + _X11: offset for offset, code in enumerate(_LOWER_CODES)}
CODES |= {code + _X11: offset + 12 for offset, code in enumerate(_UPPER_CODES)}
LETTERS = {ord(letter): offset for offset, letter in enumerate(_LOWER_LETTERS)}
LETTERS |= {ord(letter): offset + 12 for offset, letter in enumerate(_UPPER_LETTERS)}

# Four rows of ten keys, from the bottom, for playing in a key: along a row the degrees, a row up an octave.
_ROW_CODES = (range(44, 54), range(30, 40), range(16, 26), range(2, 12))
_ROW_LETTERS = ("ZXCVBNM,./", "ASDFGHJKL;", "QWERTYUIOP", "1234567890")
ROW_CODES = {code + _X11: (row, place) for row, codes in enumerate(_ROW_CODES) for place, code in enumerate(codes)}
ROW_LETTERS = {
    ord(letter): (row, place) for row, letters in enumerate(_ROW_LETTERS) for place, letter in enumerate(letters)
}
LAYOUTS = {"piano": "piano", "key": "in key"}


def in_key(row: int, place: int, key: Key, octave: int) -> int:
    """The note of a key in the rows: ``place`` degrees above the tonic, ``row`` octaves up from the octave below.

    It may lie outside 0-127 at the ends.
    """
    octaves, degree = divmod(place, len(key.intervals))
    return 12 * (octave + row + octaves) + key.tonic + key.intervals[degree]


class Surface(Protocol):
    """What they play."""

    octave: int
    layout_: str
    """One of :data:`LAYOUTS`."""

    @property
    def key(self) -> Key:
        """What notes in a key are counted in."""

    @property
    def velocity(self) -> int:
        """How they strike."""

    @property
    def held(self) -> Collection[object]:
        """What holds notes."""

    def press(self, key: object, note: int, velocity: int) -> None:
        """Start a note on behalf of a key."""

    def release(self, key: object) -> None:
        """End the note that a key started."""

    def release_all(self) -> None:
        """End every note that is held."""

    def shift(self, octaves: int) -> None:
        """Move them."""

    def isVisible(self) -> bool:
        """Whether it is in sight."""

    def window(self) -> QWidget | None:
        """Where it is."""


class ComputerKeys(QObject):
    """Plays a surface.

    Keys go to what has the focus, so it is heard there; while any is held, in the whole program, for it may be let go
    over a menu. To hear everything all the time would cost more than all that is painted.
    """

    def __init__(self, surface: Any) -> None:
        super().__init__(surface)
        self._surface: Surface = surface
        self._watched: list[QWidget] = []
        self._everywhere = self._closed = False
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        self._application = application
        application.focusChanged.connect(self.follow)
        application.focusWindowChanged.connect(self._focus_moved)

    def hold(self, on: bool) -> None:
        """Notes are held, or none is."""
        if on != self._everywhere:
            self._everywhere = on
            (self._application.installEventFilter if on else self._application.removeEventFilter)(self)
            self.follow()

    def follow(self, *_: object) -> None:
        """Watch what keys go to."""
        if self._closed:
            return
        window, focused = self._surface.window(), QApplication.focusWidget()
        active = focused.window() if focused is not None else QApplication.activeWindow()
        self._watch([] if self._everywhere else [window, focused, active])

    def close(self) -> None:
        """Hear nothing any more."""
        if self._closed:
            return
        self._closed = True
        self._application.focusChanged.disconnect(self.follow)
        self._application.focusWindowChanged.disconnect(self._focus_moved)
        self._application.removeEventFilter(self)
        self._watch([])

    def _watch(self, found: list[QWidget | None]) -> None:
        """Watch these widgets, and no others.

        Python does not learn when one is gone that Qt made, or that was being destroyed when Qt named it: those are
        left out. What they do not take of keys goes on to widgets of ours.
        """
        for widget in self._watched:
            if not sip.isdeleted(widget):
                widget.removeEventFilter(self)
        self._watched = list({id(one): one for one in found if one is not None and sip.ispycreated(one)}.values())
        for widget in self._watched:
            widget.installEventFilter(self)

    def _focus_moved(self) -> None:
        """What is held is let go where the keys go to another window."""
        window = self._surface.window()
        if window is not None and not window.isActiveWindow():
            self._surface.release_all()
        self.follow()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if not isinstance(event, QKeyEvent):
            return False
        kind = event.type()
        if kind in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
            return self._key(event, kind == QEvent.Type.KeyPress)
        return False

    def _key(self, event: QKeyEvent, down: bool) -> bool:
        """Play a key; True where it was one of ours."""
        surface, code = self._surface, event.nativeScanCode()
        note = self._note_of(code, event.key())
        name = ("key", code or event.key())
        if not down and not event.isAutoRepeat() and name in surface.held:
            surface.release(name)
            return True
        focused = QApplication.focusWidget()
        if isinstance(focused, OwnKeys) and focused.claims(event):
            return False
        if note is None or _typing() or not surface.isVisible():
            return self._octave_key(event, down)
        modifiers = event.modifiers()
        if modifiers & ~(Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier):
            return False
        if modifiers & Qt.KeyboardModifier.KeypadModifier:
            return False
        if down and not event.isAutoRepeat():
            surface.press(name, note, surface.velocity)
        return True

    def _note_of(self, code: int, letter: int) -> int | None:
        """The note of a computer key in the layout of now; ``None`` where it has none."""
        surface = self._surface
        if surface.layout_ == "key":
            spot = ROW_CODES.get(code) if code else ROW_LETTERS.get(letter)
            return None if spot is None else in_key(*spot, surface.key, surface.octave)
        offset = CODES.get(code) if code else LETTERS.get(letter)
        return None if offset is None else 12 * (surface.octave + 1) + offset

    def _octave_key(self, event: QKeyEvent, down: bool) -> bool:
        step = {int(Qt.Key.Key_PageUp): 1, int(Qt.Key.Key_PageDown): -1}.get(event.key())
        if step is None or _typing() or not self._surface.isVisible():
            return False
        if down:
            self._surface.shift(step)
        return True


def _typing() -> bool:
    """Whether letters belong to a text that is being typed, or to a menu or dialog."""
    focused = QApplication.focusWidget()
    if QApplication.activePopupWidget() is not None or QApplication.activeModalWidget() is not None:
        return True
    return isinstance(focused, (QLineEdit, QAbstractSpinBox)) or (
        isinstance(focused, QComboBox) and focused.isEditable()
    )
