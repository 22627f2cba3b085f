"""Code in C that was built when Arpegon was installed: called through ctypes, left out where no compiler was there."""

from __future__ import annotations

import ctypes
from collections.abc import Sequence
from importlib.util import find_spec
from typing import Any


def function(library: str, name: str, takes: Sequence[Any], gives: Any = None, brief: bool = False) -> Any:
    """A function of a library that was built; ``None`` where it is not there, is of another machine, or damaged.

    Args:
        library: as a module is named, such as ``arpegon.sound._kernel``.
        takes, gives: types of ctypes.
        brief: whether it is done sooner than other threads of ours could be let in: none of them runs meanwhile.
    """
    found = find_spec(library)
    if found is None or found.origin is None:
        return None
    try:
        made = getattr((ctypes.PyDLL if brief else ctypes.CDLL)(found.origin), name)
    except (OSError, AttributeError):
        return None
    made.argtypes, made.restype = list(takes), gives
    return made
