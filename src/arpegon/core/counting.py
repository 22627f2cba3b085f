"""How many of something, in words."""

from __future__ import annotations


def counted(number: int, one: str, many: str = "") -> str:
    """A number and what it counts: ``1 note``, ``12 notes``.

    Args:
        one: what one of them is called.
        many: what several are called, where that is not the same with an *s*.
    """
    return f"{number:,} {one if number == 1 else many or f'{one}s'}"
