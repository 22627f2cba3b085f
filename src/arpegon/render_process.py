"""A render in a process of its own: asked for on standard input, told of line by line on standard output.

What is asked is ``{"wish": …, "project": …, "folder": …}``; what is told is ``{"share": 0.5}``, ``{"text": …}`` or
``{"error": …}``. A process that is told to end leaves no half-written file, and tells by ``{"written": [name, …]}``
which it had written whole.
"""

from __future__ import annotations

import json
import os
import signal
import sys
from pathlib import Path
from typing import Any

import msgspec

from arpegon.core.errors import ArpegonError
from arpegon.files.project import parse_project
from arpegon.files.song import Wish
from arpegon.rendering import outputs, render_project


def _tell(**told: Any) -> None:
    sys.stdout.write(json.dumps(told) + "\n")  # at once: one that is told to end is not told of in the middle of a line
    sys.stdout.flush()


def _leave(*_: Any) -> None:
    """End by an exception, once, so that what is being written is taken away."""
    signal.signal(signal.SIGTERM, signal.SIG_IGN)
    sys.exit(143)


def _which(path: Path) -> tuple[int, int] | None:
    """What tells a file from the one that stands there once it is written anew."""
    try:
        found = os.stat(path)
    except OSError:
        return None
    return found.st_ino, found.st_mtime_ns


def main() -> int:
    """Do what is asked."""
    signal.signal(signal.SIGTERM, _leave)
    before: dict[Path, tuple[int, int] | None] = {}
    asked = json.loads(sys.stdin.read())
    try:
        wish = msgspec.convert(asked["wish"], Wish, dec_hook=lambda kind, value: Path(value))
        document = parse_project(asked["project"].encode(), "the project")
        before = {path: _which(path) for path in outputs(wish, document)}
        for line in render_project(wish, document, Path(asked["folder"]), lambda share: _tell(share=share)):
            if not line.aside:  # all is written
                signal.signal(signal.SIGTERM, signal.SIG_IGN)
            _tell(text=line.text)
    except SystemExit:
        _tell(written=[path.name for path, found in before.items() if _which(path) != found])
        raise
    except ArpegonError as error:
        _tell(error=str(error))
        return 2
    except OSError as error:
        _tell(error=f"That could not be written: {error.strerror or error}.")
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())
