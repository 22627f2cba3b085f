"""The instruments: declared sounds, voices and the mixer; NumPy blocks, no I/O."""

from arpegon.sound.kit import DRUMS
from arpegon.sound.sounds import SOUNDS, Sound

PLAYED_KEYS = {sound.name: sorted(DRUMS) for sound in SOUNDS.values() if sound.kit}
"""The keys that a sound plays, for those that do not play all."""

__all__ = ["PLAYED_KEYS", "SOUNDS", "Sound"]
