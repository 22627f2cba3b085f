"""The JSON Schema of project files and the page of the processors, both from the declarations."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

import msgspec

from arpegon.core.document.model import FORMAT, GENERATOR_SOURCES, VERSION, Project
from arpegon.core.document.sections import MAX_BARS
from arpegon.core.processing.parameters import NOTE_SCHEMA, Choice, Param
from arpegon.core.processing.processor import Processor
from arpegon.core.theory.scales import ALIASES, SCALES
from arpegon.core.time.clock import TEMPO_RANGE
from arpegon.files.validation import INKS
from arpegon.processors import GENERATORS, PROCESSORS, WORKS
from arpegon.processors.registry import LISTENINGS
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


def _params_schema(processor: type[Processor]) -> dict[str, Any]:
    properties = {
        param.key: {"description": param.help, "default": param.default, **param.schema()} for param in processor.params
    }
    return {"type": "object", "additionalProperties": False, "properties": properties}


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
    return "\n".join([*lines, "", f"Also read: {aliases}.", ""])


def _row(param: Param) -> str:
    takes = param.range_text
    if isinstance(param, Choice) and len(param.options) > 12:
        takes = "the name of a scale (see below)"
    return f"| `{param.key}` | {takes} | `{json.dumps(param.default)}` | {param.help} |"


def schema_text(schema: Mapping[str, Any]) -> str:
    """A schema as it stands in its file."""
    return json.dumps(schema, ensure_ascii=False, indent=2) + "\n"
