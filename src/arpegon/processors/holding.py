"""A document as it is in one of its sections, and edits made there."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import msgspec

from arpegon.core.document import edits
from arpegon.core.document.model import Held, Project, Section, Stage
from arpegon.processors.targets import (
    INSTRUMENT_PARAMS,
    PROJECT_PARAMS,
    STRAND_PARAMS,
    Target,
    differs,
    holdable,
    is_there,
    value_now,
    with_value,
)

HeldTarget = tuple[str, Target]
"""The section that holds a value (its id; empty: it is the project's own), and the address of the value."""


def within(document: Project, section: Section | None) -> Project:
    """The document with the values that a section holds, but for what is gone."""
    for target, value in held_values(document, section).items():
        document = with_value(document, target, value)
    return document


def held_values(document: Project, section: Section | None) -> dict[Target, Any]:
    """What a section holds, but for what is gone."""
    if section is None:
        return {}
    return {one.place: one.value for one in section.holds if is_there(document, one.place)}


def edited_within(document: Project, section: Section | None, edited: Project, hold_all: bool = False) -> Project:
    """The document after an edit of what it is in a section.

    What the section holds is changed there and stays elsewhere; so is everything else if ``hold_all``.

    Args:
        document: the one before.
        section: one of its sections; ``None`` where it has none.
        edited: what an edit made of :func:`within`.
        hold_all: whether the section shall hold every value that the edit changed.
    """
    if section is None:
        return edited
    before = within(document, section)
    targets = dict.fromkeys(held_values(document, section))
    if hold_all:
        targets |= dict.fromkeys(differences(before, edited))
    made = edited
    for target in targets:
        if not is_there(edited, target):
            continue
        made = _put_back(made, document, target)
        if differs(before, edited, target):
            held = Held(target=target[0], param=target[1], value=value_now(edited, *target))
            made = edits.hold(made, section.id, held)
    return made


def held_in(document: Project, section: str, target: Target) -> Held | None:
    """How a section holds a value; ``None`` where it does not, or is gone."""
    found = document.section(section)
    return next((one for one in found.holds if one.place == target), None) if found is not None else None


def turned(document: Project, one: HeldTarget, value: Any) -> Project:
    """The document with a value set where it was turned; where that is gone nothing changes."""
    section, target = one
    if not section:
        return with_value(document, target, value)
    if held_in(document, section, target) is None:
        return document
    return edits.hold(document, section, Held(target=target[0], param=target[1], value=value))


def still_stands(before: Project, after: Project, section: str, one: HeldTarget) -> bool:
    """Whether what was turned stands over the document that follows on another.

    It does until the document itself changes that value, where it was turned, or lets ``section``, which holds now,
    hold it from now on.
    """
    holder, target = one
    if holder:
        held = held_in(before, holder, target)
        return held is not None and held == held_in(after, holder, target) and is_there(after, target)
    newly_held = held_in(after, section, target) is not None and held_in(before, section, target) is None
    return not newly_held and not differs(before, after, target)


def differences(before: Project, after: Project) -> Iterator[Target]:
    """The parameters that are in both documents with different values."""
    candidates: list[Target] = [("", key) for key in PROJECT_PARAMS]
    candidates += [(one.id, key) for one in before.instruments for key in INSTRUMENT_PARAMS]
    candidates += [(one.id, key) for one in before.strands for key in STRAND_PARAMS]
    for _, stage in before.stages():
        found = after.find_stage(stage.id)
        if found is not None and found[1] is not stage and found[1].kind == stage.kind:
            candidates += [(stage.id, key) for key in holdable(before, stage.id)]
    known = {"", *(one.id for one in after.instruments), *(strand.id for strand in after.strands)}
    known |= {stage.id for _, stage in after.stages()}
    return (target for target in candidates if target[0] in known and differs(before, after, target))


def _put_back(project: Project, other: Project, target: Target) -> Project:
    """The project with a value as another document has it; one that is left out there is left out."""
    name, key = target
    known = other.find_stage(name) if name else None
    if known is None or key == "bypass" or "." in key:
        return with_value(project, target, value_now(other, *target))
    params = known[1].params

    def change(stage: Stage) -> Stage:
        kept = {name: value for name, value in stage.params.items() if name != key}
        return msgspec.structs.replace(stage, params=kept | ({key: params[key]} if key in params else {}))

    return edits.edit_stage(project, name, change)
