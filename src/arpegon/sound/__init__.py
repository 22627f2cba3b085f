"""The instruments: declared sounds, voices and the mixer; NumPy blocks, no I/O."""

from arpegon.sound.drums import DRUMS
from arpegon.sound.sounds import SOUNDS, Sound

PLAYED_KEYS = {sound.name: sorted(DRUMS) for sound in SOUNDS.values() if sound.kit}
"""The keys that a sound plays, for those that do not play all."""

DEFAULT_SOUND = "felt-piano"
"""What plays where nobody has chosen."""
CLICK_SOUND = "tin-kit"
"""What a metronome plays: its wood blocks."""

__all__ = ["CLICK_SOUND", "DEFAULT_SOUND", "PLAYED_KEYS", "SOUNDS", "Sound"]
