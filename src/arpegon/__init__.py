"""Arpegon chains MIDI processors and shows what each of them did."""

__version__ = "0.1.0"
