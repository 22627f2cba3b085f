"""Being woken on time, where the system allows it."""

from __future__ import annotations

import ctypes
import os
import threading


def ask_for_realtime() -> bool:
    """Real-time scheduling for the calling thread, where the system allows it."""
    _set_timer_slack()
    try:
        os.sched_setscheduler(threading.get_native_id(), os.SCHED_FIFO, os.sched_param(50))
    except (OSError, AttributeError):
        return False
    return True


def _set_timer_slack() -> None:
    """Ask Linux to wake this thread on time instead of up to 50 µs late (prctl PR_SET_TIMERSLACK)."""
    try:
        ctypes.CDLL(None).prctl(29, 1, 0, 0, 0)
    except (OSError, AttributeError):
        return
