"""What can be turned, each by one address: by hookups, sections, and whoever else sets values while music plays.

An address is the id of a stage, source, instrument, strand or section (empty: the project) and the name of one of its
parameters, or of a part of one, counted from 1: ``deck-walk`` and ``patterns.2.3.note``, ``harbour`` and
``destinations.1.muted``, ``storm`` and ``holds.1`` (see :mod:`arpegon.core.processing.parts`).
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import lru_cache
from typing import Any

import msgspec

from arpegon.core.document import edits
from arpegon.core.document.hookup_values import HOOKABLE
from arpegon.core.document.model import (
    DELAY_RANGE,
    LEVEL_RANGE,
    MAX_ROUNDS,
    OFFSET_RANGE,
    ClickSource,
    ClipSource,
    Held,
    Hookup,
    Project,
    Section,
    Stage,
    Strand,
)
from arpegon.core.document.sections import ENDS, MAX_BARS, TRANSPORT_WAYS
from arpegon.core.processing.own_tempo import OWN_TEMPO
from arpegon.core.processing.parameters import (
    Channel,
    Choice,
    NoteKey,
    Number,
    Param,
    Part,
    PitchClass,
    Switch,
    scale_param,
    with_defaults,
)
from arpegon.core.processing.parts import place_in
from arpegon.core.time.clock import MAX_METER_BEATS, METER_UNITS, TEMPO_RANGE
from arpegon.processors.registry import processor_class
from arpegon.sound.sounds import SOUNDS

Target = tuple[str, str]
"""An address: the id of what is turned, and its parameter (or ``bypass``) or a part of one."""

TEMPO = Number(
    name="tempo",
    label="Tempo",
    default=120.0,
    low=TEMPO_RANGE[0],
    high=TEMPO_RANGE[1],
    step=0.1,
    help="Quarter notes a minute.",
)
"""The tempo of the project."""


def _table(*params: Param) -> dict[str, Param]:
    return {param.name: param for param in params}


_CHANNEL = Channel(name="channel", label="Channel", default=0, low=0, help="0 is all, or as it is played.")
_MUTED = Switch(name="muted", label="Muted", default=False, help="Whether it is silent.")
BYPASS = Switch(name="bypass", label="Bypass", default=False, help="Whether events pass it untouched.")

PROJECT_PARAMS = _table(
    TEMPO,
    PitchClass(name="key_root", label="Key", default="C", help="The root of the project's key."),
    scale_param(name="key_scale", label="Scale", default="ionian", help="The scale of the project's key."),
    Number(name="meter_beats", label="Beats in a bar", default=4, low=1, high=MAX_METER_BEATS, help="Of the meter."),
    Choice(
        name="meter_unit",
        label="Beats are",
        default="4",
        options={str(unit): f"1/{unit}" for unit in METER_UNITS},
        help="The note value of a beat of the meter.",
    ),
)
INSTRUMENT_PARAMS = _table(
    Number(
        name="level_db",
        label="Level",
        default=0.0,
        low=LEVEL_RANGE[0],
        high=LEVEL_RANGE[1],
        step=0.1,
        unit="dB",
        help="How loud it is.",
    ),
    Number(name="pan", label="Pan", default=0.0, low=-1.0, high=1.0, step=0.01, help="Left to right."),
    _MUTED,
    _CHANNEL,
    Choice(
        name="sound",
        label="Sound",
        default="felt-piano",
        options={sound.name: sound.label for sound in SOUNDS.values()},
        help="What it sounds like.",
    ),
)
WITHIN = Number(
    name="tempo_within",
    label="Comes to its tempo in",
    default=0,
    low=0,
    high=MAX_BARS,
    unit="bars",
    help="From the tempo of before; 0 is at once.",
)
OFFSET = Number(
    name="offset_ms",
    label="Later by",
    default=0.0,
    low=OFFSET_RANGE[0],
    high=OFFSET_RANGE[1],
    step=1.0,
    unit="ms",
    help="How much later it is played; below 0 it is early, and all others wait for it.",
)
DELAY = Number(
    name="delay_ms",
    label="Later by",
    default=0.0,
    low=DELAY_RANGE[0],
    high=DELAY_RANGE[1],
    step=1.0,
    unit="ms",
    help="How much later it is sent there, to line up instruments of different speed.",
)
STRAND_PARAMS = _table(
    _MUTED,
    Switch(name="solo", label="Solo", default=False, help="Whether only it sounds."),
    Switch(name="along", label="Goes along", default=False, help="Whether what is played sounds beside what is made."),
    Switch(name="plays_on", label="Plays on", default=False, help="Whether it goes on when the transport stops."),
    OFFSET,
)
SECTION_PARAMS = _table(
    Number(name="bars", label="Bars", default=8, low=1, high=MAX_BARS, help="How long it is."),
    WITHIN,
    Choice(name="then", label="Then", default="on", options=ENDS, help="What follows it."),
    Choice(
        name="transport",
        label="Transport",
        default="on",
        options=TRANSPORT_WAYS,
        help="What the transport does where it begins.",
    ),
)
_ZONE = _table(
    NoteKey(name="low_key", label="Lowest key", default=0, help="Where its zone begins."),
    NoteKey(name="high_key", label="Highest key", default=127, help="Where its zone ends."),
    Number(name="low_velocity", label="Softest", default=1, low=1, high=127, help="The softest stroke of its zone."),
    Number(name="high_velocity", label="Loudest", default=127, low=1, high=127, help="The loudest stroke of its zone."),
    _CHANNEL,
)
_DESTINATION = _table(_MUTED, _CHANNEL, DELAY)
_FADE = _table(
    Number(name="silent_at", label="Silent at", default=1, low=0, high=127, help="At this velocity nothing is struck."),
    Number(name="full_at", label="Full at", default=127, low=0, high=127, help="From here it is struck as it comes."),
)
_ROWS: dict[str, str] = {"sources": "source", "destinations": "destination"}
"""The rows of a strand, and what one of them is called."""


# -- declarations ------------------------------------------------------------------------------------


def params_of(project: Project, target: str) -> dict[str, Param]:
    """The whole parameters that hookups can set in a stage, source, instrument, strand or section (empty: in the
    project)."""
    if not target:
        return PROJECT_PARAMS
    found = project.find_stage(target)
    if found is not None:
        return {param.name: param for param in processor_class(found[1].kind).params if isinstance(param, HOOKABLE)}
    clip = project.clip(target)
    if clip is not None:
        return _clip_params(clip[2])
    if project.instrument(target) is not None:
        return INSTRUMENT_PARAMS
    if project.strand(target) is not None:
        return STRAND_PARAMS
    return SECTION_PARAMS if section_of(project, target) is not None else {}


def holdable(project: Project, target: str) -> dict[str, Param]:
    """The whole parameters that sections can hold: all of a stage or source, whether it is bypassed, and what hookups
    set. A section holds nothing of sections."""
    found = project.find_stage(target) if target else None
    if found is not None:
        return dict(_of_stage(found[1].kind))
    return {} if target and section_of(project, target) is not None else params_of(project, target)


def can_hold(project: Project, target: Target) -> bool:
    """Whether sections can hold what an address names."""
    name, _ = target
    return param_at(project, target) is not None and (not name or section_of(project, name) is None)


def part_names(project: Project, target: str) -> Iterator[str]:
    """The names of all parts that can be turned beside the whole parameters."""
    found = project.find_stage(target) if target else None
    if found is not None:
        values = with_defaults(processor_class(found[1].kind).params, found[1].params)
        for param in processor_class(found[1].kind).params:
            yield from (f"{param.name}.{name}" for name in param.parts(values[param.name]))
    strand = project.strand(target)
    for row in _ROWS if strand is not None and found is None else ():
        for number, one in enumerate(getattr(strand, row), start=1):
            yield from (f"{row}.{number}.{key}" for key in _row_params(row, one))
    section = section_of(project, target)
    for number in range(1, len(section.holds) + 1) if section is not None else ():
        yield f"holds.{number}"


def param_at(project: Project, target: Target) -> Param | None:
    """The declaration of what an address names; ``None`` where that is gone, or was never there."""
    found = _found(project, target)
    return None if found is None else found[0]


def declared(project: Project, hookup: Hookup) -> Param | None:
    """The declaration of the value that a hookup sets; ``None`` where it is gone, or cannot be turned."""
    param = param_at(project, (hookup.target, hookup.param))
    return param if isinstance(param, HOOKABLE) and hookup.param != "bypass" else None


def is_there(project: Project, target: Target) -> bool:
    """Whether a document has what a section holds."""
    return section_of(project, target[0]) is None and param_at(project, target) is not None


def section_of(project: Project, target: str) -> Section | None:
    """The section with an id; what else bears it comes first."""
    taken = any(find(target) for find in (project.find_stage, project.clip, project.instrument, project.strand))
    return None if taken else next((section for section in project.sections if section.id == target), None)


def _found(project: Project, target: Target) -> Part | None:
    """What an address names and what it is now."""
    name, key = target
    head, *rest = key.split(".")
    stage = project.find_stage(name) if name else None
    if stage is not None:
        whole = _of_stage(stage[1].kind).get(head)
        return None if whole is None else whole.part(_in_stage(stage[1], whole), rest)
    strand = project.strand(name)
    if head in _ROWS and strand is not None:
        return _in_row(strand, head, rest)
    section = section_of(project, name) if name else None
    if section is not None and head == "holds":
        return _held(project, section, rest)
    whole = holdable(project, name).get(head) or params_of(project, name).get(head)
    if whole is None:
        return None
    return whole.part(_whole(project, name, head), rest)


def _row_params(row: str, one: Any) -> dict[str, Param]:
    """What of a source or destination can be turned."""
    if row == "destinations":
        return _DESTINATION if one.silent_at is None else _DESTINATION | _FADE
    if isinstance(one, ClickSource):
        return {**_ZONE, **_table(_MUTED)}
    if not isinstance(one, ClipSource):
        return _ZONE
    choice = Number(
        name="choice", label="Clip", default=1, low=1, high=len(one.files), help="Which of its clips plays."
    )
    return {**_ZONE, "choice": choice}


CLIP_FIRST = Number(
    name="first",
    label="Begins at",
    default=0.0,
    low=0.0,
    high=1024.0,
    step=0.25,
    unit="beats",
    help="Where in its file a round begins.",
)
CLIP_ROUNDS = Number(
    name="rounds",
    label="Rounds",
    default=0,
    low=0,
    high=MAX_ROUNDS,
    help="How many an action starts; 0 goes on until it is stopped.",
)
CLIP_PARAMS = _table(
    _MUTED,
    Switch(name="loop", label="Loop", default=True, help="Whether it begins again at its end."),
    CLIP_FIRST,
    CLIP_ROUNDS,
    *OWN_TEMPO,
)
"""What of a clip can be turned, by its id."""
CLIP_BEATS = Number(
    name="beats",
    label="A round is",
    default=4.0,
    low=0.25,
    high=1024.0,
    step=0.25,
    unit="beats",
    help="How long it is.",
)


def _clip_params(source: ClipSource) -> dict[str, Param]:
    """What of a clip can be turned as it is: its length only where it has one of its own."""
    own = {"choice": _row_params("sources", source)["choice"]}
    return {**CLIP_PARAMS, **own, **({"beats": CLIP_BEATS} if source.beats is not None else {})}


def _in_row(strand: Strand, row: str, names: list[str]) -> Part | None:
    """A value of one of a strand's sources or destinations."""
    place = place_in(names[0], getattr(strand, row)) if len(names) == 2 else None
    if place is None:
        return None
    one = getattr(strand, row)[place]
    param = _row_params(row, one).get(names[1])
    if param is None:
        return None
    value = getattr(one, param.name)
    if param is _CHANNEL:
        value = 0 if value is None else value + 1
    return msgspec.structs.replace(param, label=f"{_ROWS[row]} {names[0]}, {param.label.lower()}"), value


def _held(project: Project, section: Section, names: list[str]) -> Part | None:
    """What a section holds, as something that can be turned."""
    place = place_in(names[0], section.holds) if len(names) == 1 else None
    if place is None:
        return None
    held = section.holds[place]
    param = param_at(project, held.place)
    return None if param is None else (param, held.value)


# -- values ------------------------------------------------------------------------------------------


@lru_cache(maxsize=256)
def _of_stage(kind: str) -> Mapping[str, Param]:
    """All whole parameters of a kind of stage, and whether it is bypassed."""
    return {"bypass": BYPASS} | {param.name: param for param in processor_class(kind).params}


def _in_stage(stage: Stage, whole: Param) -> Any:
    """The value of a whole parameter of a stage."""
    return stage.bypass if whole is BYPASS else with_defaults((whole,), stage.params)[whole.name]


def _whole(project: Project, name: str, key: str) -> Any:
    """The value of a whole parameter of what is no stage."""
    if not name:
        beats, unit = project.meter
        settings = {"key_root": project.key.root, "key_scale": project.key.scale}
        return {"tempo": project.tempo, **settings, "meter_beats": beats, "meter_unit": str(unit)}[key]
    clip = project.clip(name)
    if clip is not None:
        return getattr(clip[2], key)
    one = project.instrument(name) or project.strand(name) or section_of(project, name)
    value = getattr(one, key)
    return (0 if value is None else value + 1) if key == "channel" else value


def value_now(project: Project, target: str, key: str) -> Any:
    """The value of an address in a document.

    Raises:
        KeyError: there is no such parameter or part.
    """
    found = _found(project, (target, key))
    if found is None:
        raise KeyError(key)
    return found[1]


def with_value(project: Project, target: Target, value: Any) -> Project:
    """The document with one value set; an address that leads nowhere changes nothing."""
    name, key = target
    head, *rest = key.split(".")
    if _found(project, target) is None:
        return project
    if head in _ROWS and project.find_stage(name) is None:
        value = _channel(value) if rest[-1] == "channel" else value
        return edits.edit_strand(project, name, lambda strand: _with_in_row(strand, head, rest, value))
    section = section_of(project, name) if name else None
    if section is not None:
        return edits.set_section(project, name, **_in_section(section, head, rest, value))
    if rest:
        value = holdable(project, name)[head].with_part(value_now(project, name, head), rest, value)
    if not name:
        return edits.set_project(project, **_in_project(project, head, value))
    if project.find_stage(name) is not None:
        if head == "bypass":
            return edits.set_bypass(project, name, value)
        return edits.set_params(project, name, {head: value})
    clip = project.clip(name)
    if clip is not None:
        return edits.set_source(project, clip[0].id, clip[1], msgspec.structs.replace(clip[2], **{head: value}))
    if project.instrument(name) is not None:
        return edits.set_instrument(project, name, **{head: _channel(value) if head == "channel" else value})
    return edits.set_strand(project, name, **{head: value})


def _channel(number: int) -> int | None:
    """A channel as the document has it: from 0, and ``None`` for all, or as it is played."""
    return None if number == 0 else number - 1


def _with_in_row(strand: Strand, row: str, names: list[str], value: Any) -> Strand:
    ones = list(getattr(strand, row))
    place = int(names[0]) - 1
    ones[place] = msgspec.structs.replace(ones[place], **{names[1]: value})
    return msgspec.structs.replace(strand, **{row: tuple(ones)})


def _in_section(section: Section, head: str, names: list[str], value: Any) -> dict[str, Any]:
    if head != "holds":
        return {head: value}
    holds = list(section.holds)
    place = int(names[0]) - 1
    holds[place] = msgspec.structs.replace(holds[place], value=value)
    return {"holds": tuple(holds)}


def _in_project(project: Project, key: str, value: Any) -> dict[str, Any]:
    if key == "tempo":
        return {"tempo": value}
    if key.startswith("meter"):
        beats, unit = project.meter
        return {"meter": (value, unit) if key == "meter_beats" else (beats, int(value))}
    root = value if key == "key_root" else project.key.root
    scale = value if key == "key_scale" else project.key.scale
    return {"key": type(project.key)(root, scale)}


def differs(project: Project, other: Project, target: Target) -> bool:
    """Whether two documents have different values for an address, or one of them has no such."""
    try:
        return bool(value_now(project, *target) != value_now(other, *target))
    except KeyError:
        return True


# -- words -------------------------------------------------------------------------------------------


def held_words(project: Project, held: Held) -> str | None:
    """What a section holds, in words: "Deck steps: muted"; ``None`` where it is gone."""
    param = param_at(project, held.place) if is_there(project, held.place) else None
    if param is None:
        return None
    where = name_of(project, held.target)
    label = f"{where}: {param.label[:1].lower()}{param.label[1:]}" if where else param.label
    if isinstance(param, Switch):
        return label if held.value else label.replace(": ", ": not ", 1)
    return f"{label} {param.text(held.value)}"


def name_of(project: Project, target: str) -> str | None:
    """What a stage, source, instrument, strand or section is called; ``None`` for the project, and for what is gone."""
    found = project.find_stage(target)
    if found is not None:
        return f"{processor_class(found[1].kind).label} in {found[0].name}"
    clip = project.clip(target)
    if clip is not None:
        return f"clip {clip[2].plays or clip[2].id} in {clip[0].name}"
    instrument = project.instrument(target)
    if instrument is not None:
        return f"instrument {instrument.id}"
    strand = project.strand(target)
    if strand is not None:
        return strand.name
    section = section_of(project, target)
    return f"section {section.name}" if section is not None else None
