"""The page of measures: the table of ``make bench``, and sections beneath it; each is written by itself."""

from __future__ import annotations

import re
from pathlib import Path

PAGE = Path(__file__).resolve().parent.parent / "docs" / "benchmarks.md"
WHOLE_PROGRAM = "## The whole program"
LONG_RUN = "## A long run"
OTHERS_FILES = "## Files of others"
_SECTIONS = (WHOLE_PROGRAM, LONG_RUN, OTHERS_FILES)


def write_table(text: str, page: Path = PAGE) -> None:
    """Put the table of measures in place of the one before; the sections stay."""
    _write({**_parts(page), "": text}, page)


def write_section(head: str, text: str, page: Path = PAGE) -> None:
    """Put a section in place of the one before; all else stays."""
    _write({**_parts(page), head: text}, page)


def _parts(page: Path) -> dict[str, str]:
    """What stands on the page, by the heads of its sections; the table has none."""
    text = page.read_text(encoding="utf-8") if page.exists() else ""
    pieces = re.split(f"^({'|'.join(map(re.escape, _SECTIONS))})$", text, flags=re.MULTILINE)
    return {"": pieces[0], **dict(zip(pieces[1::2], pieces[2::2], strict=True))}


def _write(parts: dict[str, str], page: Path) -> None:
    found = [parts[""].strip()] + [f"{head}\n\n{parts[head].strip()}" for head in _SECTIONS if head in parts]
    page.write_text("\n\n".join(one for one in found if one) + "\n", encoding="utf-8")
