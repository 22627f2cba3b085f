"""Audio files: what can be listened to, and a sentence for what cannot."""

from __future__ import annotations

import numpy as np
import pytest
import soundfile

from arpegon.core.errors import FileError
from arpegon.files.audio import read_audio


@pytest.mark.parametrize(("suffix", "rate", "channels"), [("wav", 8_000, 1), ("flac", 96_000, 2), ("ogg", 44_100, 6)])
def test_rates_channels_and_forms(tmp_path, suffix, rate, channels):
    path = tmp_path / f"sound.{suffix}"
    soundfile.write(path, np.zeros((rate // 4, channels)), rate)
    sound = read_audio(path)
    assert sound.rate == rate and sound.samples.shape == (rate // 4, channels)
    assert sound.seconds == pytest.approx(0.25)


@pytest.mark.parametrize(
    ("content", "words"),
    [(b"", "cannot be read as audio"), (b"RIFF\x00\x00\x00\x00WAVEjunk", "cannot"), (b"hello" * 500, "cannot")],
)
def test_what_is_no_audio_is_said_in_a_sentence(tmp_path, content, words):
    path = tmp_path / "broken.wav"
    path.write_bytes(content)
    with pytest.raises(FileError, match=words) as raised:
        read_audio(path)
    assert "broken.wav" in str(raised.value) and str(raised.value).endswith(".")
    assert path.read_bytes() == content


def test_missing_empty_and_odd_rates(tmp_path):
    with pytest.raises(FileError, match="is not there"):
        read_audio(tmp_path / "nothing.wav")
    empty = tmp_path / "empty.wav"
    soundfile.write(empty, np.zeros((0, 1)), 48_000)
    with pytest.raises(FileError, match="holds no sound"):
        read_audio(empty)
    slow = tmp_path / "slow.wav"
    soundfile.write(slow, np.zeros((100, 1)), 4_000)
    with pytest.raises(FileError, match="4000 samples a second"):
        read_audio(slow)


def test_raw_samples_and_files_that_would_take_all_memory_are_said(tmp_path):
    raw = tmp_path / "sound.raw"
    raw.write_bytes(b"1234" * 100)
    with pytest.raises(FileError, match="raw samples"):
        read_audio(raw)
    vast = tmp_path / "vast.flac"
    with soundfile.SoundFile(vast, "w", samplerate=48_000, channels=8) as file:
        for _ in range(20):  # silence packs well: twenty minutes of it are small
            file.write(np.zeros((48_000 * 60, 8), dtype="int16"))
    with pytest.raises(FileError, match="an hour of stereo"):
        read_audio(vast)
