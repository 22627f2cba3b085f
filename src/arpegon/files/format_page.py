"""docs/file-keys.md: every key that a project file may have, generated from the schema and the structs."""

from __future__ import annotations

import ast
import inspect
import json
from collections.abc import Iterator, Mapping
from itertools import pairwise
from types import ModuleType
from typing import Any

from arpegon.core.document import model
from arpegon.core.notes import course, takes
from arpegon.core.theory import scales
from arpegon.files.schema import project_schema

_MODULES: tuple[ModuleType, ...] = (model, takes, course, scales)


def keys_page() -> str:
    """The page as Markdown: a table for each kind of object, with key, values, default and meaning."""
    lines = [
        "# Every key of a project file",
        "",
        "Written by `make docs` from the schema. [file-format.md](file-format.md) explains how the parts fit together.",
        "A key without a default is required.",
        "",
    ]
    meanings = dict(_meanings())
    for name, one in project_schema()["$defs"].items():
        properties = one.get("properties", {})
        if not properties:
            continue
        lines += [f"## {name}", "", _plain(one.get("description", "")), ""]
        lines += ["| key | values | default | meaning |", "|---|---|---|---|"]
        for key, value in properties.items():
            default = "required" if key in one.get("required", ()) else _default(value)
            meaning = meanings.get((name, key)) or value.get("description", "")
            lines.append(f"| `{key}` | {_values(value)} | {default} | {_plain(meaning)} |")
        lines.append("")
    return "\n".join(lines)


def _default(value: Mapping[str, Any]) -> str:
    if "const" in value:
        return f"`{json.dumps(value['const'])}`"
    if "enum" in value and len(value["enum"]) == 1:
        return f"`{json.dumps(value['enum'][0])}`"
    return f"`{json.dumps(value['default'], ensure_ascii=False)}`" if "default" in value else "none"


def _values(value: Mapping[str, Any]) -> str:
    """The values that a property may have, in a few words."""
    if "const" in value:
        return f"`{json.dumps(value['const'])}`"
    if "enum" in value:
        return ", ".join(f"`{json.dumps(one)}`" for one in value["enum"])
    if "$ref" in value:
        name = value["$ref"].rpartition("/")[2]
        return f"[{name}](#{name.lower()})"
    for word in ("anyOf", "oneOf"):
        if word in value:
            return " or ".join(_values(one) for one in value[word])
    if value.get("type") == "array":
        items = value.get("items") or {}
        return f"a list of {_values(items)}" if items else "a list"
    low, high = value.get("minimum"), value.get("maximum")
    bounds = f", {low:g} to {high:g}" if low is not None and high is not None else ""
    return str(value.get("type", "any")) + bounds


def _plain(text: str) -> str:
    return " ".join(text.replace("``", "`").replace("|", "\\|").split())


def _meanings() -> Iterator[tuple[tuple[str, str], str]]:
    """By class and field, the docstring under the field; what a class inherits, too."""
    found: dict[str, tuple[list[str], dict[str, str]]] = {}
    for module in _MODULES:
        for node in ast.parse(inspect.getsource(module)).body:
            if isinstance(node, ast.ClassDef):
                bases = [base.id for base in node.bases if isinstance(base, ast.Name)]
                found[node.name] = bases, dict(_field_docstrings(node))
    for name in found:
        chain = [name]
        for one in chain:
            chain += found.get(one, ([], {}))[0]
        for one in reversed(chain):
            yield from (((name, key), text) for key, text in found.get(one, ([], {}))[1].items())


def _field_docstrings(node: ast.ClassDef) -> Iterator[tuple[str, str]]:
    for field, after in pairwise(node.body):
        is_text = isinstance(after, ast.Expr) and isinstance(after.value, ast.Constant)
        if isinstance(field, ast.AnnAssign) and isinstance(field.target, ast.Name) and is_text:
            yield field.target.id, str(after.value.value)  # type: ignore[attr-defined]
