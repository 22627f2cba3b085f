"""Faults of the window itself: logged, said in a sentence, and survived."""

from __future__ import annotations

from PyQt6.QtCore import QObject, Qt, pyqtSignal

from arpegon.files.logs import catch_faults
from arpegon.ui.model.notices import NoticeAction
from arpegon.ui.model.session import Session

TOPIC = "fault"


class Faults(QObject):
    """Says what went wrong, once the code that met it has returned.

    Args:
        session: says it.
        show: shows the log.
    """

    _met = pyqtSignal(str)

    def __init__(self, session: Session, show: NoticeAction) -> None:
        super().__init__(session)
        self._session = session
        self._show = show
        # Queued: it may come from another thread, or from the middle of a paint, where nothing may be changed.
        self._met.connect(self._say, Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]

    def catch(self) -> None:
        """Catch from now on what nobody else does, instead of ending the program."""
        catch_faults(self.met)

    def met(self, error: BaseException) -> None:
        """A fault was met, in any thread."""
        self._met.emit(f"{type(error).__name__}: {error}".splitlines()[0].rstrip(": "))

    def _say(self, what: str) -> None:
        words = f"Something in the window went wrong ({what}). The music goes on; the log says more."
        if self._session.notices.get(TOPIC) != words:
            self._session.notice(TOPIC, words, [self._show])
