"""The two listeners."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.listen.hits import HitListener
from arpegon.listen.listener import Listener
from arpegon.listen.pitch import PitchListener

LISTENERS: dict[str, type[Listener]] = {cls.kind: cls for cls in (HitListener, PitchListener)}
"""By the kind of their declaration in :mod:`arpegon.processors.sources.listening`."""


def listener(kind: str, values: Mapping[str, Any], rate: int) -> Listener:
    """A listener at work, from checked values."""
    return LISTENERS[kind](values, rate)
