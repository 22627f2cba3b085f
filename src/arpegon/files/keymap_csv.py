"""Key maps as CSV: one row for each key, ``key,plays``, with the keys that it plays parted by spaces."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from pathlib import Path

from arpegon.core.errors import FileError, ParameterError
from arpegon.core.theory.pitch import ascii_name, note_name, parse_note
from arpegon.files.atomic import read_bytes, write_atomic
from arpegon.processors.stages.keymap import only

HEAD = ("key", "plays")
_DELIMITERS = ",;\t"
_MAX_NAMED = 4


def format_keymap(table: Sequence[Sequence[int]]) -> str:
    """All 128 keys with what they play, as text."""
    lines = io.StringIO()
    writer = csv.writer(lines, lineterminator="\n")
    writer.writerow(HEAD)
    for key, targets in enumerate(table):
        writer.writerow([_name(key), " ".join(_name(target) for target in targets)])
    return lines.getvalue()


def parse_keymap(text: str, name: str = "the key map") -> dict[str, list[int]]:
    """The threads in a CSV text; keys that have no row play themselves.

    Raises:
        FileError: rows are wrong; each is named by its line, up to four of them.
    """
    threads: dict[int, list[int]] = {}
    wrong: list[str] = []
    for number, row in enumerate(_rows(text, name), start=1):
        cells = [cell.strip() for cell in row]
        if not any(cells) or cells[0].startswith("#"):
            continue
        if cells[0].casefold() == HEAD[0] and not threads and not wrong:
            continue
        try:
            key, targets = _row(cells)
            if key in threads:
                raise ParameterError(f"{_name(key)} has a row already")
            threads[key] = targets
        except ParameterError as error:
            wrong.append(f"line {number}: {str(error).rstrip('.')}")
    if wrong:
        more = f" (and {len(wrong) - _MAX_NAMED} more)" if len(wrong) > _MAX_NAMED else ""
        raise FileError(f"“{name}” was not read: {'; '.join(wrong[:_MAX_NAMED])}{more}.")
    return only(threads)


def _rows(text: str, name: str) -> list[list[str]]:
    """Rows parted by whatever their first line has of semicolons, tabs and commas, with lines that end in any way."""
    lines = io.StringIO(text, newline=None)
    first = next((line for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")), "")
    delimiter = max(_DELIMITERS, key=first.count)
    try:
        return list(csv.reader(lines, delimiter=delimiter))
    except csv.Error as error:
        raise FileError(f"“{name}” cannot be read as a table: {error}.") from None


def _row(cells: list[str]) -> tuple[int, list[int]]:
    if len(cells) > 2:
        raise ParameterError(f"there are {len(cells)} columns where two belong (key, plays)")
    targets = cells[1].split() if len(cells) == 2 else []
    return parse_note(cells[0]), [parse_note(target) for target in targets]


def _name(note: int) -> str:
    return ascii_name(note_name(note))


def load_keymap(path: Path) -> dict[str, list[int]]:
    """Read a key map from a CSV file; see :func:`parse_keymap`."""
    try:
        text = read_bytes(path, limit=2**20).decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise FileError(f"“{path}” is not a text file: byte {error.start} is not UTF-8.") from None
    return parse_keymap(text, str(path))


def save_keymap(table: Sequence[Sequence[int]], path: Path) -> None:
    """Write a key map to a CSV file, whole or not at all."""
    write_atomic(path, format_keymap(table).encode())
