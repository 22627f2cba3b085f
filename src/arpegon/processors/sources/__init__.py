"""The sources that make notes by themselves, and those that listen."""
