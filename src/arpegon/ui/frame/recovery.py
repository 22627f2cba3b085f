"""What a crash left: it is offered, one after the other."""

from __future__ import annotations

import time
from collections.abc import Sequence

from arpegon.files.autosave import Leftover, forget
from arpegon.ui.model.notices import NoticeAction
from arpegon.ui.model.session import Session


def offer_recovery(session: Session, leftovers: Sequence[Leftover]) -> None:
    """Offer the unsaved work that a crash left, the newest first."""
    if not leftovers:
        return
    newest = leftovers[0]

    def done() -> None:
        session.notice("recover", "")
        offer_recovery(session, leftovers[1:])

    def get_back() -> None:
        if session.filing.leave(get_back):
            session.filing.recover(newest)
            done()

    def throw_away() -> None:
        forget(newest)
        done()

    when = time.strftime("%H:%M on %d %B", time.localtime(newest.saved_at))
    if newest.project is not None:
        words = f"Unsaved work on “{newest.title}” from {when} was found"
        words += ", with what was played before the crash." if newest.played else "."
    elif newest.played:
        words = f"What was played on “{newest.title}” before a crash at {when} was found."
    else:
        words = ""
    if newest.unread:
        words = f"{words} Unsaved work from {when} cannot be read: {newest.unread}".lstrip()
    acts: list[NoticeAction] = [("Get it back", get_back)] if newest.project is not None or newest.played else []
    session.notice("recover", words, [*acts, ("Throw it away", throw_away)])
