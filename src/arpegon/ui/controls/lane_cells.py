"""A lane of steps as cells: what each plays; the wheel, a click or the keyboard changes it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from arpegon.ui.controls import arrows
from arpegon.ui.look import theme
from arpegon.ui.look.painted import PaintedPart, PaintedParts

PLAYS: tuple[str | int, ...] = ("next", 1, 2, 3, 4, 5, 6, 7, 8, "all", "rest", "tie")
SIGNS = {"next": "→", "all": "all", "rest": "·", "tie": "—"}


def _words(play: str | int) -> str:
    """What a step plays, as it is read out."""
    return (
        f"held note {play}" if isinstance(play, int) else {"next": "the next note", "all": "all notes"}.get(play, play)
    )


class LaneCells(PaintedParts):
    """Cells in a row; a click goes on to the next possibility, the right button makes a rest and back."""

    changed = pyqtSignal(int, object)

    def __init__(self, ink: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.ink = ink
        self.steps: Sequence[Mapping[str, Any]] = ()
        self.lit: int | None = None
        self._chosen = 0
        self.setFixedHeight(30)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Lane")
        self.setToolTip(
            "What each step plays: → the next note of the order, a number the n-th held note, all, · a rest, — a tie. "
            "Click or wheel goes on; the right button makes a rest; arrows walk and change."
        )

    def sizeHint(self) -> QSize:
        return QSize(340, 30)

    def show_steps(self, steps: Sequence[Mapping[str, Any]]) -> None:
        """Show a lane."""
        self.steps = steps
        self.update()

    def show_lit(self, step: int | None) -> None:
        """Show which step sounds."""
        if step != self.lit:
            self.lit = step
            self.update()

    def _cell(self, step: int) -> QRectF:
        width = self.width() / max(1, len(self.steps))
        return QRectF(step * width + 1, 1, width - 2, self.height() - 2)

    def _step_at(self, x: float) -> int:
        return max(0, min(len(self.steps) - 1, int(x / max(1, self.width()) * len(self.steps))))

    def _turn(self, step: int, by: int) -> None:
        play = self.steps[step]["play"]
        place = PLAYS.index(play) if play in PLAYS else 0
        self.changed.emit(step, PLAYS[(place + by) % len(PLAYS)])

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self.steps:
            return
        step = self._chosen = self._step_at(event.position().x())
        if event.button() == Qt.MouseButton.RightButton:
            self.changed.emit(step, "next" if self.steps[step]["play"] == "rest" else "rest")
        else:
            self._turn(step, 1)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None and self.steps:
            step = self._step_at(event.position().x())
            self._turn(step, 1 if event.angleDelta().y() > 0 else -1)
            event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or not self.steps:
            return
        sideways = arrows.sideways(event)
        upwards = arrows.upwards(event)
        if sideways:
            self._chosen = (self._chosen + sideways) % len(self.steps)
            self.update()
        elif upwards:
            self._turn(min(self._chosen, len(self.steps) - 1), upwards)
        else:
            super().keyPressEvent(event)

    def parts(self) -> list[PaintedPart]:
        return [PaintedPart(f"Step {place + 1}: {_words(step['play'])}") for place, step in enumerate(self.steps)]

    def chosen_part(self) -> int | None:
        return min(self._chosen, len(self.steps) - 1) if self.steps else None

    def part_box(self, place: int) -> QRectF:
        return self._cell(place)

    def choose_part(self, place: int) -> None:
        self._chosen = place
        self.update()

    def paint(self, painter: QPainter, t: theme.Theme) -> None:
        painter.setFont(theme.label_font(12, 600))
        for step, entry in enumerate(self.steps):
            ground = self.ink if step == self.lit else t.field
            chosen = self.hasFocus() and step == self._chosen
            painter.setPen(theme.color(t.ink if chosen else t.line))
            painter.setBrush(theme.color(ground))
            painter.drawRoundedRect(self._cell(step), 3, 3)
            painter.setPen(theme.color(theme.text_on(ground) if step == self.lit else t.ink))
            sign = SIGNS.get(entry["play"], str(entry["play"]))
            painter.drawText(self._cell(step), Qt.AlignmentFlag.AlignCenter, sign)
