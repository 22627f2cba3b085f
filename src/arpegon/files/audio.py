"""Audio files."""

from __future__ import annotations

import errno
import os
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import soundfile
from numpy.typing import NDArray

from arpegon.core.errors import FileError
from arpegon.files.atomic import check_plain, reason, replacing

MAX_SECONDS = 3600.0
"""Longer audio files are not read whole."""
_MAX_SAMPLES = 2 * 48_000 * 3600
"""Of all channels: they are held as 32-bit numbers."""
_RATES = (8_000, 192_000)


class AudioFile(msgspec.Struct, frozen=True, eq=False):
    """Audio from a file: float32 samples of shape (frames, channels), -1 ... 1, and their rate."""

    samples: NDArray[Any]
    rate: int

    @property
    def seconds(self) -> float:
        """How long it lasts."""
        return len(self.samples) / self.rate


def read_audio(path: Path) -> AudioFile:
    """Read a WAV, FLAC, OGG, AIFF or MP3 file.

    Raises:
        FileError: it is none, empty, damaged, longer than an hour, or of a rate that cannot be listened to.
    """
    check_plain(path)
    try:
        with soundfile.SoundFile(path) as file:
            rate = int(file.samplerate)
            if file.frames > MAX_SECONDS * rate:
                raise FileError(f"“{path}” lasts longer than an hour; cut it, or play it into an input.")
            if file.frames * file.channels > _MAX_SAMPLES:
                raise FileError(f"“{path}” holds more than an hour of stereo would; cut it, or leave channels out.")
            samples = file.read(dtype="float32", always_2d=True)
    except TypeError:  # the library would have to be told its rate
        raise FileError(f"“{path}” cannot be read as audio: it is raw samples, of which nothing is known.") from None
    except OSError as error:
        raise FileError(f"“{path}” could not be read: {reason(error)}.") from None
    except (soundfile.SoundFileError, ValueError):  # the library's own words are for those who wrote it
        raise FileError(
            f"“{path}” cannot be read as audio: it is damaged, or of a kind that Arpegon does not read."
        ) from None
    if not len(samples):
        raise FileError(f"“{path}” holds no sound: it is empty.")
    if not _RATES[0] <= rate <= _RATES[1]:
        raise FileError(f"“{path}” has {rate} samples a second; Arpegon listens to 8,000 to 192,000.")
    return AudioFile(samples, rate)


_FORMATS = {".wav": "WAV", ".flac": "FLAC"}


_FRAME_BYTES = 2 * 3
_LONGEST_WAV = 2**32 - 2**16
_PIECE_FRAMES = 2**14


def check_suffix(path: Path) -> str:
    """The form of audio that a path's suffix stands for.

    Raises:
        FileError: for none.
    """
    form = _FORMATS.get(path.suffix.lower())
    if form is None:
        raise FileError(f"“{path}” could not be written: audio files end in .wav or .flac.")
    return form


def _pieces(blocks: Iterable[NDArray[Any]]) -> Iterator[NDArray[Any]]:
    """Blocks of shape (2, n) in longer pieces of shape (n, 2): a library is not called for every block."""
    waiting: list[NDArray[Any]] = []
    frames = 0
    for block in blocks:
        waiting.append(block)
        frames += block.shape[1]
        if frames >= _PIECE_FRAMES:
            yield np.concatenate(waiting, axis=1).T.copy()
            waiting, frames = [], 0
    if waiting:
        yield np.concatenate(waiting, axis=1).T.copy()


def write_audio(path: Path, blocks: Iterable[NDArray[Any]], frames: int, rate: int) -> None:
    """Write stereo as 24-bit WAV or FLAC by the suffix of ``path``, block by block, so that it may be of any length.

    Args:
        blocks: samples of shape (2, n), -1 ... 1.
        frames: how many they are in all; more than a WAV can hold (4 GB) are written as RF64 (EBU Tech 3306).

    Raises:
        FileError: the suffix is another one, or the file cannot be written.
    """
    form = check_suffix(path)
    if form == "WAV" and frames * _FRAME_BYTES > _LONGEST_WAV:
        form = "RF64"
    with replacing(path) as file:
        try:
            # By its number, so that the library writes itself: what fails in a file of Python's it does not tell.
            with soundfile.SoundFile(file.fileno(), "w", rate, 2, "PCM_24", format=form, closefd=False) as sound:
                for piece in _pieces(blocks):
                    sound.write(piece)
        except (AssertionError, soundfile.SoundFileError):  # so it says that not all could be written
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC)) from None
