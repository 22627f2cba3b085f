"""The Hookups view."""
