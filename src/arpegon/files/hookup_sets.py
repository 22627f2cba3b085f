"""Sets of hookups, apart from a project: those of a device, to be used again."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path

from arpegon.core.document.model import Hookup, Project
from arpegon.core.errors import FileError
from arpegon.files.atomic import read_bytes, write_atomic
from arpegon.files.project import format_project, project_of, read_tree

FORMAT, VERSION = "arpegon-hookups", 1
SUFFIX = ".arpegon-hookups"
_KEYS = {"format", "version", "hookups"}


def save_set(hookups: Sequence[Hookup], path: Path) -> None:
    """Write hookups to a file of their own, whole or not at all.

    Raises:
        FileError: it cannot be written.
    """
    tree = json.loads(format_project(Project(hookups=tuple(hookups))))
    found = {"format": FORMAT, "version": VERSION, "hookups": tree["hookups"]}
    write_atomic(path, (json.dumps(found, ensure_ascii=False, indent=2) + "\n").encode())


def load_set(path: Path) -> tuple[Hookup, ...]:
    """Read hookups from a file of their own.

    Raises:
        FileError: it cannot be read, or is no such file.
    """
    tree = read_tree(read_bytes(path), str(path), FORMAT, "a set of hookups")
    unknown = sorted(tree.keys() - _KEYS)
    if unknown:
        raise FileError(f"“{path}”: there is an unknown key “{unknown[0]}”.")
    return project_of({"hookups": tree.get("hookups", [])}, str(path)).hookups
