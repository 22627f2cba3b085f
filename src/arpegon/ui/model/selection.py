"""What stands on the bench."""

from __future__ import annotations

import msgspec

from arpegon.core.document.model import Project


class Selection(msgspec.Struct, frozen=True):
    """A stage by its id, or a source or destination of a strand by its place; ``part`` is ``stage``, ``source``,
    ``destination`` or ``strand``."""

    strand: str = ""
    part: str = ""
    stage: str = ""
    place: int = 0

    def there(self, project: Project) -> bool:
        """Whether it is in a project."""
        strand = project.strand(self.strand)
        if strand is None:
            return False
        if self.part == "stage":
            return strand.stage(self.stage) is not None
        if self.part == "source":
            return self.place < len(strand.sources) and getattr(strand.sources[self.place], "id", "") == self.stage
        return self.part != "destination" or self.place < len(strand.destinations)


NOTHING = Selection()


def stage_selection(project: Project, stage_id: str) -> Selection | None:
    """A stage, or a source that makes notes by itself, by its id."""
    found = project.find_stage(stage_id)
    if found is None:
        return None
    strand = found[0]
    place = next((at for at, one in enumerate(strand.sources) if getattr(one, "id", "") == stage_id), None)
    return Selection(strand.id, "stage", stage_id) if place is None else source_selection(project, strand.id, place)


def source_selection(project: Project, strand_id: str, place: int) -> Selection | None:
    """A source by its place."""
    strand = project.strand(strand_id)
    if strand is None or place >= len(strand.sources):
        return None
    return Selection(strand_id, "source", getattr(strand.sources[place], "id", ""), place)
