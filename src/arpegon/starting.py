"""What is done first when the window is to open, before anything is imported that takes its time."""

from __future__ import annotations

import contextlib
import gc

from arpegon.engine.wire.spare import begin_early
from arpegon.engine.wire.spawning import ENGINE
from arpegon.files.logs import ENGINE_ERRORS, log_file


def begin() -> None:
    """Let the engine start beside us, and look for no garbage while there is none: all that is imported stays."""
    gc.disable()
    with contextlib.suppress(OSError):
        path = log_file(ENGINE_ERRORS)
        path.parent.mkdir(parents=True, exist_ok=True)
        begin_early(ENGINE, path.open("ab"))


def begun() -> None:
    """The window is there: from now on garbage is looked for, but not among what was imported."""
    gc.freeze()
    gc.enable()
