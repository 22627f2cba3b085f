"""Seconds and beats, note values, ticks and taps."""
