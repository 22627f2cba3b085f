"""Writes the generated pages of docs/: processors, keys of project files, OSC, and the JSON Schema of project files."""

from __future__ import annotations

from pathlib import Path

from arpegon.engine.live.osc import osc_page
from arpegon.files.format_page import keys_page
from arpegon.files.schema import processors_page, project_schema, schema_text

DOCS = Path(__file__).resolve().parent.parent / "docs"


def main() -> None:
    """Write them."""
    (DOCS / "processors.md").write_text(processors_page(), encoding="utf-8")
    (DOCS / "file-keys.md").write_text(keys_page(), encoding="utf-8")
    (DOCS / "osc.md").write_text(osc_page(), encoding="utf-8")
    (DOCS / "project.schema.json").write_text(schema_text(project_schema()), encoding="utf-8")


if __name__ == "__main__":
    main()
