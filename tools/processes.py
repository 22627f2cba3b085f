"""Looking at processes of the program from outside."""

from __future__ import annotations

import contextlib
from pathlib import Path


def first_child(pid: int | None) -> int | None:
    """The process that a process started first, of those that run; ``None`` where there is none."""
    with contextlib.suppress(OSError, IndexError):
        return int(Path(f"/proc/{pid}/task/{pid}/children").read_text().split()[0])
    return None
