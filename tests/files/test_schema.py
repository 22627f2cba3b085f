"""The generated docs are current, and the schema takes what the program takes."""

from __future__ import annotations

import json
from pathlib import Path

import jsonschema
import pytest
from test_files import DAMAGE, FULL

from arpegon.core.document.model import ClipSource, ClockSettings, Hookup, PortDestination, Section, Strand
from arpegon.engine.live.osc import osc_page
from arpegon.files.format_page import keys_page
from arpegon.files.places import DEMO
from arpegon.files.project import format_project
from arpegon.files.schema import processors_page, project_schema, schema_text
from arpegon.processors import PROCESSORS

DOCS = Path(__file__).resolve().parents[2] / "docs"
CHECK = jsonschema.Draft202012Validator(project_schema())


def test_the_pages_in_docs_are_current():
    assert (DOCS / "processors.md").read_text(encoding="utf-8") == processors_page(), "run make docs"
    assert (DOCS / "file-keys.md").read_text(encoding="utf-8") == keys_page(), "run make docs"
    assert (DOCS / "osc.md").read_text(encoding="utf-8") == osc_page(), "run make docs"
    assert (DOCS / "project.schema.json").read_text(encoding="utf-8") == schema_text(project_schema()), "run make docs"


def test_every_parameter_is_documented():
    page = processors_page()
    for kind, processor in PROCESSORS.items():
        assert f"`{kind}`" in page
        assert all(f"| `{param.name}` |" in page for param in processor.params)


@pytest.mark.parametrize("content", [DEMO.read_bytes(), format_project(FULL)], ids=["demo", "full"])
def test_the_schema_takes_sound_projects(content):
    CHECK.validate(json.loads(content))


def test_the_schema_refuses_what_the_program_refuses_by_shape():
    refused = 0
    for text, words in DAMAGE:
        if "damaged" in words or "made sense" in words or words in ("line 1", "stands twice", "loop", "H", "H9"):
            continue  # syntax, and rules that no schema can state
        if not CHECK.is_valid(json.loads(text)):
            refused += 1
    assert refused >= 15


def test_every_key_of_every_part_of_a_project_has_its_row():
    """Some thirty keys that files had stood nowhere."""
    page = keys_page()
    for name, one in project_schema()["$defs"].items():
        table = page.partition(f"## {name}\n")[2].partition("\n## ")[0]
        for key in one.get("properties", {}):
            assert f"| `{key}` |" in table, f"{name} has no row for {key}"
    for struct in (ClipSource, Hookup, Section, ClockSettings, Strand, PortDestination):
        table = page.partition(f"## {struct.__name__}\n")[2].partition("\n## ")[0]
        assert all(f"| `{key}` |" in table for key in struct.__struct_fields__ if key != "grid")
