"""A render in a process of its own: asked for on standard input, told of line by line on standard output.

What is asked is ``{"wish": …, "project": …, "folder": …}``; what is told is ``{"share": 0.5}``, ``{"text": …}`` or
``{"error": …}``. A process that is told to end leaves no half-written file.
"""

from __future__ import annotations

import json
import signal
import sys
from pathlib import Path
from typing import Any

import msgspec

from arpegon.core.errors import ArpegonError
from arpegon.files.project import parse_project
from arpegon.files.song import Wish
from arpegon.rendering import render_project


def _tell(**told: Any) -> None:
    print(json.dumps(told), flush=True)


def main() -> int:
    """Do what is asked."""
    # Ended by an exception, so that what is being written is taken away.
    signal.signal(signal.SIGTERM, lambda number, frame: sys.exit(143))
    asked = json.loads(sys.stdin.read())
    try:
        wish = msgspec.convert(asked["wish"], Wish, dec_hook=lambda kind, value: Path(value))
        document = parse_project(asked["project"].encode(), "the project")
        for line in render_project(wish, document, Path(asked["folder"]), lambda share: _tell(share=share)):
            _tell(text=line.text)
    except ArpegonError as error:
        _tell(error=str(error))
        return 2
    except OSError as error:
        _tell(error=f"That could not be written: {error.strerror or error}.")
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())
