"""Where the sounds lie that audio sources name."""

from __future__ import annotations

from pathlib import Path

from arpegon.core.document.model import STAND_IN
from arpegon.files.places import DATA

_STAND_INS = DATA / "listen"


def sound_path(file: str, folder: Path) -> Path:
    """Where the file of an audio source lies, for a project in ``folder``."""
    if file.startswith(STAND_IN):
        return _STAND_INS / f"{file.removeprefix(STAND_IN)}.flac"
    return folder / file


def stand_ins() -> list[str]:
    """The sounds that ship, by the names by which sources take them."""
    return sorted(f"{STAND_IN}{path.stem}" for path in _STAND_INS.glob("*.flac"))
