"""How the window looks: its theme and size, how much moves, what is folded away, and the stage."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Protocol

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMainWindow, QWidget

from arpegon.ui.frame.frames import Frames
from arpegon.ui.frame.surface import PlaySurface
from arpegon.ui.look import motion, theme
from arpegon.ui.model.session import Session

SCALES = (90, 160)
"""Of how many percent everything can be drawn."""


class Afar(Protocol):
    """What is read from afar on stage."""

    def set_large(self, on: bool) -> None:
        """Larger, to be read from afar."""


class SectionsStrip(Afar, Protocol):
    """What is asked of the strip of sections."""

    def refresh(self) -> None:
        """Show the sections, or nothing."""


class Appearance:
    """What is chosen of the window's looks.

    Args:
        off_stage: what is not seen on stage.
        frames: when the window paints.
        show_board: brings the board into sight.
    """

    def __init__(
        self,
        window: QMainWindow,
        session: Session,
        surface: PlaySurface,
        strip: SectionsStrip,
        board: Afar,
        off_stage: Sequence[QWidget],
        frames: Frames,
        show_board: Callable[[], None],
    ) -> None:
        self._window = window
        self._session = session
        self._surface = surface
        self._strip = strip
        self._board = board
        self._off_stage = off_stage
        self._frames = frames
        self._show_board = show_board
        self.on_stage = False
        self._state_before = Qt.WindowState.WindowNoState
        self._seen_before: dict[QWidget, bool] = {}
        surface.setVisible(session.settings.surface)
        self._use_motion()

    def use_theme(self, name: str) -> None:
        """Another theme, or back to the day from it."""
        name = "day" if theme.theme().name == name else name
        theme.use(name)
        self._session.change_settings(theme=name)
        self._window.repaint()

    def toggle_motion(self) -> None:
        """Move less, or as before."""
        self._session.change_settings(less_motion=not motion.less())
        self._use_motion()

    def _use_motion(self) -> None:
        motion.use(self._session.settings.less_motion)
        self._frames.use_motion()

    def scale_by(self, percent: int) -> None:
        """Draw everything larger or smaller, from the next start on."""
        wanted = max(SCALES[0], min(SCALES[1], self._session.settings.text_percent + percent))
        self._session.change_settings(text_percent=wanted)
        self._session.notice("done", f"From the next start on everything is drawn at {wanted} %.")

    def fold(self, part: str) -> None:
        """Fold the play surface (``surface``) or the strip of sections (``section_strip``) away, or unfold it."""
        self._session.change_settings(**{part: not getattr(self._session.settings, part)})
        self._surface.setVisible(self.on_stage or self._session.settings.surface)
        self._strip.refresh()

    def toggle_stage(self) -> None:
        """Full screen with what is looked at and struck on stage, or back to how it was."""
        on = self.on_stage = not self.on_stage
        if on:
            self._seen_before = {part: part.isVisible() for part in self._off_stage}
            self._state_before = self._window.windowState()
        self._show_board()
        for part, seen in self._seen_before.items():
            part.setVisible(seen and not on)
        self._strip.set_large(on)
        self._board.set_large(on)
        self._surface.set_on_stage(on)
        self._surface.setVisible(on or self._session.settings.surface)
        if on:
            self._window.showFullScreen()
        else:
            self._window.setWindowState(self._state_before & ~Qt.WindowState.WindowFullScreen)
            self._window.show()
