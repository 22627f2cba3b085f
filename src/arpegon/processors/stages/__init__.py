"""The stages, one module each."""
