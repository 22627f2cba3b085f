"""What is free again is given back to the system."""

from __future__ import annotations

from pathlib import Path

from arpegon.ui.model.free_memory import give_back


def resident():
    """How many kilobytes this process takes."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return int(next(line for line in lines if line.startswith("VmRSS")).split()[1])


def test_what_was_needed_for_a_moment_is_given_back():
    # Pieces too large for Python's own arenas and too small to be of a mapping of their own; the last stays, so that
    # what lies beneath it is not given back by itself.
    pieces = [b"x" * 20_000 for _ in range(3_000)]
    last = pieces.pop()
    full = resident()
    pieces.clear()
    give_back()
    assert resident() < full - 40_000 and last
