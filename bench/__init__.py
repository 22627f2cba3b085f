"""Measures, as ratios in one run; see docs/benchmarks.md for the last table."""
