"""What the docs name is there."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[1]
SOURCES = (ROOT / "src" / "arpegon", ROOT / "src" / "arpegon" / "ui", ROOT)


@pytest.mark.parametrize("page", ["docs/architecture.md", "CONTRIBUTING.md"])
def test_every_file_that_is_named_is_there(page):
    named = set(re.findall(r"`([a-z_]+/[\w/.]+\.py)`", (ROOT / page).read_text()))
    assert len(named) > 3
    assert [name for name in sorted(named) if not any((source / name).exists() for source in SOURCES)] == []
