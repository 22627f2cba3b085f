"""Pitch, scales, chords, and the figures that rhythms and orders are made of."""
