"""Audio files."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from numpy.typing import NDArray

from arpegon.core.errors import FileError
from arpegon.files.atomic import write_atomic

_FORMATS = {".wav": "WAV", ".flac": "FLAC"}


def write_audio(path: Path, samples: NDArray[Any], rate: int) -> None:
    """Write samples of shape (2, frames), -1 ... 1, as 24-bit WAV or FLAC by the suffix of ``path``.

    Raises:
        FileError: the suffix is another one, or the file cannot be written.
    """
    form = _FORMATS.get(path.suffix.lower())
    if form is None:
        raise FileError(f"“{path}” could not be written: audio files end in .wav or .flac.")
    buffer = io.BytesIO()
    soundfile.write(buffer, np.asarray(samples.T), rate, format=form, subtype="PCM_24")
    write_atomic(path, buffer.getvalue())
