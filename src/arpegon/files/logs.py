"""The logs of our processes: one rotating file for each, in the state folder, and one for what ends them."""

from __future__ import annotations

import contextlib
import faulthandler
import logging
import os
import shutil
import sys
import threading
from collections import Counter
from collections.abc import Callable
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType
from typing import IO

from arpegon.files.places import state_dir

_BYTES = 512 * 1024
_BACKUPS = 3
_SAID_AGAIN = frozenset({10, 100, 1_000, 10_000, 100_000, 1_000_000})
_FORMAT = "%(asctime)s %(levelname)s %(process)d %(name)s: %(message)s"

Fault = Callable[[BaseException], None]


def log_dir() -> Path:
    """The folder of the logs."""
    return state_dir() / "log"


ENGINE_ERRORS = "engine-errors.log"
"""What the engine says on standard error."""


def log_file(name: str) -> Path:
    """A file in the folder of the logs."""
    return log_dir() / name


def open_errors(path: Path) -> IO[bytes] | None:
    """Open a file to which a process appends what it says on standard error: kept up to a length, over its restarts.
    ``None`` where it cannot be written to."""
    with contextlib.suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        if path.exists() and path.stat().st_size > _BYTES:
            shutil.copyfile(path, path.with_suffix(".1"))
            os.truncate(path, 0)  # those who write to it now go on at its new end
        return path.open("ab")
    return None


class _OncePerFault(logging.Filter):
    """Lets a fault pass with its traceback when it comes for the first time, and after that only now and then: what
    fails in a paint or a loop fails sixty times a second, and would drive out all that was written before."""

    def __init__(self) -> None:
        super().__init__()
        self._met: Counter[tuple[str, int, type[BaseException]]] = Counter()

    def filter(self, record: logging.LogRecord) -> bool:
        kind, error, trace = record.exc_info or (None, None, None)
        if kind is None or trace is None:
            return True
        while trace.tb_next is not None:
            trace = trace.tb_next
        where = (trace.tb_frame.f_code.co_filename, trace.tb_lineno, kind)
        self._met[where] += 1
        count = self._met[where]
        if count > 1:
            record.msg = f"{record.getMessage()}, for the {count}th time: {kind.__name__}: {error}"
            record.args, record.exc_info = None, None
        return count == 1 or count in _SAID_AGAIN


def start_log(role: str) -> Path:
    """Write what this process logs to ``role.log``; a folder that cannot be written to leaves only standard error.

    What Python itself says when the process dies (a fault in a library) goes to standard error, which whoever started
    the process appends to a file.

    Args:
        role: ``window``, ``engine`` or ``listening``.
    """
    handler: logging.Handler
    path = log_file(f"{role}.log")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(
            path, maxBytes=_BYTES, backupCount=_BACKUPS, encoding="utf-8", delay=True, errors="backslashreplace"
        )
    except OSError:
        handler = logging.StreamHandler()
    handler.setFormatter(logging.Formatter(_FORMAT))
    handler.addFilter(_OncePerFault())
    root = logging.getLogger()
    root.handlers = [handler]
    root.setLevel(logging.INFO)
    logging.raiseExceptions = False  # a full disk must not print a traceback for every line
    with contextlib.suppress(Exception):
        faulthandler.enable()
    return path


def keep_last_words(name: str) -> IO[str] | None:
    """Append what Python says when this process dies to a file of its own, instead of standard error."""
    try:
        log_dir().mkdir(parents=True, exist_ok=True)
        file = log_file(name).open("a", encoding="utf-8")
        faulthandler.enable(file)
    except (OSError, RuntimeError):
        return None
    return file


def catch_faults(told: Fault) -> None:
    """Log what nobody caught, in any thread, and tell of it, instead of ending the process.

    What could not be raised, as where an object goes, is logged only.

    Args:
        told: called with the exception, in the thread in which it was raised.
    """
    log = logging.getLogger("arpegon.fault")

    def caught(kind: type[BaseException], error: BaseException | None, trace: TracebackType | None) -> None:
        if error is None or issubclass(kind, (KeyboardInterrupt, SystemExit)):
            sys.__excepthook__(kind, error or kind(), trace)
            return
        log.error("nobody caught this", exc_info=(kind, error, trace))
        told(error)

    def not_raised(one: sys.UnraisableHookArgs) -> None:
        log.error("nobody could catch this, in %r", one.object, exc_info=one.exc_value)

    sys.excepthook = caught
    sys.unraisablehook = not_raised
    threading.excepthook = lambda args: caught(args.exc_type, args.exc_value, args.exc_traceback)


def say_last(error: BaseException) -> None:
    """Write a fault to standard error in a line, by which whoever started this process can say why it ended."""
    print(f"{type(error).__name__}: {error}", file=sys.stderr, flush=True)
