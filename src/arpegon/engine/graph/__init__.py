"""The strands at work: gates, stages, outlets, and how a document takes over."""
