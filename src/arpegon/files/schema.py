"""The JSON Schema of project files and the page of the processors, both from the declarations."""

from __future__ import annotations

import json
from collections.abc import Mapping
from inspect import cleandoc
from typing import Any

import msgspec

from arpegon.core.document.model import FORMAT, GENERATOR_SOURCES, VERSION, Project
from arpegon.core.document.sections import MAX_BARS
from arpegon.core.processing.parameters import NOTE_SCHEMA, Choice, NoteKey, Param
from arpegon.core.processing.processor import Processor
from arpegon.core.theory.chords import CHORD_TYPES, STACKS
from arpegon.core.theory.scales import ALIASES, SCALES
from arpegon.core.time.clock import TEMPO_RANGE
from arpegon.core.time.rhythm import NOTE_VALUES
from arpegon.files.validation import INKS
from arpegon.processors import GENERATORS, PROCESSORS, WORKS
from arpegon.processors.actions import ACTIONS
from arpegon.processors.registry import LISTENINGS
from arpegon.processors.stages.pads import BOUNDS
from arpegon.sound import SOUNDS

_DIALECT = "https://json-schema.org/draft/2020-12/schema"
_CHANNEL = {
    "description": "A MIDI channel; null or left out: all channels (sources, instruments), as played (destinations).",
    "oneOf": [{"type": "integer", "minimum": 1, "maximum": 16}, {"type": "null"}],
}


_NOTES = {"low_key": "C-1", "high_key": "G9", "bar_note": "E5", "beat_note": "F5"}


def project_schema() -> dict[str, Any]:
    """The JSON Schema of a project file, as people write it."""
    (_, components) = msgspec.json.schema_components([Project], ref_template="#/$defs/{name}")
    for schema in components.values():
        if "description" in schema:  # releases of the library differ in whether they are indented
            schema["description"] = cleandoc(schema["description"])
        properties = schema.get("properties", {})
        for key in properties.keys() & _NOTES.keys():
            properties[key] = {**NOTE_SCHEMA, "default": _NOTES[key]}
        if "channel" in properties:
            properties["channel"] = _CHANNEL
    project = components["Project"]["properties"]
    project["format"] = {"const": FORMAT}
    project["version"] = {"const": VERSION}
    project["count_in"] |= {"minimum": 0, "maximum": 8}
    project["tempo"] |= {"minimum": TEMPO_RANGE[0], "maximum": TEMPO_RANGE[1]}
    components["Project"]["required"] = ["format", "version"]
    components["Instrument"]["properties"]["sound"] = {"enum": list(SOUNDS)}
    ink = {"type": "integer", "minimum": 0, "maximum": INKS - 1}
    components["Strand"]["properties"]["ink"] = {"oneOf": [ink, {"type": "null"}], "default": None}
    components["Key"]["properties"]["scale"] = {"enum": [*SCALES, *ALIASES], "default": "ionian"}
    components["Hookup"]["properties"]["action"] |= {"enum": ["", *ACTIONS]}
    components["Section"]["properties"]["bars"] |= {"minimum": 1, "maximum": MAX_BARS}
    components["Stage"] = _stage_schema()
    for kind, processor in GENERATORS.items():
        generator = components[GENERATOR_SOURCES[kind].__name__]
        generator["description"] = processor.summary
        generator["properties"]["params"] = _params_schema(processor)
    listening = [{"title": cls.label, **_params_schema(cls)} for cls in LISTENINGS.values()]
    components["AudioSource"]["properties"]["params"] = {"anyOf": listening}
    return {
        "$schema": _DIALECT,
        "title": "Arpegon project",
        "description": f"A project file of Arpegon, format version {VERSION}.",
        "$ref": "#/$defs/Project",
        "$defs": components,
    }


def _stage_schema() -> dict[str, Any]:
    kinds = []
    for kind, processor in PROCESSORS.items():
        properties = {
            "id": {"type": "string"},
            "kind": {"const": kind},
            "bypass": {"type": "boolean", "default": False},
            "params": _params_schema(processor),
        }
        kinds.append(
            {
                "title": processor.label,
                "description": processor.summary,
                "type": "object",
                "required": ["id", "kind"],
                "additionalProperties": False,
                "properties": properties,
            }
        )
    return {"oneOf": kinds}


PARTS = {
    r"^[a-z_]+(\.[a-zA-Z0-9_]+)+$": {"description": "A single value inside one, by its address: patterns.1.3.note."}
}


def _params_schema(processor: type[Processor]) -> dict[str, Any]:
    properties = {
        param.name: {"description": param.help, "default": param.default, **param.schema()}
        for param in processor.params
    }
    return {"type": "object", "additionalProperties": False, "properties": properties, "patternProperties": PARTS}


def processors_page() -> str:
    """The Markdown page of all processors."""
    lines = [
        "# Processors",
        "",
        "<!-- Written by `make docs` from the declarations in src/arpegon/processors; changes belong there. -->",
        "",
        "Each stage of a strand is one of these. In a project file a stage reads",
        '`{"id": "s1", "kind": "humanize", "bypass": false, "params": {"low": 85}}`; a parameter that is left out has',
        "its default. What a stage does not mean to change passes it untouched and in order. Steps, rings and rebound",
        'are sources, and stand among the sources of a strand: `{"kind": "steps", "id": "deck", "params": {}}`.',
        'Audio sources hear hits or pitch: `{"kind": "audio", "id": "crate", "listen": "hits", "params": {}}`.',
    ]
    for kind, processor in WORKS.items():
        lines += ["", f"## {processor.label} (`{kind}`)", "", processor.summary, ""]
        details = (processor.__doc__ or "").strip().split("\n\n", 1)
        if len(details) > 1:
            lines += [" ".join(line.strip() for line in details[1].splitlines()).replace("``", "`"), ""]
        lines += ["| parameter | takes | default | what it does |", "|---|---|---|---|"]
        lines += [_row(param) for param in processor.params]
    lines += ["", "## Scales", "", "| name | intervals in semitones |", "|---|---|"]
    lines += [f"| `{scale.name}` | {' '.join(map(str, scale.intervals))} |" for scale in SCALES.values()]
    aliases = ", ".join(f"`{alias}` for `{name}`" for alias, name in ALIASES.items())
    lines += ["", f"Also read: {aliases}.", "", *_note_values(), "", *_chords(), "", *_actions(), ""]
    return "\n".join(lines)


def _note_values() -> list[str]:
    return [
        "## Note values",
        "",
        "In the order in which a hookup goes over them, which is also how its output range counts them (from 0):",
        f"{', '.join(f'`{value}`' for value in NOTE_VALUES)}.",
        "",
        "`T` is a triplet, `D` dotted. Any fraction of 1, 2, 4 … 64, any number of bars up to 99, and `5 in 4`",
        "(five steps in four beats) are read as well.",
    ]


def _chords() -> list[str]:
    stacks = [f"| `{name}` | {' '.join(str(1 + degree) for degree in degrees)} |" for name, degrees in STACKS.items()]
    return [
        "## Chords",
        "",
        "A pad of *Chord* has these fields; those that are left out are as said.",
        "",
        *("| field | takes | what it is |", "|---|---|---|"),
        f"| `trigger` | {_A_NOTE} | The key that plays it. It must be there. |",
        "| `root`, `quality` | a note name, and a quality as below | A chord by name; where left out `C`, `major`. |",
        "| `degree`, `stack` | 1 to 12, and a stack as below | A chord of the key, which moves with it; `triad`. |",
        *(f"| `{name}` | {low} to {high} | {_PAD_WORDS[name]}; 0. |" for name, (low, high) in BOUNDS.items()),
        "| `group` | a name | What its tile shows, so that pads that belong together are seen. |",
        "",
        *("| quality | intervals in semitones |", "|---|---|"),
        *(f"| `{name}` | {' '.join(map(str, tones))} |" for name, tones in CHORD_TYPES.items()),
        "",
        *("| stack | degrees of the scale above its own |", "|---|---|"),
        *stacks,
    ]


_A_NOTE = NoteKey(name="", label="", help="", default=0).range_text
_PAD_WORDS = {"inversion": "How often its lowest note goes up an octave, or its highest down", "register": "Octaves"}
_DONE_WITH = {"": "", "stage": "a stage or source", "pattern": "what has patterns", "strand": "a strand"}
_DONE_WITH["start"] = "what an action starts"


def _actions() -> list[str]:
    return [
        "## Actions of hookups",
        "",
        'A hookup reads `{"id": "h1", "control": "cc", "number": 20, "target": "s1", "param": "low"}`, or has an',
        "`action` in the place of `param`: one of these.",
        "",
        *("| action | what it does | its `target` | its `value` |", "|---|---|---|---|"),
        *(f"| `{name}` | {one.label} | {_DONE_WITH[one.on]} | {one.value.lower()} |" for name, one in ACTIONS.items()),
    ]


def _row(param: Param) -> str:
    takes = param.range_text
    if isinstance(param, Choice) and len(param.options) > 12:
        takes = "the name of a scale (see below)"
    return f"| `{param.name}` | {takes} | `{json.dumps(param.default)}` | {param.help} |"


def schema_text(schema: Mapping[str, Any]) -> str:
    """A schema as it stands in its file."""
    return json.dumps(schema, ensure_ascii=False, indent=2) + "\n"
