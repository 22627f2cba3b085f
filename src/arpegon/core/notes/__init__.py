"""Whoever starts a note ends it: the ledger, pairs of on and off, the memory, takes."""
