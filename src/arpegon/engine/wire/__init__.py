"""What processes tell each other, and how they are started and kept alive."""
