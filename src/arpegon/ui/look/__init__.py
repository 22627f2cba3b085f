"""Colours, type, and what draws itself."""
