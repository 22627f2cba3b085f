"""Audio to MIDI: strokes and melodies, block by block, the same live and offline."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from arpegon.listen.listener import HeardNote, Listener, Sight
from arpegon.listen.transcript import LISTENERS, Transcript, transcript


def listener(kind: str, values: Mapping[str, Any], rate: int) -> Listener:
    """A listener at work, from checked values."""
    return LISTENERS[kind](values, rate)


__all__ = ["LISTENERS", "HeardNote", "Listener", "Sight", "Transcript", "listener", "transcript"]
