"""What hookups can do: play, stop, choose a pattern, and the like."""

from __future__ import annotations

import msgspec

from arpegon.core.document.model import Hookup, Project
from arpegon.processors.targets import declared, name_of, params_of


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


def actions_on(project: Project, target: str) -> list[str]:
    """The names of the actions that can be done with a part of the project, or with it as a whole (empty)."""
    kinds = {""}
    if project.find_stage(target) is not None:
        params = params_of(project, target)
        kinds = {"stage", *(["pattern"] if "pattern" in params else []), *(["start"] if "times" in params else [])}
    elif project.clip(target) is not None:
        kinds = {"start"}
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
    label = f"{param.label[:1].upper()}{param.label[1:]}"
    return f"{label}{f' · {where}' if where else ''}"
