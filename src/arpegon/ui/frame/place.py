"""Where the window stands: as it stood last, as far as the screen of now has room for it."""

from __future__ import annotations

from PyQt6.QtCore import QRect, QSize
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QMainWindow

from arpegon.files.settings import Settings

USUAL = QSize(1280, 800)
_FRAME = QSize(4, 36)
"""What the desktop may put around a window."""


def place_window(window: QMainWindow, settings: Settings) -> None:
    """Put a window where it stood last, or in the middle of the screen, no larger than that."""
    last = QRect(*settings.place) if settings.place is not None else None
    screen = QGuiApplication.screenAt(last.center()) if last is not None else None
    if screen is None:
        last = None
        screen = QGuiApplication.primaryScreen()
    if screen is None:
        window.resize(USUAL)
        return
    window.setGeometry(fitted(last, screen.availableGeometry(), window.minimumSize()))
    if settings.maximized:
        window.showMaximized()


def fitted(last: QRect | None, screen: QRect, min_size: QSize) -> QRect:
    """A place on a screen: that of last time moved and made smaller until it fits, or the usual size in the middle."""
    room = screen.size() - _FRAME
    size = (last.size() if last is not None else USUAL).boundedTo(room).expandedTo(min_size.boundedTo(room))
    if last is None:
        place = QRect(screen.topLeft(), size)
        place.moveCenter(screen.center())
    else:
        place = QRect(last.topLeft(), size)
    place.moveLeft(max(screen.left(), min(place.left(), screen.right() - size.width() + 1)))
    top = screen.top() + _FRAME.height() - 4
    place.moveTop(max(top, min(place.top(), screen.bottom() - size.height() + 1)))
    return place


def place_of(window: QMainWindow) -> tuple[int, int, int, int]:
    """Where a window stands, or stood before it was made as large as the screen."""
    place = window.normalGeometry() if window.isMaximized() or window.isFullScreen() else window.geometry()
    return place.x(), place.y(), place.width(), place.height()
