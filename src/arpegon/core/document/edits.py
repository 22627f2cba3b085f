"""Edits: functions from a document to a document. None of them changes what it was given."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any, TypeVar

import msgspec

from arpegon.core.document.model import (
    GENERATOR_SOURCES,
    ActiveSource,
    AnyDestination,
    AnySource,
    ClickSource,
    ClipSource,
    Held,
    Hookup,
    Instrument,
    InstrumentDestination,
    PortDestination,
    Project,
    Section,
    Stage,
    Strand,
    StrandDestination,
    StrandSource,
    SurfaceSource,
    named_output,
    output_name,
)

_replace = msgspec.structs.replace
_Item = TypeVar("_Item")


_Known = TypeVar("_Known", Strand, Instrument, Hookup, Section)


def _changed(items: Iterable[_Known], item_id: str, **changes: Any) -> tuple[_Known, ...]:
    """The items, with other settings of the one with an id."""
    return tuple(_replace(one, **changes) if one.id == item_id else one for one in items)


def _without(items: Iterable[_Known], item_id: str) -> tuple[_Known, ...]:
    """The items but for the one with an id."""
    return tuple(one for one in items if one.id != item_id)


def _moved(items: tuple[_Known, ...], item_id: str, place: int) -> tuple[_Known, ...]:
    """The items, with the one with an id at ``place`` among the others."""
    others = list(_without(items, item_id))
    if len(others) < len(items):
        others.insert(max(0, place), next(one for one in items if one.id == item_id))
    return tuple(others)


def fresh_id(stem: str, taken: Iterable[str]) -> str:
    """``stem``, or ``stem-2``, ``stem-3`` ... where that is taken."""
    used = set(taken)
    name, number = stem, 1
    while name in used:
        number += 1
        name = f"{stem}-{number}"
    return name


def part_ids(project: Project) -> Iterator[str]:
    """The ids of all stages, of what sources do, and of clips: no two are alike."""
    for strand in project.strands:
        yield from (stage.id for stage in strand.all_stages)
        yield from (one.id for one in strand.sources if isinstance(one, ClipSource) and one.id)


def set_project(project: Project, **changes: Any) -> Project:
    """Change the project's own settings (title, tempo, meter, key)."""
    return _replace(project, **changes)


def edit_strand(project: Project, strand_id: str, change: Callable[[Strand], Strand]) -> Project:
    """Replace one strand by what ``change`` makes of it."""
    strands = tuple(change(strand) if strand.id == strand_id else strand for strand in project.strands)
    return _replace(project, strands=strands)


def set_strand(project: Project, strand_id: str, **changes: Any) -> Project:
    """Change a strand's own settings (name, muted, solo, sources, destinations)."""
    return edit_strand(project, strand_id, lambda strand: _replace(strand, **changes))


def add_strand(project: Project, name: str, sound: str) -> tuple[Project, str]:
    """A new strand from the play surface to an instrument of its own, so that it sounds at once.

    Returns:
        The document and the id of the strand.
    """
    strand_id = fresh_id("strand", (strand.id for strand in project.strands))
    instrument_id = fresh_id(sound, (instrument.id for instrument in project.instruments))
    instrument = Instrument(id=instrument_id, sound=sound, level_db=-6.0)
    strand = Strand(
        id=strand_id,
        name=fresh_name(name, (other.name for other in project.strands)),
        sources=(SurfaceSource(),),
        destinations=(InstrumentDestination(instrument=instrument_id, channel=0),),
    )
    return (
        _replace(project, instruments=(*project.instruments, instrument), strands=(*project.strands, strand)),
        strand_id,
    )


def add_metronome(project: Project, sound: str) -> tuple[Project, str]:
    """A strand of its own for a metronome.

    Args:
        sound: the name of a drum kit with wood blocks.

    Returns:
        The document and the id of the strand.
    """
    project, strand_id = add_strand(project, "Metronome", sound)
    return set_strand(project, strand_id, sources=(ClickSource(),)), strand_id


def fresh_name(name: str, taken: Iterable[str]) -> str:
    """``name``, or ``name 2``, ``name 3`` ... where that is taken."""
    used = set(taken)
    return (
        name if name not in used else next(f"{name} {n}" for n in range(2, len(used) + 3) if f"{name} {n}" not in used)
    )


def next_name(name: str, taken: Iterable[str]) -> str:
    """``name 1``, or the first number that is not taken."""
    used = set(taken)
    return next(f"{name} {n}" for n in range(1, len(used) + 2) if f"{name} {n}" not in used)


def remove_strand(project: Project, strand_id: str) -> Project:
    """Take a strand out, with the instruments that only it used."""
    gone = project.strand(strand_id)
    strands = _without(project.strands, strand_id)
    used = {name for strand in strands for name in instruments_of(strand)}
    owned = instruments_of(gone) if gone else set()
    instruments = tuple(one for one in project.instruments if one.id in used or one.id not in owned)
    return _replace(project, strands=strands, instruments=instruments)


def instruments_of(strand: Strand) -> set[str]:
    """The ids of the instruments where a strand ends."""
    return {one.instrument for one in strand.destinations if isinstance(one, InstrumentDestination)}


def insert_strand(
    project: Project, strand: Strand, instruments: Iterable[Instrument], place: int | None = None
) -> tuple[Project, str]:
    """Put in a strand from elsewhere, with instruments of its own; all get fresh ids and the strand a fresh name.

    Sources and destinations that are strands stay where the project has them.

    Returns:
        The document and the id of the strand.
    """
    taken = {one.id for one in project.instruments}
    renamed: dict[str, str] = {}
    added = []
    for instrument in instruments:
        renamed[instrument.id] = fresh_id(_stem(instrument.id), taken)
        taken.add(renamed[instrument.id])
        added.append(_replace(instrument, id=renamed[instrument.id]))
    stage_ids = set(part_ids(project))

    def renew(stage_id: str) -> str:
        made = fresh_id(_stem(stage_id), stage_ids)
        stage_ids.add(made)
        return made

    known = {one.id for one in project.strands}
    made = _replace(
        strand,
        id=fresh_id(_stem(strand.id), known),
        name=fresh_name(strand.name, (one.name for one in project.strands)),
        solo=False,
        stages=tuple(_replace(stage, id=renew(stage.id)) for stage in strand.stages),
        sources=tuple(
            _replace(one, id=renew(one.id or "clip")) if isinstance(one, (ActiveSource, ClipSource)) else one
            for one in strand.sources
            if not isinstance(one, StrandSource) or one.strand in known
        ),
        destinations=tuple(
            _replace(one, instrument=renamed.get(one.instrument, one.instrument))
            if isinstance(one, InstrumentDestination)
            else one
            for one in strand.destinations
            if not isinstance(one, StrandDestination) or one.strand in known
        ),
    )
    strands = list(project.strands)
    strands.insert(len(strands) if place is None else place, made)
    return _replace(project, instruments=(*project.instruments, *added), strands=tuple(strands)), made.id


def _stem(name: str) -> str:
    """An id without the number that made it fresh once."""
    stem, _, number = name.rpartition("-")
    return stem if stem and number.isdigit() else name


def add_stage(project: Project, strand_id: str, kind: str, place: int | None = None) -> tuple[Project, str]:
    """A new stage with its defaults at ``place`` (at the end where left out).

    Returns:
        The document and the id of the stage.
    """
    return insert_stage(project, strand_id, Stage(id=kind, kind=kind), place)


def insert_stage(project: Project, strand_id: str, stage: Stage, place: int | None = None) -> tuple[Project, str]:
    """Put in a stage from elsewhere, with a fresh id, at ``place`` (at the end where left out).

    Returns:
        The document and the id of the stage.
    """
    made = _replace(stage, id=fresh_id(_stem(stage.id), part_ids(project)))

    def insert(strand: Strand) -> Strand:
        stages = list(strand.stages)
        stages.insert(len(stages) if place is None else place, made)
        return _replace(strand, stages=tuple(stages))

    return edit_strand(project, strand_id, insert), made.id


def replace_params(project: Project, stage_id: str, values: dict[str, Any]) -> Project:
    """Give a stage these parameters (checked values) and to all others their defaults."""
    return edit_stage(project, stage_id, lambda stage: _replace(stage, params=dict(values)))


def edit_stage(project: Project, stage_id: str, change: Callable[[Stage], Stage | None]) -> Project:
    """Replace one stage, or what a source does, by what ``change`` makes of it; ``None`` takes it out."""
    found = project.find_stage(stage_id)
    if found is None:
        return project
    strand, stage = found
    changed = change(stage)
    if any(source.id == stage_id for source in strand.active_sources):
        sources = tuple(
            (source.with_stage(changed) if changed is not None else None)
            if isinstance(source, ActiveSource) and source.id == stage_id
            else source
            for source in strand.sources
        )
        return set_strand(project, strand.id, sources=tuple(one for one in sources if one is not None))
    stages = tuple(changed if one.id == stage_id else one for one in strand.stages)
    return set_strand(project, strand.id, stages=tuple(one for one in stages if one is not None))


def remove_stage(project: Project, stage_id: str) -> Project:
    """Take a stage out."""
    return edit_stage(project, stage_id, lambda stage: None)


def set_bypass(project: Project, stage_id: str, bypass: bool) -> Project:
    """Let events pass a stage untouched, or not."""
    return edit_stage(project, stage_id, lambda stage: _replace(stage, bypass=bypass))


def set_params(project: Project, stage_id: str, values: dict[str, Any]) -> Project:
    """Set parameters of a stage (checked values); the others stay."""
    return edit_stage(project, stage_id, lambda stage: _replace(stage, params={**stage.params, **values}))


def move_stage(project: Project, stage_id: str, strand_id: str, place: int) -> Project:
    """Move a stage to ``place`` among the stages of a strand (counted without the moved one)."""
    found = project.find_stage(stage_id)
    if found is None or found[1] not in found[0].stages:
        return project
    stage = found[1]

    def insert(strand: Strand) -> Strand:
        stages = list(strand.stages)
        stages.insert(place, stage)
        return _replace(strand, stages=tuple(stages))

    return edit_strand(remove_stage(project, stage_id), strand_id, insert)


def move_strand(project: Project, strand_id: str, place: int) -> Project:
    """Move a strand to ``place`` among the others."""
    return _replace(project, strands=_moved(project.strands, strand_id, place))


def set_source(project: Project, strand_id: str, place: int, source: AnySource | None) -> Project:
    """Replace, append (``place`` past the end) or remove (``None``) a source."""
    return edit_strand(project, strand_id, lambda strand: _replace(strand, sources=_put(strand.sources, place, source)))


def add_generator(project: Project, strand_id: str, kind: str) -> tuple[Project, int]:
    """Feed a strand from one more source that makes notes by itself.

    Returns:
        The document and the place of the source.
    """
    strand = project.strand(strand_id)
    assert strand is not None
    source = fresh_generator(project, kind)
    return set_source(project, strand_id, len(strand.sources), source), len(strand.sources)


def fresh_clip(project: Project, **settings: Any) -> ClipSource:
    """A clip with a fresh id."""
    return ClipSource(id=fresh_id("clip", part_ids(project)), **settings)


def fresh_generator(project: Project, kind: str, **settings: Any) -> AnySource:
    """A source of a kind that makes notes by itself, with a fresh id."""
    source_id = fresh_id(kind, part_ids(project))
    made: AnySource = GENERATOR_SOURCES[kind](id=source_id, **settings)  # type: ignore[assignment]
    return made


def set_destination(project: Project, strand_id: str, place: int, destination: AnyDestination | None) -> Project:
    """Replace, append (``place`` past the end) or remove (``None``) a destination."""
    return edit_strand(
        project,
        strand_id,
        lambda strand: _replace(strand, destinations=_put(strand.destinations, place, destination)),
    )


def _put(items: tuple[_Item, ...], place: int, item: _Item | None) -> tuple[_Item, ...]:
    return (*items[:place], *(() if item is None else (item,)), *items[place + 1 :])


def add_instrument(project: Project, sound: str) -> tuple[Project, str]:
    """A new instrument; its id comes with the document."""
    instrument_id = fresh_id(sound, (instrument.id for instrument in project.instruments))
    instrument = Instrument(id=instrument_id, sound=sound, level_db=-6.0)
    return _replace(project, instruments=(*project.instruments, instrument)), instrument_id


def set_instrument(project: Project, instrument_id: str, **changes: Any) -> Project:
    """Change an instrument's settings."""
    return _replace(project, instruments=_changed(project.instruments, instrument_id, **changes))


def add_hookup(project: Project, hookup: Hookup) -> tuple[Project, str]:
    """One more hookup, with a fresh id.

    Returns:
        The document and the id of the hookup.
    """
    made = _replace(hookup, id=fresh_id("hookup", (one.id for one in project.hookups)))
    return _replace(project, hookups=(*project.hookups, made)), made.id


def set_hookup(project: Project, hookup_id: str, **changes: Any) -> Project:
    """Change a hookup's settings."""
    return _replace(project, hookups=_changed(project.hookups, hookup_id, **changes))


def remove_hookup(project: Project, hookup_id: str) -> Project:
    """Take a hookup out."""
    return _replace(project, hookups=_without(project.hookups, hookup_id))


def add_section(project: Project, section: Section | None = None, place: int | None = None) -> tuple[Project, str]:
    """One more section at ``place`` (at the end where left out): like ``section``, or one that holds nothing.

    Returns:
        The document and the id of the section.
    """
    names = [one.name for one in project.sections]
    name = fresh_name(section.name, names) if section else next_name("Section", names)
    section_id = fresh_id("section", (one.id for one in project.sections))
    made = _replace(section or Section(id="", name=""), id=section_id, name=name)
    sections = list(project.sections)
    sections.insert(len(sections) if place is None else place, made)
    return _replace(project, sections=tuple(sections)), section_id


def set_section(project: Project, section_id: str, **changes: Any) -> Project:
    """Change a section's own settings (name, bars, then, holds)."""
    return _replace(project, sections=_changed(project.sections, section_id, **changes))


def remove_section(project: Project, section_id: str) -> Project:
    """Take a section out."""
    return _replace(project, sections=_without(project.sections, section_id))


def move_section(project: Project, section_id: str, place: int) -> Project:
    """Move a section to ``place`` among the others."""
    return _replace(project, sections=_moved(project.sections, section_id, place))


def hold(project: Project, section_id: str, held: Held) -> Project:
    """Let a value hold in a section, instead of one that did."""
    section = project.section(section_id)
    if section is None:
        return project
    if any(one.place == held.place for one in section.holds):
        holds = tuple(held if one.place == held.place else one for one in section.holds)
    else:
        holds = (*section.holds, held)
    return set_section(project, section_id, holds=holds)


def let_go(project: Project, section_id: str, target: str, param: str) -> Project:
    """Let a value hold no more in a section."""
    section = project.section(section_id)
    if section is None:
        return project
    holds = tuple(one for one in section.holds if one.place != (target, param))
    return set_section(project, section_id, holds=holds)


def own_outputs(project: Project) -> list[str]:
    """The further outputs of Arpegon's own that a project names, as its destinations do, each once."""
    ports = (one.port for strand in project.strands for one in strand.destinations if isinstance(one, PortDestination))
    sections = (one.port for section in project.sections for one in section.clocks)
    clocks = (*project.clock.send, *project.clock.code_to, *sections)
    return sorted({port for port in (*ports, *clocks) if output_name(port) is not None})


def rename_output(project: Project, port: str, name: str) -> Project:
    """Give an output of Arpegon's own another name, wherever it is named."""
    new = named_output(name)

    def renamed(one: Any) -> Any:
        return msgspec.structs.replace(one, port=new) if getattr(one, "port", None) == port else one

    strands = tuple(
        msgspec.structs.replace(strand, destinations=tuple(map(renamed, strand.destinations)))
        for strand in project.strands
    )
    sections = tuple(
        msgspec.structs.replace(section, clocks=tuple(map(renamed, section.clocks))) for section in project.sections
    )
    lists = {
        which: tuple(new if one == port else one for one in getattr(project.clock, which))
        for which in ("send", "code_to")
    }
    clock = msgspec.structs.replace(project.clock, **lists)
    return msgspec.structs.replace(project, strands=strands, sections=sections, clock=clock)
