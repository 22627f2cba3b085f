"""Taking a project's clips along when it is saved in another folder."""

from __future__ import annotations

from pathlib import Path

from arpegon.core.document.model import Project
from arpegon.core.errors import ArpegonError
from arpegon.files.atomic import read_bytes, write_atomic


def take_clips_along(project: Project, old: Path, new: Path) -> list[str]:
    """Copy clips named relative to ``old`` to the same places below ``new``; files that are there stay.

    Returns:
        A sentence for each clip that could not be copied.
    """
    failed = []
    for strand, file in project.files():
        target = new / file
        if Path(file).is_absolute() or target.exists() or ".." in Path(file).parts:
            continue
        try:
            write_atomic(target, read_bytes(old / file))
        except ArpegonError as error:
            failed.append(f"The clip of “{strand.name}” was not copied: {error}")
    return failed
