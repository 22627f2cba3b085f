"""The event loop, live and offline."""
