"""Asking for a file to write to."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget


def whole_name(path: Path, suffixes: tuple[str, ...]) -> Path:
    """The path with the first of its kind's suffixes, where it has none of them: “Op. 12” has none."""
    return path if path.suffix.lower() in suffixes else path.with_name(path.name + suffixes[0])


def ask_where(parent: QWidget, title: str, proposed: Path, kind: str, suffixes: tuple[str, ...]) -> Path | None:
    """A file to write to, with its suffix; ``None`` where the musician thought better of it.

    The dialog asks before a file is replaced, but knows it only by its whole name. So where a name was typed without
    its suffix, and such a file is there, the dialog comes again with the whole name in it.
    """
    words = f"{kind} ({' '.join(f'*{suffix}' for suffix in suffixes)})"
    while True:
        name, _ = QFileDialog.getSaveFileName(parent, title, str(proposed), words)
        if not name:
            return None
        path = whole_name(Path(name), suffixes)
        if str(path) == name or not path.exists():
            return path
        proposed = path
