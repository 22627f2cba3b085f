"""What hookups can be tied to: the parameters of everything, and the actions."""

from __future__ import annotations

from typing import Any

import msgspec

from arpegon.core.document import edits
from arpegon.core.document.hookup_values import HOOKABLE
from arpegon.core.document.model import LEVEL_RANGE, Held, Hookup, Project
from arpegon.core.processing.parameters import Number, Param, PitchClass, Switch, scale_param, with_defaults
from arpegon.core.time.clock import TEMPO_RANGE
from arpegon.processors.registry import processor_class


class Action(msgspec.Struct, frozen=True):
    """Something that can be done.

    ``on`` is what it is done with: ``stage`` (one that holds patterns, or any), ``strand``, or nothing; ``window``
    says that only the window can do it; ``value`` names the number that it takes, if any.
    """

    label: str
    on: str = ""
    window: bool = False
    value: str = ""


ACTIONS: dict[str, Action] = {
    "play": Action("Play"),
    "stop": Action("Stop"),
    "play-stop": Action("Play or stop"),
    "to-start": Action("To the start"),
    "tap": Action("Tap the tempo"),
    "record": Action("Record", window=True),
    "keep": Action("Keep", window=True),
    "all-off": Action("All off"),
    "section": Action("Go to section", value="Section"),
    "section-next": Action("Next section"),
    "section-previous": Action("Previous section"),
    "pattern-next": Action("Next pattern", on="pattern"),
    "pattern-previous": Action("Previous pattern", on="pattern"),
    "pattern": Action("Choose pattern", on="pattern", value="Pattern"),
    "toss": Action("Toss", on="pattern", window=True),
    "bypass": Action("Bypass", on="stage"),
    "mute": Action("Mute", on="strand"),
    "solo": Action("Solo", on="strand"),
    "start": Action("Start", on="start", value="Rounds"),
    "start-stop": Action("Start or stop", on="start", value="Rounds"),
    "halt": Action("Stop it", on="start"),
}
"""Actions by their name in files."""

TEMPO = Number(
    key="tempo",
    label="Tempo",
    default=120.0,
    low=TEMPO_RANGE[0],
    high=TEMPO_RANGE[1],
    step=0.1,
    help="Quarter notes a minute.",
)
"""The tempo of the project."""

PROJECT_PARAMS: dict[str, Param] = {
    "tempo": TEMPO,
    "key_root": PitchClass(key="key_root", label="Key", default="C", help="The root of the project's key."),
    "key_scale": scale_param(key="key_scale", label="Scale", default="ionian", help="The scale of the project's key."),
}
INSTRUMENT_PARAMS: dict[str, Param] = {
    "level_db": Number(
        key="level_db",
        label="Level",
        default=0.0,
        low=LEVEL_RANGE[0],
        high=LEVEL_RANGE[1],
        step=0.1,
        unit="dB",
        help="How loud it is.",
    ),
    "pan": Number(key="pan", label="Pan", default=0.0, low=-1.0, high=1.0, step=0.01, help="Left to right."),
    "muted": Switch(key="muted", label="Muted", default=False, help="Whether it is silent."),
}
STRAND_PARAMS: dict[str, Param] = {
    "muted": Switch(key="muted", label="Muted", default=False, help="Whether the strand is silent."),
    "solo": Switch(key="solo", label="Solo", default=False, help="Whether only it sounds."),
}


BYPASS = Switch(key="bypass", label="Bypass", default=False, help="Whether events pass it untouched.")

Target = tuple[str, str]
"""The id of a stage, source, instrument or strand (empty: the project), and one of its parameters (or ``bypass``)."""


def declared(project: Project, hookup: Hookup) -> Param | None:
    """The declaration of the parameter that a hookup sets; ``None`` where it is gone, or was never one."""
    return params_of(project, hookup.target).get(hookup.param)


def params_of(project: Project, target: str) -> dict[str, Param]:
    """The parameters that hookups can set in a stage, source, instrument or strand (empty: in the project)."""
    if not target:
        return PROJECT_PARAMS
    found = project.find_stage(target)
    if found is not None:
        return {param.key: param for param in processor_class(found[1].kind).params if isinstance(param, HOOKABLE)}
    if project.instrument(target) is not None:
        return INSTRUMENT_PARAMS
    return STRAND_PARAMS if project.strand(target) is not None else {}


def holdable(project: Project, target: str) -> dict[str, Param]:
    """The parameters that sections can hold: all of a stage or source, whether it is bypassed, and what hookups set."""
    found = project.find_stage(target) if target else None
    if found is None:
        return params_of(project, target)
    return {"bypass": BYPASS} | {param.key: param for param in processor_class(found[1].kind).params}


def is_there(project: Project, target: Target) -> bool:
    """Whether a document has what a section holds."""
    return target[1] in holdable(project, target[0])


def held_words(project: Project, held: Held) -> str | None:
    """What a section holds, in words: "Deck steps: muted"; ``None`` where it is gone."""
    param = holdable(project, held.target).get(held.param)
    if param is None:
        return None
    where = name_of(project, held.target)
    label = f"{where}: {param.label[:1].lower()}{param.label[1:]}" if where else param.label
    if isinstance(param, Switch):
        return label if held.value else label.replace(": ", ": not ", 1)
    return f"{label} {param.text(held.value)}"


def value_now(project: Project, target: str, key: str) -> Any:
    """The value of a parameter in a document.

    Raises:
        KeyError, AttributeError: there is no such parameter.
    """
    if not target:
        return {"tempo": project.tempo, "key_root": project.key.root, "key_scale": project.key.scale}[key]
    found = project.find_stage(target)
    if found is not None and key == "bypass":
        return found[1].bypass
    if found is not None:
        return with_defaults(processor_class(found[1].kind).params, found[1].params)[key]
    return getattr(project.instrument(target) or project.strand(target), key)


def with_value(project: Project, target: Target, value: Any) -> Project:
    """The document with one value set."""
    name, key = target
    if not name:
        if key == "tempo":
            return edits.set_project(project, tempo=value)
        root = value if key == "key_root" else project.key.root
        scale = value if key == "key_scale" else project.key.scale
        return edits.set_project(project, key=type(project.key)(root, scale))
    if project.find_stage(name) is not None:
        if key == "bypass":
            return edits.set_bypass(project, name, value)
        return edits.set_params(project, name, {key: value})
    if project.instrument(name) is not None:
        return edits.set_instrument(project, name, **{key: value})
    return edits.set_strand(project, name, **{key: value})


def differs(project: Project, other: Project, target: Target) -> bool:
    """Whether two documents have different values for a parameter, or one of them has no such parameter."""
    try:
        return bool(value_now(project, *target) != value_now(other, *target))
    except (KeyError, AttributeError):
        return True


def actions_on(project: Project, target: str) -> list[str]:
    """The names of the actions that can be done with a part of the project, or with it as a whole (empty)."""
    kinds = {""}
    if project.find_stage(target) is not None:
        params = params_of(project, target)
        kinds = {"stage", *(["pattern"] if "pattern" in params else []), *(["start"] if "times" in params else [])}
    elif target:
        kinds = {"strand"} if project.strand(target) is not None else set()
    return [name for name, action in ACTIONS.items() if action.on in kinds]


def target_words(project: Project, hookup: Hookup) -> str | None:
    """What a hookup is tied to, in words; ``None`` where that is gone."""
    if hookup.action:
        action = ACTIONS[hookup.action]
        where = name_of(project, hookup.target) if action.on else None
        if action.on and where is None:
            return None
        value = f" {hookup.value:g}" if action.value and hookup.value is not None else ""
        return f"{action.label}{value}{f' · {where}' if where else ''}"
    param = declared(project, hookup)
    where = name_of(project, hookup.target)
    if param is None or (hookup.target and where is None):
        return None
    return f"{param.label}{f' · {where}' if where else ''}"


def name_of(project: Project, target: str) -> str | None:
    """What a stage, source, instrument or strand is called; ``None`` for the project, and for what is gone."""
    found = project.find_stage(target)
    if found is not None:
        return f"{processor_class(found[1].kind).label} in {found[0].name}"
    instrument = project.instrument(target)
    if instrument is not None:
        return f"instrument {instrument.id}"
    strand = project.strand(target)
    return strand.name if strand is not None else None
