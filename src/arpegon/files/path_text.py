"""Paths as text that can be written anywhere: names of files are bytes, and not all of them are UTF-8."""

from __future__ import annotations

import os
from pathlib import Path
from urllib.parse import quote_from_bytes, unquote_to_bytes

_URL = "file://"


def is_text(name: str) -> bool:
    """Whether a name can be written as UTF-8."""
    try:
        name.encode()
    except UnicodeEncodeError:
        return False
    return True


def path_text(path: Path) -> str:
    """A path as text: as it is, or as a URL where its bytes are no text."""
    text = str(path)
    return text if is_text(text) else _URL + quote_from_bytes(os.fsencode(path))


def text_path(text: str) -> Path:
    """The path of :func:`path_text`."""
    return Path(os.fsdecode(unquote_to_bytes(text[len(_URL) :]))) if text.startswith(_URL) else Path(text)
