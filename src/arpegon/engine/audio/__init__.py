"""What sounds: the audio device."""
