"""The bench: one editor for each kind of stage, source and destination."""
