"""The clips and sounds that a document names."""

from __future__ import annotations

from collections.abc import Mapping, MutableMapping
from pathlib import Path

from arpegon.core.document.model import Project
from arpegon.core.errors import ArpegonError
from arpegon.files.audio import AudioFile, read_audio, sound_path
from arpegon.files.midi import Clip, read_midi

Cache = MutableMapping[tuple[Path, int, tuple[int, int]], Clip]


def load_clips(project: Project, folder: Path, cache: Cache | None = None) -> tuple[dict[str, Clip], dict[str, str]]:
    """Read the clips of a project whose file lies in ``folder``.

    Args:
        cache: clips read before, by path, time of change and meter.

    Returns:
        The clips by the file they are named by, and for those that cannot be read a sentence each.
    """
    cache = {} if cache is None else cache
    clips: dict[str, Clip] = {}
    missing: dict[str, str] = {}
    for strand, file in project.clip_files():
        path = folder / file
        try:
            key = (path, path.stat().st_mtime_ns, project.meter)
            if key not in cache:
                cache[key] = read_midi(path, project.meter)
            clips[file] = cache[key]
        except OSError:
            missing[file] = f"The clip “{file}” of “{strand.name}” is not there."
        except ArpegonError as error:
            missing[file] = str(error)
    return clips, missing


def remarks(clips: Mapping[str, Clip]) -> list[str]:
    """What of these clips could not be read, a sentence each."""
    return sorted({clip.remark for clip in clips.values() if clip.remark})


SoundCache = MutableMapping[tuple[Path, int], AudioFile]


def load_sounds(
    project: Project, folder: Path, cache: SoundCache | None = None
) -> tuple[dict[str, AudioFile], dict[str, str]]:
    """Read the files of audio sources, like :func:`load_clips`."""
    cache = {} if cache is None else cache
    sounds: dict[str, AudioFile] = {}
    missing: dict[str, str] = {}
    for strand, source in project.audio_sources():
        if not source.file:
            continue
        path = sound_path(source.file, folder)
        try:
            key = (path, path.stat().st_mtime_ns)
            if key not in cache:
                cache[key] = read_audio(path)
            sounds[source.file] = cache[key]
        except OSError:
            missing[source.file] = f"The sound “{source.file}” of “{strand.name}” is not there."
        except ArpegonError as error:
            missing[source.file] = str(error)
    return sounds, missing
