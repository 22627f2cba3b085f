"""JSON as people read it: indented, with short lists on one line; and read so that nothing in it is lost unsaid."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from arpegon.core.errors import FileError
from arpegon.files.atomic import read_bytes

T = TypeVar("T")
_WIDEST = 100
"""The longest list that stands on one line, in characters."""
_STEP = "  "
_encode = json.JSONEncoder(ensure_ascii=False, allow_nan=False).encode


class OddJson(ValueError):
    """JSON that says what we cannot take without losing something: in a sentence's words."""


def parse_json(text: str) -> Any:
    """The tree that a text says.

    Raises:
        json.JSONDecodeError: it is no JSON.
        OddJson: a key stands twice in it, a number is not finite, or there is half a character.
        RecursionError: it is nested too deeply.
    """
    tree = json.loads(text, parse_constant=_finite, parse_float=_finite, object_pairs_hook=_unique)
    if "\\u" in text:
        try:
            json.dumps(tree, ensure_ascii=False).encode()
        except UnicodeEncodeError:
            raise OddJson("there is half a character in it (a lone surrogate)") from None
    return tree


def _finite(text: str) -> float:
    number = float(text)
    if not math.isfinite(number):
        raise OddJson(f"the number {text} is not finite")
    return number


def _unique(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        keys = [key for key, _ in pairs]
        twice = next(key for key in keys if keys.count(key) > 1)
        raise OddJson(f"the key “{twice}” stands twice in one place")
    return found


def read_own(path: Path, type: type[T]) -> T:
    """What we wrote to a file of our own.

    Raises:
        FileError: it is not there, cannot be read, or holds anything else.
    """
    try:
        return msgspec.json.decode(read_bytes(path), type=type)
    except (msgspec.DecodeError, UnicodeDecodeError):
        raise FileError(f"“{path}” holds what cannot be made sense of.") from None


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
        return (
            "[\n" + (_rows(value, inner) or ",\n".join(f"{inner}{_text(one, inner)}" for one in value)) + f"\n{indent}]"
        )
    return _plain(value)


def _rows(value: Any, indent: str) -> str:
    """Many rows that stand on a line each, as those of takes, in one go; nothing where they are of another kind."""
    if not all(isinstance(row, (list, tuple)) and row for row in value):
        return ""
    text = _encode(value)
    if "{" in text or not text.count("[") == text.count("]") == len(value) + 1:
        return ""  # what is in the rows, or its strings, might be taken for their ends
    rows = text[2:-2].split("], [")
    return ",\n".join(f"{indent}[{row}]" for row in rows) if max(map(len, rows)) <= _WIDEST - 2 else ""


def _plain(value: Any) -> str:
    return _encode(value)
