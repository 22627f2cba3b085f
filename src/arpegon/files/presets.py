"""Presets of stages and of whole strands: JSON that also serves as the clipboard between projects.

A preset file holds one preset, ``{"format": "arpegon-preset", "version": 1, "name": ..., "stage": {...}}``, or
``"strand"`` with the ``"instruments"`` it plays. Inside, stages and strands are written as in project files.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import msgspec
import platformdirs

from arpegon.core.document.edits import instruments_of
from arpegon.core.document.model import GENERATOR_SOURCES, AudioSource, Instrument, Project, Stage, Strand
from arpegon.core.errors import ArpegonError, FileError
from arpegon.files.atomic import read_bytes, write_atomic
from arpegon.files.places import DATA
from arpegon.files.project import format_project, project_of, read_tree
from arpegon.processors import GENERATORS, processor_class
from arpegon.processors.registry import LISTENINGS

FORMAT, VERSION = "arpegon-preset", 3
SUFFIX = ".arpegon-preset"
_KEYS = {"format", "version", "name", "about", "stage", "strand", "instruments"}


class Preset(msgspec.Struct, frozen=True, kw_only=True):
    """A stage, or a strand with its instruments, under a name."""

    name: str
    about: str = ""
    stage: Stage | None = None
    strand: Strand | None = None
    instruments: tuple[Instrument, ...] = ()
    file: Path | None = None
    """Where an own preset is kept; ``None`` for those of the factory and of the clipboard."""

    @property
    def kind(self) -> str:
        """The kind of its stage, or ``"strand"``."""
        return self.stage.kind if self.stage is not None else "strand"

    @property
    def kind_label(self) -> str:
        """That kind as it is read."""
        return processor_class(self.stage.kind).label if self.stage is not None else "Strand"


def of_stage(stage: Stage, name: str, about: str = "") -> Preset:
    """A stage as a preset."""
    return Preset(name=name, about=about, stage=msgspec.structs.replace(stage, bypass=False))


def of_strand(project: Project, strand: Strand, name: str, about: str = "") -> Preset:
    """A strand as a preset, with the instruments that it plays."""
    used = instruments_of(strand)
    instruments = tuple(one for one in project.instruments if one.id in used)
    return Preset(name=name, about=about, strand=strand, instruments=instruments)


def format_preset(preset: Preset) -> bytes:
    """The bytes of a preset file."""
    strand = preset.strand or Strand(id="s", name="s", **_held(preset.stage))
    tree = json.loads(format_project(Project(strands=(strand,), instruments=preset.instruments)))
    found: dict[str, Any] = {"format": FORMAT, "version": VERSION, "name": preset.name, "about": preset.about}
    if preset.stage is not None:
        strand_tree = tree["strands"][0]
        found["stage"] = (strand_tree["stages"] or strand_tree["sources"])[0]
    else:
        found |= {"strand": tree["strands"][0], "instruments": tree["instruments"]}
    return (json.dumps(found, ensure_ascii=False, indent=2) + "\n").encode()


def parse_preset(content: bytes, name: str = "the preset") -> Preset:
    """The preset in the bytes of a file called ``name``.

    Raises:
        FileError: it is none, is of another version, or does not hold together.
    """
    tree = read_tree(content, name, FORMAT, "a preset")
    unknown = sorted(tree.keys() - _KEYS)
    if unknown:
        raise FileError(f"“{name}”: there is an unknown key “{unknown[0]}”.")
    if ("stage" in tree) == ("strand" in tree) or not isinstance(tree.get("name"), str):
        raise FileError(f"“{name}”: a preset has a name, and a stage or a strand.")
    stage = tree.get("stage")
    part = "sources" if isinstance(stage, dict) and stage.get("kind") in _SOURCES else "stages"
    strand = tree.get("strand", {"id": "s", "name": "s", part: [stage]})
    read = project_of({"strands": [strand], "instruments": tree.get("instruments", [])}, name)
    about = str(tree.get("about", ""))
    if "stage" in tree:
        return Preset(name=tree["name"], about=about, stage=next(read.stages())[1])
    return Preset(name=tree["name"], about=about, strand=read.strands[0], instruments=read.instruments)


def _held(stage: Stage | None) -> dict[str, Any]:
    """The part of a strand that holds a stage, or a source that does what it says."""
    if stage is None:
        return {}
    if stage.kind in GENERATORS:
        return {"sources": (GENERATOR_SOURCES[stage.kind](id=stage.id, params=stage.params),)}
    if stage.kind in LISTENINGS:
        return {"sources": (AudioSource(id=stage.id, listen=stage.kind, params=stage.params),)}  # type: ignore[arg-type]
    return {"stages": (stage,)}


_SOURCES = (*GENERATORS, "audio")
"""What stands in a preset as a source does in a project."""


def own_folder() -> Path:
    """Where the musician's own presets are kept."""
    return Path(platformdirs.user_data_dir("arpegon")) / "presets"


def factory_presets() -> list[Preset]:
    """The presets that come with Arpegon."""
    return [parse_preset(file.read_bytes(), file.name) for file in sorted((DATA / "presets").glob(f"*{SUFFIX}"))]


def own_presets() -> tuple[list[Preset], list[str]]:
    """The musician's own presets, and a sentence for each file that cannot be read (it stays as it is)."""
    presets, wrong = [], []
    for file in sorted(own_folder().glob(f"*{SUFFIX}")) if own_folder().is_dir() else ():
        try:
            presets.append(msgspec.structs.replace(parse_preset(read_bytes(file), file.name), file=file))
        except ArpegonError as error:
            wrong.append(str(error))
    return presets, wrong


def save_preset(preset: Preset) -> Path:
    """Keep a preset among the musician's own; one of the same kind and name is replaced.

    Raises:
        FileError: it cannot be written.
    """
    if not preset.name.strip():
        raise FileError("A preset needs a name.")
    stem = re.sub(r"[^\w-]+", "-", f"{preset.kind}-{preset.name}".lower()).strip("-")
    path = own_folder() / f"{stem}{SUFFIX}"
    write_atomic(path, format_preset(preset))
    return path


def remove_preset(preset: Preset) -> None:
    """Take one of the musician's own presets away."""
    if preset.file is not None:
        try:
            preset.file.unlink(missing_ok=True)
        except OSError as error:
            raise FileError(f"“{preset.file}” could not be removed: {error.strerror}.") from None


def searched(presets: Iterable[Preset], words: str, kind: str = "") -> list[Preset]:
    """The presets (of a kind, where one is named) in whose name, kind or description all words stand."""
    wanted = words.casefold().split()
    return [
        preset
        for preset in presets
        if (not kind or preset.kind == kind)
        and all(word in f"{preset.name} {preset.kind_label} {preset.about}".casefold() for word in wanted)
    ]
