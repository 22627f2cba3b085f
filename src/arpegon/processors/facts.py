"""What the path check asks of stages, answered from their declarations; and what no part of a document answers to."""

from __future__ import annotations

from collections.abc import Iterator

from arpegon.core.counting import counted
from arpegon.core.document.model import Held, Hookup, Project, Stage
from arpegon.core.document.path_check import Break, StageFacts, Surroundings, check_paths
from arpegon.core.notes.taps import IN, OUT
from arpegon.core.processing.parameters import with_defaults
from arpegon.processors.actions import ACTIONS, actions_on
from arpegon.processors.bases.modulator import Modulator
from arpegon.processors.holding import within
from arpegon.processors.registry import processor_class
from arpegon.processors.targets import declared, is_there, name_of


def stage_facts(stage: Stage) -> StageFacts:
    """The label of a stage, why nothing can come out of it, if so, and what it waits for."""
    processor = processor_class(stage.kind)
    values = with_defaults(processor.params, stage.params)
    return StageFacts(
        processor.label,
        processor.swallows(values),
        processor.waits_for_clock(values),
        waits_for_action=values.get("starts") == "action",
        lets_values=processor.lets_values(values),
        moves=issubclass(processor, Modulator),
    )


def check_piece(document: Project, around: Surroundings) -> list[Break]:
    """The first break of each strand that sounds nowhere in the piece: in no section, where it has some."""
    found = [check_paths(within(document, section), stage_facts, around) for section in document.sections or [None]]
    silent = [{one.strand for one in breaks} for breaks in found]
    everywhere = set.intersection(*silent)
    return [one for one in found[0] if one.strand in everywhere]


def loose_ends(document: Project) -> Iterator[str]:
    """In sentences, what hookups and sections are tied to that is not there."""
    for hookup in document.hookups:
        reason = _hookup_is_loose(document, hookup)
        if reason:
            yield f"The hookup “{hookup.name or hookup.id}” does nothing: {reason}."
    for section in document.sections:
        for held in section.holds:
            if not is_there(document, held.place):
                yield f"The section “{section.name}” holds a value for nothing: {_missing(document, held)}."
        for message in section.sends:
            if document.strand(message.strand) is None:
                yield f"The section “{section.name}” sends to a strand that is not there: “{message.strand}”."
        for clock in section.clocks:
            if clock.port not in document.clock.send:
                yield f"The section “{section.name}” has a clock start anew or stop that is not sent: {clock.port}."


def _hookup_is_loose(document: Project, hookup: Hookup) -> str | None:
    if hookup.control == "stage":
        found = document.find_stage(hookup.stage)
        if found is None:
            return f"“{hookup.stage}”, which moves it, is not there"
        if not stage_facts(found[1]).moves:
            return f"“{hookup.stage}”, which moves it, makes no values"
    if hookup.tap:
        strand, _, place = hookup.tap.partition("/")
        found_strand = document.strand(strand)
        places = {IN, OUT, *(stage.id for stage in found_strand.stages)} if found_strand is not None else set()
        if place not in places:
            return f"there is no place “{hookup.tap}” in a strand, from which it is moved"
    if hookup.in_low == hookup.in_high and not hookup.action:
        return f"its control is read from {hookup.in_low:g} to {hookup.in_high:g}, which leaves it no way to go"
    if hookup.action:
        return _action_is_loose(document, hookup)
    if not hookup.param:
        return "it is tied to nothing"
    return None if declared(document, hookup) is not None else _missing(document, hookup)


def _action_is_loose(document: Project, hookup: Hookup) -> str | None:
    action = ACTIONS[hookup.action]
    count = len(document.sections)
    if hookup.action == "section" and hookup.value is not None and not 1 <= round(hookup.value) <= count:
        return f"section {hookup.value:g} is not there, as the project has {counted(count, 'section')}"
    if not action.on:
        return None
    where = name_of(document, hookup.target)
    if not hookup.target or where is None:
        return f"“{hookup.target}” is not there"
    if hookup.action not in actions_on(document, hookup.target):
        return f"“{action.label}” cannot be done with {where}"
    return None


def _missing(document: Project, tied: Hookup | Held) -> str:
    where = name_of(document, tied.target)
    if tied.target and where is None:
        return f"“{tied.target}” is not there"
    return f"{where or 'the project'} has no setting “{tied.param}”"
