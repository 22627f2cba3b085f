"""Looking at processes of the program from outside."""

from __future__ import annotations

import contextlib


def told_of(pid: int | None, name: str) -> str:
    """What the system tells of a process under a name, such as ``status``.

    It is read without :mod:`pathlib`, which has Python intern each part of a path: after some ten thousand looks at
    memory its table of interned names would be half a megabyte larger from that alone.

    Raises:
        OSError: where there is no such process.
    """
    with open(f"/proc/{pid}/{name}") as file:
        return file.read()


def first_child(pid: int | None) -> int | None:
    """The process that a process started first, of those that run; ``None`` where there is none."""
    with contextlib.suppress(OSError, IndexError):
        return int(told_of(pid, f"task/{pid}/children").split()[0])
    return None


def runs(pid: int | None) -> bool:
    """Whether a process runs: one that ended may wait for its parent to hear of it."""
    with contextlib.suppress(OSError):
        return pid is not None and told_of(pid, "stat").rpartition(")")[2].split()[0] != "Z"
    return False


class Stolen:
    """What a hypervisor took of this machine's processor time, since it was made."""

    def __init__(self) -> None:
        self._before = _ticks()

    @property
    def words(self) -> str:
        """The share that it took until now, as tables say it."""
        stolen, ticks = (now - before for now, before in zip(_ticks(), self._before, strict=True))
        return f"{stolen / max(1, ticks) * 100:.0f} % of the processor time went to other guests of the host"


def _ticks() -> tuple[int, int]:
    """Ticks that the hypervisor took, and all ticks."""
    with open("/proc/stat") as file:
        ticks = [int(word) for word in file.readline().split()[1:]]
    return ticks[7], sum(ticks)
