"""What stands on the bench: one small protocol, whatever is edited there."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from arpegon.engine.wire.protocol import Telemetry


class BenchPart(QWidget):
    """The base of all that the bench shows. Each part shows what concerns it, and passes over the rest.

    Signals:
        shown_soon: one of its controls is wanted in sight, with the keys.
    """

    shown_soon = pyqtSignal(QWidget)

    fitted = False
    """Whether it gets the height that it asks for, the rest going to the readout; else it fills the bench."""

    def show_document(self) -> bool:
        """The document is another one, or hookups set something over it: show it.

        Returns:
            False where this part can no longer show what is selected, so that another one must be made.
        """
        return True

    def hooked(self, target: str) -> None:
        """A hookup set something in a stage, source or instrument."""

    def ports_changed(self) -> None:
        """MIDI ports or audio devices came or went."""

    def reported(self, telemetry: Telemetry) -> None:
        """The engine said how it is."""

    def tick(self, now: float) -> None:
        """One frame."""

    def set_columns(self, columns: int) -> None:
        """There is room for so many columns side by side: one beside the board, two or three on the wide bench."""

    def reveal(self, param: str) -> None:
        """Bring the control of a parameter into sight, and give it the keys."""

    def leave(self) -> None:
        """Something else takes its place."""
