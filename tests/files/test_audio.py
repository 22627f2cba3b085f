"""Sound is written block by block, of any length, whole or not at all."""

from __future__ import annotations

import resource
import signal

import numpy as np
import pytest
import soundfile

from arpegon.core.errors import FileError
from arpegon.files import audio
from arpegon.files.audio import write_audio

TIDE = np.random.default_rng(7).uniform(-0.5, 0.5, 48_000)
BLOCKS = [np.stack([block, -block]) for block in np.array_split(TIDE, 47)]


@pytest.mark.parametrize("name", ["x.wav", "x.flac"])
def test_blocks_become_one_sound(tmp_path, name):
    write_audio(tmp_path / name, BLOCKS, 48_000, 48_000)
    samples, rate = soundfile.read(tmp_path / name)
    assert rate == 48_000 and np.allclose(samples, np.stack([TIDE, -TIDE], axis=1), atol=2**-22)


def test_what_no_wav_can_hold_is_written_as_rf64(tmp_path, monkeypatch):
    monkeypatch.setattr(audio, "_LONGEST_WAV", 48_000 * 6 - 1)
    write_audio(tmp_path / "x.wav", BLOCKS, 48_000, 48_000)
    assert soundfile.info(tmp_path / "x.wav").format == "RF64" and soundfile.info(tmp_path / "x.wav").frames == 48_000


@pytest.fixture
def little_room():
    """Files may not become longer than 50,000 bytes, as on a disk that is full."""
    before, handler = resource.getrlimit(resource.RLIMIT_FSIZE), signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_FSIZE, (50_000, before[1]))
    yield
    resource.setrlimit(resource.RLIMIT_FSIZE, before)
    signal.signal(signal.SIGXFSZ, handler)


@pytest.mark.parametrize("name", ["x.wav", "x.flac"])
def test_a_full_disk_is_said_and_what_was_there_stays(tmp_path, little_room, name):
    (tmp_path / name).write_bytes(b"old")
    with pytest.raises(FileError, match="the disk is full"):
        write_audio(tmp_path / name, BLOCKS, 48_000, 48_000)
    assert (tmp_path / name).read_bytes() == b"old" and [file.name for file in tmp_path.iterdir()] == [name]
