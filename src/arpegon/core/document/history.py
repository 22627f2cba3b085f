"""Undo: the documents of the past, with a drag kept as one step."""

from __future__ import annotations

import weakref
import zlib
from collections.abc import Callable
from typing import Generic, TypeVar

import msgspec

from arpegon.core.document.model import AnySource, ClipSource, Music, Project
from arpegon.core.notes.takes import Take

DEPTH = 500
_Part = TypeVar("_Part", Take, Music)

_encode = msgspec.msgpack.Encoder().encode
_encode_in_order = msgspec.msgpack.Encoder(order="deterministic").encode
_decode = msgspec.msgpack.Decoder(Project).decode
_NO_MUSIC = Music(name="", beats=0.0)


class Step(msgspec.Struct, frozen=True):
    """What was done, and the document before it."""

    label: str
    before: Project


class PackedStep(msgspec.Struct, frozen=True):
    """The same, packed: as what its document has that the one next to it, by which one comes to it, has not. That
    leaves some hundred bytes. Takes, and the music of clips, are packed by themselves, as many steps share them."""

    label: str
    project: bytes
    takes: tuple[bytes, ...]
    music: tuple[bytes, ...]


class PackedParts(Generic[_Part]):
    """Large parts of documents, each packed once; what is unpacked is what is still in use elsewhere."""

    def __init__(self, kind: type[_Part]) -> None:
        self._decode: Callable[[bytes], _Part] = msgspec.msgpack.Decoder(kind).decode
        self._packed: dict[int, tuple[weakref.ref[_Part], bytes]] = {}
        """By the identity of the part."""
        self._in_use: weakref.WeakValueDictionary[bytes, _Part] = weakref.WeakValueDictionary()

    def pack(self, part: _Part) -> bytes:
        """A part, packed."""
        known = self._packed.get(id(part))
        if known is not None and known[0]() is part:
            return known[1]
        packed = zlib.compress(_encode(part), 1)
        self._learn(part, packed)
        return packed

    def unpack(self, packed: bytes) -> _Part:
        """The part as it was."""
        part = self._in_use.get(packed)
        if part is None:
            part = self._decode(zlib.decompress(packed))
            self._learn(part, packed)
        return part

    def _learn(self, part: _Part, packed: bytes) -> None:
        self._packed = {name: one for name, one in self._packed.items() if one[0]() is not None}
        self._packed[id(part)] = weakref.ref(part), packed
        self._in_use[packed] = part


class Packer:
    """Packs steps."""

    def __init__(self) -> None:
        self._takes, self._music = PackedParts(Take), PackedParts(Music)

    def pack(self, step: Step, near: Project) -> PackedStep:
        """A step, packed; ``near`` is the document next to it."""
        music: list[bytes] = []

        def bare(one: Music) -> Music:
            music.append(self._music.pack(one))
            return _NO_MUSIC

        project = _encode(_with_parts(step.before, (), bare))
        takes = tuple(map(self._takes.pack, step.before.takes))
        packing = zlib.compressobj(zdict=_words(near))
        return PackedStep(step.label, packing.compress(project) + packing.flush(), takes, tuple(music))

    def unpack(self, packed: PackedStep, near: Project) -> Step:
        """The step as it was; ``near`` is the document next to it."""
        bare = _decode(zlib.decompressobj(zdict=_words(near)).decompress(packed.project))
        takes = tuple(map(self._takes.unpack, packed.takes))
        music = map(self._music.unpack, packed.music)
        return Step(packed.label, _with_parts(bare, takes, lambda _: next(music)))


def _with_parts(project: Project, takes: tuple[Take, ...], music: Callable[[Music], Music]) -> Project:
    """A document with these takes, and other music in those of its clips that have some."""

    def put(source: AnySource) -> AnySource:
        if isinstance(source, ClipSource) and source.music is not None:
            return msgspec.structs.replace(source, music=music(source.music))
        return source

    strands = [
        msgspec.structs.replace(strand, sources=tuple(map(put, strand.sources))) if strand.sources else strand
        for strand in project.strands
    ]
    return msgspec.structs.replace(project, takes=takes, strands=tuple(strands))


def _words(project: Project) -> bytes:
    """What a document is packed by: the same bytes for it and for what comes back once it is packed itself."""
    return _encode_in_order(_decode(_encode(_with_parts(project, (), lambda _: _NO_MUSIC))))


class History:
    """The document now, and the way back and forth.

    Edits that carry the same ``merge`` key one after another (a knob that is dragged) are one step.
    """

    def __init__(self, project: Project) -> None:
        self.project = project
        self.saved: Project | None = project
        self._back: list[Step | PackedStep] = []
        self._forth: list[Step | PackedStep] = []
        self._packer = Packer()
        self._merge: str | None = None

    @property
    def dirty(self) -> bool:
        """Whether the document differs from what is on disk."""
        return self.project is not self.saved and self.project != self.saved

    @property
    def undo_label(self) -> str | None:
        """What undo would take back."""
        return self._back[-1].label if self._back else None

    @property
    def redo_label(self) -> str | None:
        """What redo would do again."""
        return self._forth[-1].label if self._forth else None

    def do(self, label: str, project: Project, merge: str | None = None) -> bool:
        """Go on with an edited document; False where nothing changed."""
        if project is self.project or project == self.project:
            return False
        if merge is None or merge != self._merge:
            self._add(self._back, Step(label, self.project))
            del self._back[:-DEPTH]
        self._merge = merge
        self._forth.clear()
        self.project = project
        return True

    def settle(self) -> None:
        """End a drag: the next edit is a step of its own."""
        self._merge = None

    def undo(self) -> str | None:
        """Take the last step back; its label, or ``None`` where there is none."""
        return self._walk(self._back, self._forth)

    def redo(self) -> str | None:
        """Do again what was taken back."""
        return self._walk(self._forth, self._back)

    def _add(self, steps: list[Step | PackedStep], step: Step) -> None:
        """Add a step, and pack the one before it: one that edits a take of ten minutes takes some megabytes."""
        if steps and isinstance(before := steps[-1], Step):
            steps[-1] = self._packer.pack(before, step.before)
        steps.append(step)

    def _walk(self, source: list[Step | PackedStep], target: list[Step | PackedStep]) -> str | None:
        self._merge = None
        if not source:
            return None
        step = source.pop()
        if isinstance(step, PackedStep):
            step = self._packer.unpack(step, self.project)
        self._add(target, Step(step.label, self.project))
        self.project = step.before
        return step.label
