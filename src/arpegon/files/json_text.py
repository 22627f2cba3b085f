"""JSON as people read it: indented, with short lists on one line."""

from __future__ import annotations

import json
from typing import Any

_WIDEST = 100
"""The longest list that stands on one line, in characters."""
_STEP = "  "


def format_json(tree: Any) -> str:
    """The text of a tree of dicts, lists and what JSON knows besides, with a line end.

    Raises:
        ValueError: a number in it is not finite, which JSON cannot say.
    """
    return _text(tree, "") + "\n"


def _text(value: Any, indent: str) -> str:
    inner = indent + _STEP
    if isinstance(value, dict) and value:
        lines = [f"{inner}{_plain(key)}: {_text(one, inner)}" for key, one in value.items()]
        return "{\n" + ",\n".join(lines) + f"\n{indent}}}"
    if isinstance(value, (list, tuple)) and value:
        if not any(isinstance(one, (dict, list, tuple)) for one in value):
            line = _plain(value)
            if len(line) <= _WIDEST:
                return line
        return "[\n" + ",\n".join(f"{inner}{_text(one, inner)}" for one in value) + f"\n{indent}]"
    return _plain(value)


def _plain(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False, allow_nan=False)
