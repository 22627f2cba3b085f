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
from arpegon.listen import HeardNote, Sight
from arpegon.processors import processor_class
from arpegon.ui.look import theme
from arpegon.ui.model.session import Session
from arpegon.ui.parts.bench_part import BenchPart
from arpegon.ui.parts.hook_handle import offer_hookup
from arpegon.ui.parts.standard import STANDARD, captioned, standard_control

_MIN_READOUT = 150
_MIN_BESIDE_SOURCES = 122


class StageEditor(BenchPart):
    """Edits one stage and shows its effect on what passes.

    Subclasses build their widgets in ``build``, show values in ``show_values`` and what passes in ``passed``.
    """

    fitted = True

    def __init__(self, session: Session, strand: Strand, stage: Stage, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.strand = strand
        self.stage = stage
        self.processor = processor_class(stage.kind)
        self.params: dict[str, Param] = {param.name: param for param in self.processor.params}
        self.ink = theme.ink(session.ink_number(strand.id))
        self.controls: dict[str, QWidget] = {}
        self._halves = QBoxLayout(QBoxLayout.Direction.TopToBottom, self)
        self._halves.setContentsMargins(0, 0, 0, 0)
        self._halves.setSpacing(12)
        self.box, self.side = QVBoxLayout(), QVBoxLayout()
        for half, share in ((self.box, 6), (self.side, 5)):
            half.setContentsMargins(0, 0, 0, 0)
            half.setSpacing(10)
            self._halves.addLayout(half, share)
        self.build()
        if self.side.count():
            self.side.addStretch(1)
        self.refresh(strand, stage)

    def set_wide(self, wide: bool) -> None:
        """Lay the two halves side by side, or one under the other."""
        direction = QBoxLayout.Direction
        self._halves.setDirection(direction.LeftToRight if wide and self.side.count() else direction.TopToBottom)
        self._halves.setSpacing(28 if wide else 12)

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

    def refresh(self, strand: Strand, stage: Stage) -> None:
        """Show a stage as it is now."""
        self.strand, self.stage = strand, stage
        values = self.values
        for key, control in self.controls.items():
            control.set_value(values[key])  # type: ignore[attr-defined]
        self.show_values(values)

    @property
    def beneath(self) -> int:  # type: ignore[override]
        """Sources that make notes by themselves need their room more than the list of what came out."""
        is_source = any(source.id == self.stage.id for source in self.strand.active_sources)
        return _MIN_BESIDE_SOURCES if is_source else _MIN_READOUT

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
