"""What several stages are built on."""
