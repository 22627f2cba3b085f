"""The clips and sounds that a document names."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, MutableMapping
from pathlib import Path
from typing import Any, TypeVar

from arpegon.core.document.model import Project
from arpegon.core.errors import ArpegonError
from arpegon.files.audio import AudioFile, read_audio
from arpegon.files.midi import Clip, read_midi
from arpegon.files.sounds import sound_path

T = TypeVar("T")
Cache = MutableMapping[tuple[Path, int, tuple[int, int]], Clip]


def load_clips(project: Project, folder: Path, cache: Cache | None = None) -> tuple[dict[str, Clip], dict[str, str]]:
    """Read the clips of a project whose file lies in ``folder``.

    Args:
        cache: clips read before, by path, time of change and meter.

    Returns:
        The clips by the file they are named by, and for those that cannot be read a sentence each.
    """
    named = [(strand.name, file, folder / file) for strand, file in project.clip_files()]
    meter = project.meter
    return _load("clip", named, lambda path: read_midi(path, meter), (meter,), {} if cache is None else cache)


def remarks(clips: Mapping[str, Clip]) -> list[str]:
    """What of these clips could not be read, a sentence each."""
    return sorted({clip.remark for clip in clips.values() if clip.remark})


SoundCache = MutableMapping[tuple[Path, int], AudioFile]


def load_sounds(
    project: Project, folder: Path, cache: SoundCache | None = None
) -> tuple[dict[str, AudioFile], dict[str, str]]:
    """Read the files of audio sources, like :func:`load_clips`."""
    files = [(strand.name, source.file) for strand, source in project.audio_sources() if source.file]
    named = [(name, file, sound_path(file, folder)) for name, file in files]
    return _load("sound", named, read_audio, (), {} if cache is None else cache)


def _load(
    what: str,
    named: Iterable[tuple[str, str, Path]],
    read: Callable[[Path], T],
    facts: tuple[Any, ...],
    cache: MutableMapping[Any, T],
) -> tuple[dict[str, T], dict[str, str]]:
    """Read files that strands name, each once as long as it does not change.

    Args:
        named: the name of the strand, the file as it names it, and where that is.
        facts: what the reading depends on besides the file.
    """
    found: dict[str, T] = {}
    missing: dict[str, str] = {}
    for strand, file, path in named:
        try:
            key = (path, path.stat().st_mtime_ns, *facts)
            if key not in cache:
                cache[key] = read(path)
            found[file] = cache[key]
        except (OSError, ValueError):  # not there, or a name that no file can have
            missing[file] = f"The {what} “{file}” of “{strand}” is not there.".replace("\0", "␀")
        except ArpegonError as error:
            missing[file] = str(error)
    return found, missing
