"""The editor of Chord: the sounding chord on the ring, its voices as rows."""

from __future__ import annotations

import time
from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from arpegon.core.chords import chord_name, interval_name
from arpegon.core.events import NOTE_OFF, NOTE_ON, Event
from arpegon.core.pitch import note_name
from arpegon.engine.protocol import Passed
from arpegon.processors.chord import shape
from arpegon.ui import theme
from arpegon.ui.bench.editor import StageEditor, caps
from arpegon.ui.controls.keyboard import MiniKeyboard
from arpegon.ui.controls.pitch_ring import PitchRing

_LOWEST, _HIGHEST, _MOST = -36, 36, 8
_SUGGESTED = (7, 4, 12, -12, 10, 3, 14, 19)


class VoiceRow(QWidget):
    """One added voice: its offset (drag, wheel, arrows), its level, a way to take it out."""

    changed = pyqtSignal(int, int, float, bool)
    removed = pyqtSignal(int)

    def __init__(self, place: int, ink: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.place = place
        self.ink = ink
        self.offset, self.level = 0, 1.0
        self._drag: tuple[str, float, float] | None = None
        self.setFixedHeight(30)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip(
            "An added voice. Drag the number up or down, or use wheel and ↑ ↓ (Shift: an octave), "
            "to move it by semitones, −36 to 36; drag the line for its level, 0 to 2; × or Del takes it out."
        )

    def show_voice(self, offset: int, level: float) -> None:
        """Show a voice."""
        if self._drag is None or self._drag[0] != "level":
            self.level = level
        self.offset = offset
        self.setAccessibleName(f"Voice {offset:+d}, {interval_name(offset)}, level {self.level:.2f}")
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(160, 30)

    def _level_area(self) -> QRectF:
        return QRectF(self.width() - 58, 0, 34, self.height())

    def _cross(self) -> QRectF:
        return QRectF(self.width() - 20, 5, 16, 20)

    def _move(self, offset: int, settled: bool = True) -> None:
        offset = max(_LOWEST, min(_HIGHEST, offset))
        if offset != self.offset:
            self.offset = offset
            self.changed.emit(self.place, offset, self.level, settled)
            self.update()

    def _turn(self, level: float, settled: bool) -> None:
        self.level = round(max(0.0, min(2.0, level)), 2)
        self.changed.emit(self.place, self.offset, self.level, settled)
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        point = event.position()
        if self._cross().contains(point):
            self.removed.emit(self.place)
        elif self._level_area().adjusted(-4, 0, 4, 0).contains(point):
            self._drag = ("level", point.x(), self.level)
            self.mouseMoveEvent(event)
        else:
            self._drag = ("offset", point.y(), float(self.offset))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._drag is None:
            return
        what, origin, value = self._drag
        if what == "level":
            area = self._level_area()
            self._turn(2.0 * (event.position().x() - area.left()) / area.width(), False)
        else:
            self._move(round(value + (origin - event.position().y()) / 6), False)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag is not None:
            self._drag = None
            self.changed.emit(self.place, self.offset, self.level, True)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._level_area().contains(event.position()):
            self._turn(1.0, True)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self._move(self.offset + (1 if event.angleDelta().y() > 0 else -1))
            event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        octave = 12 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        key = event.key()
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._move(self.offset + (octave if key == Qt.Key.Key_Up else -octave))
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self._turn(self.level + (0.05 if key == Qt.Key.Key_Right else -0.05), True)
        elif key == Qt.Key.Key_Delete:
            self.removed.emit(self.place)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(theme.color(t.ink if self.hasFocus() else t.line))
        painter.setBrush(theme.color(t.field))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.setFont(theme.number_font(13, 500))
        painter.setPen(theme.color(t.ink))
        painter.drawText(QRectF(8, 0, 36, 30), middle, f"{self.offset:+d}".replace("-", "−"))
        painter.setFont(theme.label_font(12))
        room = QRectF(40, 0, self.width() - 40 - 62, 30)
        name = interval_name(self.offset)
        painter.drawText(
            room, middle, painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(room.width()))
        )
        area = self._level_area()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(t.rule_strong))
        painter.drawRoundedRect(QRectF(area.left(), 13, area.width(), 4), 2, 2)
        painter.setBrush(theme.color(self.ink))
        painter.drawRoundedRect(QRectF(area.left(), 13, area.width() * self.level / 2, 4), 2, 2)
        painter.drawEllipse(QRectF(area.left() + area.width() * self.level / 2 - 4, 11, 8, 8))
        painter.setPen(theme.color(t.second))
        painter.setFont(theme.label_font(14))
        painter.drawText(self._cross(), Qt.AlignmentFlag.AlignCenter, "×")


class ChordEditor(StageEditor):
    """Voices as rows beside the ring; beneath, the chord of the last key on a small keyboard."""

    def build(self) -> None:
        self._last: Event | None = None
        self._held: dict[tuple[int, int], list[int]] = {}
        row = QHBoxLayout()
        row.setSpacing(12)
        self.ring = PitchRing(self.ink)
        self.ring.setToolTip("The chord that sounded last, as a shape, and its name.")
        row.addWidget(self.ring, 0, Qt.AlignmentFlag.AlignTop)
        self._side = QVBoxLayout()
        self._side.setSpacing(5)
        self._side.addWidget(caps("Voices added"))
        self.rows: list[VoiceRow] = []
        self.add = QPushButton("+ add a voice")
        self.add.setToolTip("Add a voice to every key, up to eight.")
        self.add.clicked.connect(self._add_voice)
        self._side.addWidget(self.add)
        self._side.addStretch(1)
        row.addLayout(self._side, 1)
        self.box.addLayout(row)
        self.box.addWidget(self.control("keep_root"))
        self.keys = MiniKeyboard(self.ink)
        self.keys.setToolTip("The keys of the chord that sounded last.")
        self.box.addWidget(self.keys)
        self.box.addStretch(1)

    def show_values(self, values: dict[str, Any]) -> None:
        offsets = values["offsets"]
        levels = [*values["levels"], *[1.0] * _MOST]
        while len(self.rows) < len(offsets):
            voice = VoiceRow(len(self.rows), self.ink)
            voice.changed.connect(self._change_voice)
            voice.removed.connect(self._remove_voice)
            self._side.insertWidget(1 + len(self.rows), voice)
            self.rows.append(voice)
        while len(self.rows) > len(offsets):
            gone = self.rows.pop()
            self._side.removeWidget(gone)
            gone.hide()
            gone.deleteLater()
        for voice, offset, level in zip(self.rows, offsets, levels, strict=False):
            voice.show_voice(offset, level)
        self.add.setVisible(len(offsets) < _MOST)
        self._show_chord()

    def _voices(self) -> tuple[list[int], list[float]]:
        values = self.values
        offsets = list(values["offsets"])
        return offsets, [*values["levels"], *[1.0] * len(offsets)][: len(offsets)]

    def _store(self, offsets: list[int], levels: list[float], settled: bool = True) -> None:
        self.set(settled, offsets=offsets, levels=levels if any(level != 1.0 for level in levels) else [])

    def _add_voice(self) -> None:
        offsets, levels = self._voices()
        fresh = next((offset for offset in _SUGGESTED if offset not in offsets), 0)
        self._store([*offsets, fresh], [*levels, 1.0])

    def _change_voice(self, place: int, offset: int, level: float, settled: bool) -> None:
        offsets, levels = self._voices()
        if place < len(offsets):
            offsets[place], levels[place] = offset, level
            self._store(offsets, levels, settled)

    def _remove_voice(self, place: int) -> None:
        offsets, levels = self._voices()
        del offsets[place : place + 1], levels[place : place + 1]
        self._store(offsets, levels)

    # -- what sounds -------------------------------------------------------------------------------

    def passed(self, batch: Sequence[Passed]) -> None:
        now = time.monotonic()
        struck = False
        for one in batch:
            if one.event is None:
                continue
            key = (one.event.channel, one.event.data1)
            if one.event.kind == NOTE_ON:
                struck = True
                self._last = one.event
                self._held[key] = [event.data1 for event in one.out if event.kind == NOTE_ON]
                for note in self._held[key]:
                    self.ring.strike(note % 12, now)
            elif one.event.kind == NOTE_OFF:
                self._held.pop(key, None)
        if struck:
            self._show_chord()

    def tick(self, now: float) -> None:
        self.ring.tick(now)

    def _show_chord(self) -> None:
        """The chord that sounds or sounded last; before any note, what middle C would give."""
        names = self.session.project.key.names
        base = self._last.data1 if self._last else 60
        sounding = sorted({note for notes in self._held.values() for note in notes})
        if not sounding:
            sounding = sorted({base + offset for offset, _ in shape(self.values) if 0 <= base + offset <= 127})
        classes = {note % 12 for note in sounding}
        title = chord_name(sounding, names) or " ".join(names[pc] for pc in sorted(classes))
        keys = list(self._held) if len(self._held) > 1 else []
        subtitle = f"from {len(keys)} keys" if keys else f"from {note_name(base, names)}"
        self.ring.show_state(
            names=names,
            shape=classes,
            filled=classes,
            members=self.session.project.key.pitch_classes,
            title=title,
            subtitle=subtitle,
        )
        low = min([*sounding, 48]) // 12 * 12
        high = max([*sounding, 83]) // 12 * 12 + 11
        self.keys.show_notes(sounding, low, high)
