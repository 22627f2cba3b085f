"""The outside world: MIDI ports and audio devices, over JACK, ALSA and PortAudio."""
