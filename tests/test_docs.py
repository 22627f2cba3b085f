"""What the docs name is there."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from arpegon.processors import PROCESSORS

ROOT = Path(__file__).resolve().parents[1]
SOURCES = (ROOT / "src" / "arpegon", ROOT / "src" / "arpegon" / "ui", ROOT)


@pytest.mark.parametrize("page", ["docs/architecture.md", "CONTRIBUTING.md"])
def test_every_file_that_is_named_is_there(page):
    named = set(re.findall(r"`([a-z_]+/[\w/.]+\.py)`", (ROOT / page).read_text()))
    assert len(named) > 3
    assert [name for name in sorted(named) if not any((source / name).exists() for source in SOURCES)] == []


def test_the_number_of_stages_is_the_same_everywhere():
    words = {23: "twenty-three", 24: "twenty-four", 25: "twenty-five", 26: "twenty-six"}[len(PROCESSORS)]
    root = Path(__file__).parent.parent
    for place in ("README.md", "src/arpegon/data/desktop/org.arpegon.Arpegon.metainfo.xml"):
        assert words in (root / place).read_text(encoding="utf-8").lower(), place
