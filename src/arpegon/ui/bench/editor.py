"""The base of stage editors, and the one that any stage gets from its declarations alone."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QBoxLayout, QGridLayout, QVBoxLayout, QWidget

from arpegon.core.document.hookup_values import HOOKABLE
from arpegon.core.document.model import Stage, Strand
from arpegon.core.events import NOTE_ON, Event
from arpegon.core.processing.parameters import Param
from arpegon.engine.wire.protocol import Passed, Telemetry
from arpegon.listen.heard import HeardNote, Sight
from arpegon.processors import processor_class
from arpegon.ui.controls.fold import Fold
from arpegon.ui.look import theme
from arpegon.ui.model.hookup_words import controller_names
from arpegon.ui.model.session import Session
from arpegon.ui.parts.bench_part import BenchPart
from arpegon.ui.parts.folding import folded
from arpegon.ui.parts.hook_handle import offer_hookup
from arpegon.ui.parts.standard import STANDARD, ControllerField, captioned, standard_control


class StageEditor(BenchPart):
    """Edits one stage and shows its effect on what passes.

    Subclasses build their widgets in ``build``, show values in ``show_values`` and what passes in ``passed``.
    """

    fitted = True
    columns = 2
    """Into how many it can be laid; a third one is for what is turned seldom."""

    def __init__(self, session: Session, strand: Strand, stage: Stage, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.strand = strand
        self.stage = stage
        self.processor = processor_class(stage.kind)
        self.params: dict[str, Param] = {param.name: param for param in self.processor.params}
        self.ink = theme.ink(session.ink_number(strand.id))
        self.controls: dict[str, QWidget] = {}
        self._parts = QBoxLayout(QBoxLayout.Direction.TopToBottom, self)
        self._parts.setContentsMargins(0, 0, 0, 0)
        self._parts.setSpacing(12)
        self.box, self.side, self.rest = QVBoxLayout(), QVBoxLayout(), QVBoxLayout()
        self._second = QVBoxLayout()
        """Side, and beneath it what is turned seldom where that has no column of its own."""
        for part in (self.box, self.side, self.rest, self._second):
            part.setContentsMargins(0, 0, 0, 0)
            part.setSpacing(10)
        self._parts.addLayout(self.box, 6)
        self._parts.addLayout(self._second, 5)
        self._second.addLayout(self.side)
        self._parts.addLayout(self.rest, 4)
        self._rests_in: QBoxLayout = self._parts
        self.build()
        if self.side.count() or self.rest.count():
            self._second.addStretch(1)
        if self.rest.count() and self.columns == 3:
            self.rest.addStretch(1)
        self.set_columns(1)
        self.refresh(strand, stage)

    def set_columns(self, columns: int) -> None:
        """Lay the parts side by side, or under one another; where there are three, one is for what is turned seldom."""
        columns = min(columns, self.columns)
        beside = columns > 1 and self.side.count() > 0
        self._parts.setDirection(QBoxLayout.Direction.LeftToRight if beside else QBoxLayout.Direction.TopToBottom)
        self._parts.setSpacing(24 if beside else 12)
        apart = columns != 2 or not beside
        holder, other = (self._parts, self._second) if apart else (self._second, self._parts)
        if self._rests_in is not holder:
            other.removeItem(self.rest)
            self.rest.setParent(None)
            holder.insertLayout(2 if apart else 1, self.rest, 4 if apart else 0)
            self._rests_in = holder
        for layout in (self._second, self._parts):
            layout.invalidate()
        self.updateGeometry()

    @property
    def values(self) -> dict[str, Any]:
        """All parameters of the stage, defaults included."""
        return self.session.values(self.stage)

    def build(self) -> None:
        """Make the widgets: here one standard control for each parameter."""
        for key, param in self.params.items():
            if isinstance(param, STANDARD):
                self.box.addWidget(self.captioned(key))

    def grid(self, *keys: str, columns: int = 2) -> QGridLayout:
        """Standard controls side by side."""
        grid = QGridLayout()
        grid.setHorizontalSpacing(20)
        grid.setVerticalSpacing(8)
        for column in range(columns):
            grid.setColumnStretch(column, 1)
        for place, key in enumerate(keys):
            grid.addWidget(self.captioned(key), place // columns, place % columns, Qt.AlignmentFlag.AlignBottom)
        return grid

    def fold(self, title: str, box: QBoxLayout) -> QVBoxLayout:
        """A heading in a part of the editor, with what is turned seldom beneath it: where that goes."""
        return folded(self.session, f"{self.stage.kind}: {title}", title, box)

    def reveal(self, param: str) -> None:
        control = self.controls.get(param)
        if control is None:
            return
        parent = control.parentWidget()
        while parent is not None and parent is not self:
            if isinstance(parent, Fold):
                parent.set_open(True)
            parent = parent.parentWidget()
        self.shown_soon.emit(control)

    def refresh(self, strand: Strand, stage: Stage) -> None:
        """Show a stage as it is now."""
        self.strand, self.stage = strand, stage
        values = self.values
        for key, control in self.controls.items():
            control.set_value(values[key])  # type: ignore[attr-defined]
        self.show_values(values)

    def show_document(self) -> bool:
        strand = self.session.project.strand(self.strand.id)
        stage = strand.stage(self.stage.id) if strand is not None else None
        if strand is None or stage is None:
            return True  # the selection goes in a moment
        if stage.kind != self.stage.kind:
            return False
        self.refresh(strand, stage)
        return True

    def hooked(self, target: str) -> None:
        if target == self.stage.id:
            self.show_document()

    def reported(self, telemetry: Telemetry) -> None:
        marks = telemetry.marks.get(self.stage.id, [])
        if telemetry.sight is not None or marks:
            self.heard(telemetry.sight, marks, telemetry.now)
        mine = [one for one in telemetry.passed if one.stage == self.stage.id]
        if mine:
            self.passed(mine)

    def show_values(self, values: dict[str, Any]) -> None:
        """Show what the standard controls do not."""

    def passed(self, batch: Sequence[Passed]) -> None:
        """Show what passed."""

    def heard(self, sight: Sight | None, marks: Sequence[HeardNote], now: float) -> None:
        """Show what an audio source hears, and the notes made of it."""

    def set(self, settled: bool = True, **values: Any) -> None:
        """Set parameters."""
        self.session.set_params(self.stage.id, values, settled)

    # -- standard controls -------------------------------------------------------------------------

    def control(self, key: str) -> QWidget:
        """The standard control of a parameter, from its declaration."""

        def choose(value: Any, settled: bool) -> None:
            self.set(settled, **{key: value})

        param = self.params[key]
        made = self.controls[key] = standard_control(param, self.ink, choose, self.session.settle)
        if isinstance(made, ControllerField):
            made.asked.connect(lambda: self.session.hooking.listen(made.take))
            made.set_names(controller_names(self.session.project))
        if isinstance(param, HOOKABLE):
            offer_hookup(self.session.hooking, made, self.stage.id, param=key)
        return made

    def captioned(self, key: str) -> QWidget:
        """A standard control under its label (sliders and switches bear their own)."""
        return captioned(self.params[key], self.control(key))


def strokes(batch: Iterable[Passed]) -> Iterator[tuple[Event | None, list[Event]]]:
    """The note ons among what passed: what came in (``None`` where a stage acts by itself), what went out."""
    for one in batch:
        made = [event for event in one.out if event.kind == NOTE_ON]
        struck = one.event if one.event is not None and one.event.kind == NOTE_ON else None
        if struck is not None or (one.event is None and made):
            yield struck, made
