"""Edits of takes: functions from a document to a document."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec

from arpegon.core.document.edits import fresh_clip, fresh_id, part_ids, set_strand
from arpegon.core.document.model import MIN_CLIP_BEATS, Music, Project, Stage
from arpegon.core.document.resting import resting
from arpegon.core.events import Event
from arpegon.core.notes.course import Course
from arpegon.core.notes.sheet import Sheet
from arpegon.core.notes.standing import standing
from arpegon.core.notes.takes import Round, Take, TakePart, trim, without_doubtful

_replace = msgspec.structs.replace


def add_take(project: Project, take: Take) -> Project:
    """Put a take first in the list."""
    return _replace(project, takes=(take, *project.takes))


def set_take(project: Project, take_id: str, **changes: Any) -> Project:
    """Change a take: what is said of it (its name, its star, its note) or what it holds."""
    take = project.take(take_id)
    return project if take is None else _put(project, _replace(take, **changes))


def _put(project: Project, take: Take) -> Project:
    """Put a take in the place of the one with its id."""
    return _replace(project, takes=tuple(take if one.id == take.id else one for one in project.takes))


def record_round(
    project: Project, take_id: str, added: Sequence[TakePart], span: tuple[float, float] | None
) -> Project:
    """Put what was played in a round of recording over a take into it; nothing is done where that is nothing.

    Args:
        added: what was played, by strand, on beats of the take.
        span: what of the take it takes the place of, in the versions that were played; ``None``: it is added to it.
    """
    take = project.take(take_id)
    if take is None:
        return project
    parts, came, went = [], [], []
    for part in take.parts:
        new = next((one for one in added if one.strand == part.strand), None)
        merged, out = part, _replace(part, played=(), generated=(), doubtful=(), stages=())
        for version in ("played", "generated"):
            over = Sheet.of(getattr(new, version), take.beats) if new is not None else Sheet()
            if over.notes or over.others:
                sheet = Sheet.of(getattr(part, version), take.beats)
                there = sheet.begun_in(*span) if span is not None else Sheet()
                rest = sheet.without_sheet(there)
                events = rest.with_sheet(over)[0].events()
                whole = {*Sheet.of(events, take.beats).notes}
                cut = Sheet(tuple(note for note in rest.notes if note not in whole))  # by a key on the same note
                merged = _replace(merged, **{version: events})
                out = _replace(out, **{version: there.with_sheet(cut)[0].events()})
        parts.append(merged)
        if merged is not part and new is not None:
            came.append(new)
            went.append(out)
    if not came:
        return project
    number = max((one.number for one in take.rounds), default=0) + 1
    made = Round(number=number, added=tuple(came), gone=tuple(part for part in went if part.played or part.generated))
    return set_take(project, take_id, parts=tuple(parts), rounds=(*take.rounds, made))


def drop_round(project: Project, take_id: str, number: int) -> Project:
    """Take out what a round brought, as far as it lies where it was played, and put back what it took the place of."""
    take = project.take(take_id)
    dropped = next((one for one in take.rounds if one.number == number), None) if take is not None else None
    if take is None or dropped is None:
        return project

    def held(parts: Sequence[TakePart], strand: str, version: str) -> Sheet:
        some = [part for part in parts if part.strand == strand]
        return Sheet.of(getattr(some[0], version), take.beats) if some else Sheet()

    def without(part: TakePart) -> TakePart:
        changes = {}
        for version in ("played", "generated"):
            came, went = (held(some, part.strand, version) for some in (dropped.added, dropped.gone))
            if came != went:
                # What began as something that comes back is what was left of it.
                sheet = Sheet.of(getattr(part, version), take.beats).without_sheet(came).without_sheet(went)
                changes[version] = sheet.with_sheet(went)[0].events()
        return _replace(part, **changes)

    def forgotten(part: TakePart) -> TakePart:
        """Remove this round's notes from those that a later round replaced: dropping that one must not restore them."""
        return _replace(
            part,
            **{
                version: Sheet.of(getattr(part, version), take.beats)
                .without_sheet(held(dropped.added, part.strand, version))
                .events()
                for version in ("played", "generated")
            },
        )

    rounds = tuple(
        _replace(one, gone=tuple(map(forgotten, one.gone))) if one.number > number else one
        for one in take.rounds
        if one.number != number
    )
    return set_take(project, take_id, parts=tuple(map(without, take.parts)), rounds=rounds)


def with_stages(take: Take, project: Project) -> Take:
    """A take that says which stages its strands have now."""

    def told(part: TakePart) -> TakePart:
        strand = project.strand(part.strand)
        stages = tuple(msgspec.to_builtins(stage) for stage in strand.stages) if strand is not None else ()
        return _replace(part, stages=stages)

    return _replace(take, parts=tuple(told(part) for part in take.parts))


def bring_stages_back(project: Project, take_id: str, strand_id: str) -> Project:
    """Give a strand the stages that it had when a take was made."""
    take, strand = project.take(take_id), project.strand(strand_id)
    part = take.part(strand_id) if take is not None else None
    if part is None or strand is None:
        return project
    taken = set(part_ids(project)) - {stage.id for stage in strand.stages}
    stages: list[Stage] = []
    for found in part.stages:
        stage = msgspec.convert(found, Stage)
        stages.append(_replace(stage, id=fresh_id(stage.id, taken)))
        taken.add(stages[-1].id)
    return set_strand(project, strand_id, stages=tuple(stages))


def drop_doubtful(project: Project, take_id: str) -> Project:
    """Leave out of a take what may have been heard falsely."""
    take = project.take(take_id)
    if take is None:
        return project
    return set_take(project, take_id, parts=tuple(without_doubtful(part, take.course) for part in take.parts))


def set_version(project: Project, take_id: str, strand_id: str, version: str, sheet: Sheet) -> Project:
    """Put another sheet in the place of a version (``played`` or ``generated``) of a strand's part of a take."""

    def changed(part: TakePart) -> TakePart:
        if part.strand != strand_id:
            return part
        doubtful = {"doubtful": sheet.doubtful} if version == "played" else {}
        return _replace(part, **{version: sheet.events()}, **doubtful)

    take = project.take(take_id)
    if take is None:
        return project
    parts = tuple(changed(part) for part in take.parts)
    return set_take(project, take_id, parts=parts, beats=max(take.beats, sheet.end))


def set_course(project: Project, take_id: str, course: Course) -> Project:
    """Lay a take on another course: what was played keeps its seconds."""
    take = project.take(take_id)
    if take is None:
        return project

    def laid(beat: float) -> float:
        return course.beat_at(take.course.second_at(beat))

    return _put(project, take.moved(laid, course=course))


def shift_take(project: Project, take_id: str, beats: float) -> Project:
    """Move all of a take by so many beats, but none of it before the start; its seconds go with it."""
    take = project.take(take_id)
    if take is None:
        return project

    def later(beat: float) -> float:
        return max(0.0, beat + beats)

    return _put(project, take.moved(later, course=_replace(take.course, first=later(take.course.first))))


def take_onto_board(
    project: Project, take_id: str, strand_id: str, version: str, span: tuple[float, float] | None = None
) -> Project:
    """Make a version of a take a clip of its strand, in the project itself: what was ``played`` before the stages,
    what was ``generated`` past them. What plays there by itself rests.

    Args:
        span: from which beat to which; left out: all of it, up to its last bar line.
    """
    take, strand = project.take(take_id), project.strand(strand_id)
    part = take.part(strand_id) if take is not None else None
    if take is None or strand is None or part is None:
        return project
    music = music_of(take, getattr(part, version), span)
    clip = fresh_clip(project, music=music, loop=False, past=version == "generated")
    return set_strand(project, strand_id, sources=(*map(resting, strand.sources), clip))


def music_of(take: Take, events: Sequence[Event], span: tuple[float, float] | None = None) -> Music:
    """Events of a take, or of a span of it, as music that a clip plays; with no loose ends."""
    if span is not None:
        begin, end = span
        begun = (event.at(0.0) for event in standing(events, begin))
        cut = (*begun, *trim(events, begin, end))
        return Music(name=take.name, beats=max(MIN_CLIP_BEATS, end - begin), events=cut)
    _, start, length = take.course.bar_at(take.beats)
    beats = start + (length if take.beats > start + 1e-6 else 0.0)
    return Music(name=take.name, beats=max(beats, length), events=tuple(events))


def remove_take(project: Project, take_id: str) -> Project:
    """Take a take out of the list."""
    return _replace(project, takes=tuple(take for take in project.takes if take.id != take_id))
