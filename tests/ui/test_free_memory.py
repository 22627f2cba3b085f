"""What is free again is given back to the system."""

from __future__ import annotations

import subprocess
import sys
import weakref
from pathlib import Path

import pytest

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


_HOLES = """
import sys
sys.path.insert(0, {tests!r})
from arpegon.ui.model.free_memory import keep_together
from test_free_memory import resident
if {together}:
    keep_together()
large = b"x" * 30_000_000
del large
large = [b"x" * 2_000_000 for _ in range(10)]
small = [b"x" * 20_000 for _ in range(10)]
full = resident()
large.clear()
print(full - resident())
"""


@pytest.mark.parametrize("together", [True, False])
def test_what_is_large_leaves_no_holes_beneath_what_is_small(together):
    """By itself the C library keeps them."""
    words = _HOLES.format(tests=str(Path(__file__).parent), together=together)
    freed = int(subprocess.run([sys.executable, "-c", words], capture_output=True, check=True, text=True).stdout)
    assert (freed > 19_000) is together


def test_what_refers_to_itself_is_free_too(qapp):
    class Gone:
        pass

    one = Gone()
    one.itself = one
    left = weakref.ref(one)
    del one
    give_back()
    assert left() is None
