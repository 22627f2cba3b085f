"""Reading and writing: projects, MIDI files, audio files, autosave."""
