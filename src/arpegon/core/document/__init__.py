"""What a project holds, its edits, and what can be said of it without playing it."""
