"""The base of the editors of sources and destinations."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from arpegon.core.processing.parameters import Number
from arpegon.ui.controls.slider import Slider
from arpegon.ui.look import theme
from arpegon.ui.model.session import Session
from arpegon.ui.parts.bench_part import BenchPart

CHANNELS = {str(channel): f"channel {channel + 1}" for channel in range(16)}


def channel_of(value: str) -> int | None:
    """The channel that a picker's value stands for; ``None`` for all, or as played."""
    return int(value) if value else None


class EndEditor(BenchPart):
    """Base: a box, the session, and the strand and place that are edited."""

    def __init__(self, session: Session, strand_id: str, place: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.strand_id = strand_id
        self.place = place
        self.ink = theme.ink(session.ink_number(strand_id))
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(0, 0, 0, 0)
        self.box.setSpacing(8)

    def refresh(self) -> None:
        """Show what is edited as it is now."""
        raise NotImplementedError

    def show_document(self) -> bool:
        self.refresh()
        return True

    def ports_changed(self) -> None:
        self.refresh()

    def _slider(
        self, name: str, label: str, help_text: str, default: float, low: float, high: float, **more: Any
    ) -> Slider:
        param = Number(name=name, label=label, help=help_text, default=default, low=low, high=high, **more)
        slider = Slider(param, self.ink)
        slider.settled.connect(self.session.settle)
        return slider
