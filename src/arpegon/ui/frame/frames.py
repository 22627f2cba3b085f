"""When the window is drawn anew: often while something moves, seldom while nothing does, never out of sight."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Protocol

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QWidget

from arpegon.core.time import studio
from arpegon.ui.frame.stirring import Stirring
from arpegon.ui.look import motion
from arpegon.ui.look.timers import ticking
from arpegon.ui.model.paper import PIXELS_PER_SECOND
from arpegon.ui.model.session import Session

FRAME_MS, CALM_FRAME_MS = round(1000 / PIXELS_PER_SECOND), 125
"""Between two frames: papers move on by one row of pixels in each, so they run evenly; and where things move less."""
_RESTING_FRAMES = 6
"""Where nothing moves one frame of so many is drawn: what is turned elsewhere is seen soon."""


class View(Protocol):
    """What is asked of what moves: all else it hears from the session."""

    def tick(self, now: float) -> None:
        """One frame, while it is in sight."""


class Frames:
    """The frames of a window, and what the engine told before each.

    Args:
        window: that is drawn.
        figures: what of it is read rather than followed: drawn in every second frame.
        view: the view in sight.
        papers: whether any paper moves.
    """

    def __init__(
        self,
        window: QWidget,
        session: Session,
        figures: Sequence[View],
        view: Callable[[], View],
        papers: Callable[[], bool],
    ) -> None:
        self._window = window
        self._session = session
        self._figures = figures
        self._view = view
        self._papers = papers
        self._stirring = Stirring(session)
        self._left_out = 0
        """Frames since the last one that was drawn."""
        self._figures_wait = False
        """Whether figures wait for the next frame: nobody reads more than some twenty a second."""
        self.timer = ticking(window, FRAME_MS)
        self.timer.setTimerType(Qt.TimerType.PreciseTimer)
        self.timer.timeout.connect(self._frame)

    def use_motion(self) -> None:
        """Draw as often as is asked for."""
        self.timer.setInterval(CALM_FRAME_MS if motion.less() else FRAME_MS)

    def tell_sight(self) -> None:
        """The window came into sight, or went out of it: where nobody can see it, nothing of it is drawn."""
        seen = self._window.isVisible() and not self._window.isMinimized()
        self._session.look(seen)
        self._window.setUpdatesEnabled(seen)
        if not seen:
            self.stop()
        elif not self.timer.isActive():
            self._session.link.set_by_frames(True)
            self.timer.start()

    def stop(self) -> None:
        """Draw no more frames; reports are told as they come."""
        self.timer.stop()
        self._session.link.set_by_frames(False)

    def _frame(self) -> None:
        self._session.link.deliver()
        now = studio.now()
        self._left_out += 1
        rests = self._stirring.rests(now) and not self._papers()
        if rests and self._left_out < _RESTING_FRAMES:
            return
        self._left_out = 0
        self._figures_wait = not (self._figures_wait or rests or motion.less())
        if not self._figures_wait:
            for figure in self._figures:
                figure.tick(now)
        self._view().tick(now)
