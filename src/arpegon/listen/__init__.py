"""Audio to MIDI: strokes and melodies, block by block, the same live and offline."""
