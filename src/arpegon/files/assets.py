"""The clips and sounds that a document names."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, MutableMapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Generic, TypeVar

from arpegon.core.document.model import Project
from arpegon.core.errors import ArpegonError
from arpegon.files.audio import AudioFile, read_audio
from arpegon.files.midi import Clip, read_midi
from arpegon.files.sounds import sound_path

T = TypeVar("T")
Cache = MutableMapping[tuple[Any, ...], T]
"""What was read before: by path, time of change, and what the reading depends on besides."""


@dataclass(frozen=True)
class AssetKind(Generic[T]):
    """A kind of files that documents name.

    Args:
        what: the word for one.
        names: those that a document names, as it does, each with the name of the strand that does so.
        path: where one is, of a document whose file lies in a folder.
        read: reads one.
        facts: what the reading depends on besides the file.
    """

    what: str
    names: Callable[[Project], Iterable[tuple[str, str]]]
    path: Callable[[str, Path], Path]
    read: Callable[[Path, Project], T]
    facts: Callable[[Project], tuple[Any, ...]]

    def load(
        self, project: Project, folder: Path, cache: Cache[T] | None = None
    ) -> tuple[dict[str, T], dict[str, str]]:
        """Read those of a project whose file lies in ``folder``, each once as long as it does not change.

        Returns:
            What was read, by the file as the project names it, and for those that cannot be read a sentence each.
        """
        found: dict[str, T] = {}
        missing: dict[str, str] = {}
        cache = {} if cache is None else cache
        for strand, file in self.names(project):
            try:
                path = self.path(file, folder)
                key = (path, path.stat().st_mtime_ns, *self.facts(project))
                if key not in cache:
                    cache[key] = self.read(path, project)
                found[file] = cache[key]
            except (OSError, ValueError):  # not there, or a name that no file can have
                missing[file] = f"The {self.what} “{file}” of “{strand}” is not there.".replace("\0", "␀")
            except ArpegonError as error:
                missing[file] = str(error)
        return found, missing


CLIPS = AssetKind[Clip](
    "clip",
    names=lambda project: [(strand.name, file) for strand, file in project.clip_files()],
    path=lambda file, folder: folder / file,
    read=lambda path, project: read_midi(path, project.meter),
    facts=lambda project: (project.meter,),
)
SOUNDS = AssetKind[AudioFile](
    "sound",
    names=lambda project: [(strand.name, source.file) for strand, source in project.audio_sources() if source.file],
    path=sound_path,
    read=lambda path, _: read_audio(path),
    facts=lambda _: (),
)
"""The files of audio sources."""


def remarks(clips: Mapping[str, Clip]) -> list[str]:
    """What of these clips could not be read, a sentence each."""
    return sorted({clip.remark for clip in clips.values() if clip.remark})
