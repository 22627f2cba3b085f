"""The controls of hookups in words, and what the play surface sends."""

from __future__ import annotations

import re
from collections.abc import Mapping

from arpegon.core.document.model import Hookup, Project
from arpegon.core.notes.taps import IN, OUT
from arpegon.core.theory.controllers import cc_words
from arpegon.core.theory.pitch import written
from arpegon.processors.targets import name_of

KNOB_CC, PAD_NOTE, PAD_CHANNEL = 20, 36, 9
"""Knobs of the play surface send CC 20 to 27 on channel 1; its pads the notes 36 to 51 on channel 10."""


def surface_name(project: Project, hookup: Hookup) -> str:
    """What the control of a hookup is called on the play surface; empty where it has no name there."""
    if hookup.tap or hookup.feed not in ("", "surface"):
        return ""
    names, first = (project.surface.knobs, KNOB_CC) if hookup.control == "cc" else (project.surface.pads, PAD_NOTE)
    place = hookup.number - first
    here = hookup.control in ("cc", "note") and 0 <= place < len(names)
    return names[place] if here else ""


def taps_of(project: Project) -> dict[str, str]:
    """Every place in a strand where a control may be taken, in words: "enters Lamp room"."""
    found = {}
    for strand in project.strands:
        found[f"{strand.id}/{IN}"] = f"enters {strand.name}"
        for stage in strand.stages:
            found[f"{strand.id}/{stage.id}"] = f"leaves {name_of(project, stage.id)}"
        found[f"{strand.id}/{OUT}"] = f"leaves {strand.name}"
    return found


def control_words(hookup: Hookup, project: Project | None = None) -> str:
    """A control, as it is read: "CC 20, ch 1, Box"."""
    if hookup.control == "stage" and project is not None:
        return name_of(project, hookup.stage) or "an LFO that is gone"
    number = hookup.number
    names = {
        "cc": cc_words(number),
        "cc14": f"CC {number} and {number + 32}",
        "velocity": "velocity of keys",
        "note": f"note {written(number)}",
        "pressure": "pressure",
        "poly": f"pressure on {written(number)}",
        "bend": "pitch bend",
        "program": f"program {number}",
        "stage": "an LFO or contour",
    }
    words = names[hookup.control]
    if hookup.channel is not None and hookup.control != "stage":
        words += f", ch {hookup.channel + 1}"
    if hookup.tap:
        return f"{words}, {taps_of(project).get(hookup.tap, hookup.tap) if project is not None else hookup.tap}"
    port = hookup.feed.removeprefix("midi:")
    if hookup.feed.startswith("midi:") and port:
        words += f", {port}"
    return words


def in_own_words(words: str, own: Mapping[int, str]) -> str:
    """Words in which controllers stand as :func:`cc_words` has them, with the musician's own names."""
    for number in own:
        words = cc_words(number, own).join(re.split(rf"{re.escape(cc_words(number))}(?!\d)", words))
    return words


def controller_names(project: Project) -> dict[int, str]:
    """What the controllers of a project are called by its musician: by hookups, and by the knobs on the surface."""
    names = {KNOB_CC + place: name for place, name in enumerate(project.surface.knobs) if name}
    named = {one.number: one.name for one in project.hookups if one.control == "cc" and one.name}
    return {**names, **named}
