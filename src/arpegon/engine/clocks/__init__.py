"""Timelines, and MIDI clocks that are followed or sent."""
