"""Work that takes time, done beside the window: it goes on painting, and the music shown in it moves on."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Generic, TypeVar

from PyQt6.QtCore import QEventLoop, QTimer

T = TypeVar("T")
_AT_ONCE_SECONDS = 0.03
"""What is done by then needs no more than that."""
_LOOK_MS = 5


class _Work(threading.Thread, Generic[T]):
    def __init__(self, work: Callable[[], T]) -> None:
        super().__init__(name="beside", daemon=True)
        self._work = work
        self.made: T | None = None
        self.error: BaseException | None = None

    def run(self) -> None:
        try:
            self.made = self._work()
        except BaseException as error:  # whoever asked for it hears of it
            self.error = error


def beside(work: Callable[[], T]) -> T:
    """Do something in a thread of its own and wait for it; the window lives on, but takes no keys and clicks.

    Args:
        work: touches nothing of the window.

    Returns:
        What it makes; what it raises is raised here.
    """
    thread = _Work(work)
    thread.start()
    thread.join(_AT_ONCE_SECONDS)
    if thread.is_alive():
        loop, timer = QEventLoop(), QTimer()
        timer.timeout.connect(lambda: None if thread.is_alive() else loop.quit())
        timer.start(_LOOK_MS)
        loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
        thread.join()
    if thread.error is not None:
        raise thread.error
    return thread.made  # type: ignore[return-value]
