"""Being on time: only what must be is given the processor before all else, and hands that on to nobody."""

from __future__ import annotations

import os
import subprocess
import sys
import threading

import pytest

from arpegon.engine.wire.realtime import ask_for_realtime

SCHEDULER = "import os; print(os.sched_getscheduler(0))"


def asked(then):
    """What something finds in a thread that asked for it; it ends with that."""
    found = []

    def ask():
        if ask_for_realtime():
            found.append(then())

    thread = threading.Thread(target=ask)
    thread.start()
    thread.join()
    if not found:
        pytest.skip("this system gives nobody real time")
    return found[0]


def test_the_thread_that_asks_has_it():
    assert asked(lambda: os.sched_getscheduler(0) & ~os.SCHED_RESET_ON_FORK) == os.SCHED_FIFO


def test_a_thread_that_it_starts_has_not():
    def start():
        seen = []
        thread = threading.Thread(target=lambda: seen.append(os.sched_getscheduler(0)))
        thread.start()
        thread.join()
        return seen[0]

    assert asked(start) == os.SCHED_OTHER


def test_a_process_that_it_starts_has_not():
    """One that loads what it needs for a second would let nothing else run on its core."""
    run = [sys.executable, "-c", SCHEDULER]
    said = asked(lambda: subprocess.run(run, capture_output=True, text=True, check=True).stdout)
    assert int(said) == os.SCHED_OTHER
