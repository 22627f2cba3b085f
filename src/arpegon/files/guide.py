"""The guide that ships: its pages, and under which heading something is written about."""

from __future__ import annotations

import re
from functools import cache
from pathlib import Path

import msgspec

from arpegon.files.places import DATA

GUIDE = DATA / "guide"
ALL_STAGES = "processors"
"""The page of all stages with all their parameters, which lies beside the guide."""
ORDER = (
    *("first-path", "shaping-notes", "controllers", "time", "listening"),
    *("sections", "takes", "studio", "keys"),
)
_HEADING = re.compile(r"^(#{1,4})\s+(.*?)\s*$", re.MULTILINE)
_TERM = re.compile(r"\*\*([^*\n]+)\*\*")
_CODE = re.compile(r"\s*\(`.*?`\)")


class Page(msgspec.Struct, frozen=True):
    """One page."""

    name: str
    title: str
    file: Path
    headings: tuple[str, ...]
    terms: tuple[str, ...] = ()
    """What is told of in it under no heading of its own."""


@cache
def pages() -> tuple[Page, ...]:
    """All pages, in the order in which they are read."""
    files = [GUIDE / f"{name}.md" for name in ORDER] + [DATA / f"{ALL_STAGES}.md"]
    return tuple(_page(file) for file in files if file.is_file())


def _page(file: Path) -> Page:
    text = file.read_text(encoding="utf-8")
    headings = [_CODE.sub("", words) for _, words in _HEADING.findall(text)]
    terms = tuple(term.rstrip(".:") for term in _TERM.findall(text)) if file.parent == GUIDE else ()
    return Page(file.stem, headings[0] if headings else file.stem, file, tuple(headings[1:]), terms)


def page_of(name: str) -> Page | None:
    """A page by its name."""
    return next((page for page in pages() if page.name == name), None)


def where(word: str) -> tuple[str, str] | None:
    """The page and the words that tell of something by its name; ``None`` where there are none.

    A heading of the guide comes first, then a term in its text, then the page of all stages.
    """
    wanted = word.casefold()
    guide, reference = pages()[:-1], pages()[-1:]
    for found in (
        ((page, page.headings) for page in guide),
        ((page, page.terms) for page in guide),
        ((page, page.headings) for page in reference),
    ):
        for page, words in found:
            for one in words:
                if one.casefold() == wanted:
                    return page.name, one
    return None
