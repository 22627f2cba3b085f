"""What is dropped onto the window: what it would become, in words, and what is then done."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from pathlib import Path

import msgspec
from PyQt6.QtCore import QMimeData

from arpegon.core.document import edits, take_edits
from arpegon.core.document.model import AudioSource, ClipSource, Music, Stage, Strand
from arpegon.core.errors import ArpegonError
from arpegon.files import keymap_csv
from arpegon.files.atomic import read_bytes
from arpegon.files.midi import MIDI_SUFFIXES
from arpegon.files.presets import SUFFIX as PRESET
from arpegon.files.presets import parse_preset
from arpegon.files.project import SUFFIX as PROJECT
from arpegon.files.take_file import read_take
from arpegon.ui.model.session import Session, fresh_audio
from arpegon.ui.parts import clipboard, midi_clipboard


@lru_cache(maxsize=1)
def _audio_suffixes() -> set[str]:
    """The suffixes of what may be audio."""
    import soundfile  # when something is dropped: the window starts sooner without it

    return {f".{form.lower()}" for form in soundfile.available_formats()} | {".aif", ".oga", ".opus"}


class Drop(msgspec.Struct, frozen=True):
    """What something that is held over the window would become, and the strand at which that is shown."""

    words: str
    act: Callable[[], None]
    strand: str = ""


def drop_of(session: Session, data: QMimeData, strand_id: str, on_takes: bool) -> Drop | None:
    """What dropping some data would do; ``None``: nothing that is known.

    Args:
        strand_id: the strand over which it is held; empty: none.
        on_takes: whether it is held over the takes.
    """
    strand = session.project.strand(strand_id)
    path = _file_of(data)
    if path is None:
        sheet_kind = any(data.hasFormat(kind) for kind in midi_clipboard.KINDS)
        if sheet_kind and strand is not None:
            held, kept = strand, QMimeData()
            kept.setData(midi_clipboard.MIDI, midi_clipboard.bytes_in(data))
            return Drop(f"a clip of {strand.name}", lambda: _music(session, held, kept), strand.id)
        return None
    suffix = path.suffix.lower()
    if suffix in MIDI_SUFFIXES and on_takes:
        return Drop(f"“{path.name}” becomes a take", lambda: as_take(session, path))
    if suffix in MIDI_SUFFIXES and strand is not None:
        here = strand
        return Drop(f"“{path.name}” becomes a clip of {strand.name}", lambda: _clip(session, here, path), strand.id)
    if suffix in MIDI_SUFFIXES:
        return Drop(f"“{path.name}” becomes a take: hold it over a strand for a clip", lambda: as_take(session, path))
    if suffix == PROJECT:
        return Drop(f"open “{path.stem}”", lambda: _open(session, path))
    if suffix == PRESET:
        where = f"put “{path.stem}” in" + (f" at {strand.name}" if strand is not None else "")
        return Drop(where, lambda: _preset(session, path, strand_id), strand_id)
    if suffix == ".csv" and strand is not None:
        here = strand
        return Drop(
            f"“{path.name}” becomes a key map in {strand.name}", lambda: _keymap(session, here, path), strand.id
        )
    if strand is not None and suffix in _audio_suffixes():
        here = strand
        return Drop(f"{strand.name} listens to “{path.name}”", lambda: _audio(session, here, path), strand.id)
    return None


def _file_of(data: QMimeData) -> Path | None:
    urls = [url for url in data.urls() if url.isLocalFile()]
    return Path(urls[0].toLocalFile()) if urls else None


def as_take(session: Session, path: Path) -> None:
    """Read a MIDI file as a take of the selected strand, or of the first."""
    project = session.project
    strand = session.strand_of_selection() or (project.strands[0] if project.strands else None)
    owner = (strand.id, strand.name) if strand is not None else ("file", path.stem)
    name = edits.fresh_name(path.stem, (take.name for take in project.takes))
    take_id = edits.fresh_id("take", (take.id for take in project.takes))
    try:
        take, remark = read_take(path, take_id, name, owner)
    except ArpegonError as error:
        session.notice("file", str(error))
        return
    if remark:
        session.notice("file", remark)
    session.edit(f"Read “{path.name}”", take_edits.add_take(project, take))
    session.recorder.kept.emit(take.id)


def _clip(session: Session, strand: Strand, path: Path) -> None:
    file = session.filing.name_for(path)
    if file is not None:
        clip = edits.fresh_clip(session.project, file=file)
        _add_source(session, strand, clip, f"Clip “{path.name}”")


def _music(session: Session, strand: Strand, data: QMimeData) -> None:
    try:
        sheet = midi_clipboard.sheet_in(data)
    except ArpegonError as error:
        session.notice("edit", str(error))
        return
    if sheet is not None:
        music = Music(name="Dropped", beats=max(1.0, sheet.end), events=sheet.events())
        clip = edits.fresh_clip(session.project, music=music)
        _add_source(session, strand, clip, "Drop a clip")


def _add_source(session: Session, strand: Strand, source: ClipSource | AudioSource, label: str) -> None:
    session.edit(label, edits.set_source(session.project, strand.id, len(strand.sources), source))
    session.select_source(strand.id, len(strand.sources))


def _open(session: Session, path: Path) -> None:
    session.filing.open(path)


def _preset(session: Session, path: Path, strand_id: str) -> None:
    try:
        preset = parse_preset(read_bytes(path, limit=2**24), path.name)
    except ArpegonError as error:
        session.notice("file", str(error))
        return
    if preset.stage is not None and session.project.strand(strand_id) is not None:
        clipboard.put_stage(session, strand_id, preset.stage, None, f"Put in {preset.name}")
    else:
        clipboard.put_in(session, preset)


def _keymap(session: Session, strand: Strand, path: Path) -> None:
    try:
        threads = keymap_csv.load_keymap(path)
    except ArpegonError as error:
        session.notice("file", str(error))
        return
    stage = Stage(id="keymap", kind="keymap", params={"threads": threads})
    clipboard.put_stage(session, strand.id, stage, None, f"Key map “{path.name}”")


def _audio(session: Session, strand: Strand, path: Path) -> None:
    file = session.filing.name_for(path)
    if file is not None:
        source = msgspec.structs.replace(fresh_audio(session, "pitch"), file=file)
        _add_source(session, strand, source, f"Listen to “{path.name}”")
