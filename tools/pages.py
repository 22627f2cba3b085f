"""The page of measures: the table of ``make bench``, and the last long run beneath it; each is written by itself."""

from __future__ import annotations

from pathlib import Path

PAGE = Path(__file__).resolve().parent.parent / "docs" / "benchmarks.md"
LONG_RUN = "## A long run"


def write_table(text: str, page: Path = PAGE) -> None:
    """Put the table of measures in place of the one before; the long run stays."""
    _, mark, run = (page.read_text(encoding="utf-8") if page.exists() else "").partition(LONG_RUN)
    page.write_text(text.rstrip() + "\n" + (f"\n{mark}{run}" if mark else ""), encoding="utf-8")


def write_long_run(text: str, page: Path = PAGE) -> None:
    """Put a long run in place of the one before; the table stays."""
    table = (page.read_text(encoding="utf-8") if page.exists() else "").partition(LONG_RUN)[0]
    page.write_text(f"{table.rstrip()}\n\n{LONG_RUN}\n\n{text.rstrip()}\n".lstrip(), encoding="utf-8")
