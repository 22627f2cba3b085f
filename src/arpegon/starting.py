"""What is done first when the window is to open, before anything is imported that takes its time."""

from __future__ import annotations

import gc

from arpegon.engine.wire.spare import begin_early
from arpegon.engine.wire.spawning import ENGINE
from arpegon.files.logs import ENGINE_ERRORS, log_file, open_errors


def begin() -> None:
    """Let the engine start beside us, and look for no garbage while there is none: all that is imported stays."""
    gc.disable()
    begin_early(ENGINE, open_errors(log_file(ENGINE_ERRORS)))


def begun() -> None:
    """The window is there: from now on garbage is looked for, but not among what was imported."""
    gc.freeze()
    gc.enable()
