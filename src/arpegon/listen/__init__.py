"""Audio to MIDI."""
