"""The built-in sound sources, rendered as NumPy blocks."""

from arpegon.sound.sounds import SOUNDS, Sound

__all__ = ["SOUNDS", "Sound"]
