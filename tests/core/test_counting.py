"""How many of something, in words."""

from __future__ import annotations

from arpegon.core.counting import counted


def test_one_is_not_several():
    assert counted(1, "note") == "1 note" and counted(0, "note") == "0 notes" and counted(1200, "note") == "1,200 notes"
    assert counted(1, "child", "children") == "1 child" and counted(2, "child", "children") == "2 children"
