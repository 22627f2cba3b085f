"""Copy, cut, paste and duplicate of stages and strands; the clipboard holds presets as text."""

from __future__ import annotations

from PyQt6.QtWidgets import QApplication

from arpegon.core.document import edits
from arpegon.core.document.model import Stage, Strand
from arpegon.core.errors import ArpegonError
from arpegon.files.presets import Preset, format_preset, of_stage, of_strand, parse_preset
from arpegon.processors import GENERATORS, processor_class
from arpegon.ui.model.selection import Selection
from arpegon.ui.model.session import Session


def selected(session: Session) -> tuple[Strand | None, Stage | None]:
    """The strand in which the selection stands, and the stage, if it is one."""
    strand = session.strand_of_selection()
    chosen = session.selection
    if strand is None or not chosen.stage:
        return strand, None
    return strand, strand.stage(chosen.stage)


def as_preset(session: Session) -> Preset | None:
    """What is selected, as a preset and as it is heard; ``None`` where nothing is."""
    session.hooking.fold()
    strand, stage = selected(session)
    if stage is not None:
        return of_stage(stage, processor_class(stage.kind).label)
    return of_strand(session.project, strand, strand.name) if strand is not None else None


def copy(session: Session) -> bool:
    """Put the selected stage or strand on the clipboard; False where nothing is selected."""
    preset = as_preset(session)
    clipboard = QApplication.clipboard()
    if preset is None or clipboard is None:
        return False
    clipboard.setText(format_preset(preset).decode())
    return True


def cut(session: Session) -> None:
    """Copy, and take out."""
    strand, stage = selected(session)
    if strand is None or not copy(session):
        return
    if stage is not None:
        session.edit("Cut stage", edits.remove_stage(session.project, stage.id))
    else:
        session.edit(f"Cut {strand.name}", edits.remove_strand(session.project, strand.id))


def paste(session: Session) -> None:
    """Put in what is on the clipboard: a stage behind the selected one, a strand behind the selected strand."""
    clipboard = QApplication.clipboard()
    text = clipboard.text() if clipboard is not None else ""
    try:
        preset = parse_preset(text.encode(), "the clipboard")
    except ArpegonError:
        session.notice("edit", "The clipboard holds neither a stage nor a strand: copy one first (Ctrl+C).")
        return
    put_in(session, preset)


def duplicate(session: Session) -> None:
    """Put a copy of the selected stage or strand behind it."""
    preset = as_preset(session)
    if preset is not None:
        put_in(session, preset)


def fresh_stage(kind: str) -> Stage:
    """A stage as it is put in by hand."""
    return Stage(id=kind, kind=kind, params=dict(processor_class(kind).fresh))


def put_stage(session: Session, strand_id: str, stage: Stage, place: int | None, label: str) -> None:
    """Put a stage into a strand, at its end where no place is named, and onto the bench.

    What makes notes by itself becomes one more source.
    """
    if stage.kind in GENERATORS:
        made = edits.fresh_generator(session.project, stage.kind, params=stage.params)
        strand = session.project.strand(strand_id)
        at = len(strand.sources) if strand is not None else 0
        session.edit(label, edits.set_source(session.project, strand_id, at, made))
        session.select_source(strand_id, at)
        return
    project, stage_id = edits.insert_stage(session.project, strand_id, stage, place)
    session.edit(label, project)
    session.select_stage(stage_id)


def put_in(session: Session, preset: Preset) -> None:
    """Put a preset into the project: a stage behind the selected one, a strand behind the selected strand."""
    strand, stage = selected(session)
    project = session.project
    if preset.stage is not None:
        if strand is None:
            session.notice("edit", "Select a strand or a stage first: the stage goes in behind it.")
            return
        place = strand.stages.index(stage) + 1 if stage in strand.stages else None
        put_stage(session, strand.id, preset.stage, place, f"Put in {preset.name}")
    elif preset.strand is not None:
        behind = project.strands.index(strand) + 1 if strand is not None else None
        project, made = edits.insert_strand(project, preset.strand, preset.instruments, behind)
        session.edit(f"Put in {preset.name}", project)
        session.select(Selection(made, "strand"))
