"""Arpegon chains MIDI processors and shows what each of them did."""

__version__ = "0.1.0"

APP_ID = "org.arpegon.Arpegon"
"""By which desktops know the program."""
