"""Taking a project's clips and sounds along when it is saved in another folder."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from arpegon.core.document.model import STAND_IN, Project
from arpegon.core.errors import ArpegonError, FileError
from arpegon.files.atomic import read_bytes, write_atomic
from arpegon.files.midi import read_midi


def take_clips_along(project: Project, old: Path, new: Path) -> list[str]:
    """Copy what is named relative to ``old`` to the same places below ``new``; files that are there stay.

    A project may come from anybody and name anything: only what is music, and lies in no hidden folder, is copied.

    Returns:
        A sentence for each file that could not be copied.
    """
    from arpegon.files.audio import read_audio  # and with it NumPy, without which the window starts sooner

    clips: list[tuple[str, str, Callable[[Path], object]]] = [
        (strand.name, file, read_midi) for strand, file in project.clip_files()
    ]
    sounds: list[tuple[str, str, Callable[[Path], object]]] = [
        (strand.name, source.file, read_audio)
        for strand, source in project.audio_sources()
        if source.file and not source.file.startswith(STAND_IN)
    ]
    failed = []
    for name, file, read in (*clips, *sounds):
        target, parts = new / file, Path(file).parts
        if Path(file).is_absolute() or ".." in parts:
            continue
        try:
            if target.exists():
                continue
            if any(part.startswith(".") for part in parts):
                raise FileError(f"“{file}” is hidden, or in a hidden folder.")
            read(old / file)
            write_atomic(target, read_bytes(old / file))
        except (ArpegonError, ValueError) as error:
            failed.append(f"The file of “{name}” was not copied: {error}")
    return failed
