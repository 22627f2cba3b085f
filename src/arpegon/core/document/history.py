"""Undo: the documents of the past, with a drag kept as one step."""

from __future__ import annotations

import weakref
import zlib

import msgspec

from arpegon.core.document.model import Project
from arpegon.core.notes.takes import Take

DEPTH = 500
AT_HAND = 4
"""So many steps back are kept as documents; those before them are packed, which leaves a tenth of them. A step that
edits a take of ten minutes takes some megabytes."""

_encode = msgspec.msgpack.Encoder().encode
_decode = msgspec.msgpack.Decoder(Project).decode
_decode_take = msgspec.msgpack.Decoder(Take).decode


class Step(msgspec.Struct, frozen=True):
    """What was done, and the document before it."""

    label: str
    before: Project


class PackedStep(msgspec.Struct, frozen=True):
    """The same, packed; takes by themselves, as many steps share them."""

    label: str
    project: bytes
    takes: tuple[bytes, ...]

    def unpacked(self) -> Step:
        """The step as it was."""
        takes = tuple(_decode_take(zlib.decompress(take)) for take in self.takes)
        project = _decode(zlib.decompress(self.project))
        return Step(self.label, msgspec.structs.replace(project, takes=takes))


class Packer:
    """Packs steps, each take of theirs once."""

    def __init__(self) -> None:
        self._takes: dict[int, tuple[weakref.ref[Take], bytes]] = {}

    def pack(self, step: Step) -> PackedStep:
        """A step, packed."""
        bare = msgspec.structs.replace(step.before, takes=())
        return PackedStep(step.label, zlib.compress(_encode(bare), 1), tuple(map(self._take, step.before.takes)))

    def _take(self, take: Take) -> bytes:
        known = self._takes.get(id(take))
        if known is not None and known[0]() is take:
            return known[1]
        self._takes = {name: one for name, one in self._takes.items() if one[0]() is not None}
        packed = zlib.compress(_encode(take), 1)
        self._takes[id(take)] = weakref.ref(take), packed
        return packed


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
            self._back.append(Step(label, self.project))
            del self._back[:-DEPTH]
            self._pack(self._back)
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

    def _pack(self, steps: list[Step | PackedStep]) -> None:
        """Pack what is no longer near; steps are added one by one, so no more than one is not."""
        old = len(steps) - AT_HAND - 1
        if old >= 0 and isinstance(step := steps[old], Step):
            steps[old] = self._packer.pack(step)

    def _walk(self, source: list[Step | PackedStep], target: list[Step | PackedStep]) -> str | None:
        self._merge = None
        if not source:
            return None
        step = source.pop()
        if isinstance(step, PackedStep):
            step = step.unpacked()
        target.append(Step(step.label, self.project))
        self._pack(target)
        self.project = step.before
        return step.label
