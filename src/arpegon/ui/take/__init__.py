"""The Take view."""
