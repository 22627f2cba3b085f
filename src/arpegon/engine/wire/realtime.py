"""Being woken on time, where the system allows it."""

from __future__ import annotations

import ctypes
import os
import threading

SOUND, LOOP, LISTENING = 54, 50, 40
"""Priorities: what must be ready before the next period (a server's clients run at 55, so that they may copy it),
what must be on time, and what is heard before it may be."""


def ask_for_realtime(priority: int = LOOP) -> bool:
    """Real-time scheduling for the calling thread, where the system allows it; threads and processes that it starts
    from now on have none by that: while one of them loads what it needs, nothing else would run."""
    _set_timer_slack()
    try:
        policy = os.SCHED_FIFO | os.SCHED_RESET_ON_FORK
        os.sched_setscheduler(threading.get_native_id(), policy, os.sched_param(priority))
    except (OSError, AttributeError):
        return False
    return True


def _set_timer_slack() -> None:
    """Ask Linux to wake this thread on time instead of up to 50 µs late (prctl PR_SET_TIMERSLACK)."""
    try:
        ctypes.CDLL(None).prctl(29, 1, 0, 0, 0)
    except (OSError, AttributeError):
        return
