"""What a crash left: it is offered, one after the other."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence

from arpegon.files.autosave import Leftover, forget
from arpegon.ui.model.session import Session


def offer_recovery(session: Session, leftovers: Sequence[Leftover]) -> None:
    """Offer the unsaved work that a crash left, the newest first."""
    if not leftovers:
        return
    newest = leftovers[0]

    def done(act: Callable[[], None]) -> Callable[[], None]:
        def run() -> None:
            act()
            session.notice("recover", "")
            offer_recovery(session, leftovers[1:])

        return run

    when = time.strftime("%H:%M on %d %B", time.localtime(newest.saved_at))
    if newest.project is not None:
        words = f"Unsaved work on “{newest.title}” from {when} was found"
        words += ", with what was played before the crash." if newest.played else "."
    else:
        words = f"What was played on “{newest.title}” before a crash at {when} was found."
    acts = (
        ("Get it back", done(lambda: session.filing.recover(newest))),
        ("Throw it away", done(lambda: forget(newest))),
    )
    session.notice("recover", words, acts)
