"""The project file: JSON that people can read and write.

Between file and document two things change form: channels are 1-16 in files and 0-15 in code, and keys of
zones are written as names (``"C3"``) and read as names or numbers.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec

from arpegon.core.document.model import FORMAT, Project
from arpegon.core.errors import ArpegonError, DocumentError, FileError, ParameterError, shown
from arpegon.core.theory.pitch import ascii_name, note_name, parse_note
from arpegon.files.atomic import read_bytes, write_atomic
from arpegon.files.json_text import OddJson, format_json, parse_json
from arpegon.files.migrations import migrated, newest
from arpegon.files.validation import validated

SUFFIX = ".arpegon"
_NOTES = ("low_key", "high_key", "bar_note", "beat_note")


def load_project(path: Path) -> Project:
    """Read a project file.

    Raises:
        FileError: it cannot be read or is no sound project; the sentence names the place of the damage.
    """
    return parse_project(read_bytes(path), str(path))


def save_project(project: Project, path: Path) -> None:
    """Write a project file, whole or not at all.

    Raises:
        FileError: it cannot be written; the file on disk is as it was.
    """
    write_atomic(path, format_project(project))


def parse_project(content: bytes, name: str = "the project") -> Project:
    """The project in the bytes of a file called ``name``.

    Raises:
        FileError: see :func:`load_project`.
    """
    return project_of(read_tree(content, name, FORMAT, "an Arpegon project"), name)


def read_tree(content: bytes, name: str, format: str, what: str) -> dict[str, Any]:
    """The JSON object in the bytes of a file of ours, whose mark is right, as the newest version has it.

    Args:
        content: UTF-8 text.
        name: the file's name, for sentences.
        format: the mark under its key ``format``.
        what: what it should be, with its article.

    Raises:
        FileError: it is something else, or damaged; the sentence names the place of the damage.
    """
    try:
        tree = parse_json(content.decode("utf-8-sig"))
    except UnicodeDecodeError as error:
        raise FileError(f"“{name}” is not {what}: byte {error.start} is not UTF-8 text.") from None
    except json.JSONDecodeError as error:
        where = f"line {error.lineno}, column {error.colno}"
        raise FileError(f"“{name}” is damaged at {where}: {error.msg.lower()}.") from None
    except OddJson as odd:
        raise FileError(f"“{name}” cannot be read: {odd}.") from None
    except (RecursionError, ValueError):
        raise FileError(f"“{name}” is not {what}: it cannot be made sense of as JSON.") from None
    if not isinstance(tree, dict) or tree.get("format") != format:
        raise FileError(f'“{name}” is not {what}: it does not begin with "format": "{format}".')
    version = tree.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or not 1 <= version <= newest(format):
        known = "version 1" if newest(format) == 1 else f"versions 1 to {newest(format)}"
        raise FileError(
            f"“{name}” is of version {shown(version)}; this Arpegon reads {known}. A newer Arpegon may open it."
        )
    return migrated(tree, format, version)


def project_of(tree: dict[str, Any], name: str) -> Project:
    """The project in the tree of a file called ``name``, checked.

    Raises:
        FileError: it does not hold together; the sentence names the place.
    """
    try:
        return validated(msgspec.convert(_converted(tree, _from_file), Project))
    except msgspec.ValidationError as error:
        raise FileError(f"“{name}”: {_plain(str(error))}") from None
    except RecursionError:
        raise FileError(f"“{name}” is nested too deeply to be a file of ours.") from None
    except ArpegonError as error:
        raise FileError(f"“{name}”: {error}") from None


def format_project(project: Project) -> bytes:
    """The bytes of a project file; short lists stay on one line, so that people can read it."""
    tree = _converted(msgspec.to_builtins(project), _to_file)
    for key in ("takes", "clock", "surface"):
        if not tree[key]:
            del tree[key]
    for entry in (tree, *tree["strands"], *tree["instruments"]):
        for key in [key for key, value in entry.items() if (key, value) in _UNSAID]:
            del entry[key]
    return format_json(tree).encode()


_UNSAID = (
    ("on_stop", "stay"),
    ("count_in", 0),
    ("along", False),
    ("own_outputs", False),
    ("plays_on", False),
    ("offset_ms", 0.0),
    ("offset", ""),
    ("ink", None),
    ("channel", None),
)
"""What is left out where it is at its default, so that files stay short."""


def _from_file(key: str, value: Any) -> Any:
    if key in _NOTES:
        return parse_note(value)
    if key == "channel" and value is not None:
        if isinstance(value, bool) or not isinstance(value, int) or not 1 <= value <= 16:
            raise ParameterError(f"a channel cannot be {shown(value)}: channels run from 1 to 16.")
        return value - 1
    return value


def _to_file(key: str, value: Any) -> Any:
    if key in _NOTES:
        return ascii_name(note_name(value))
    if key == "channel" and value is not None:
        return value + 1
    return value


def _converted(tree: dict[str, Any], convert: Callable[[str, Any], Any]) -> dict[str, Any]:
    """The tree with its instruments, hookups, the sources and destinations of its strands and what its sections send
    converted."""

    def entry(where: str, one: Any) -> Any:
        if not isinstance(one, dict):
            return one
        return {key: _at(where, key, convert, value) for key, value in one.items()}

    def parts(*names: str) -> Callable[[str, Any], Any]:
        def holder(where: str, one: Any) -> Any:
            if not isinstance(one, dict):
                return one
            there = [name for name in names if name in one]
            return {**one, **{name: _each(one[name], f"the {name} of {where}", entry) for name in there}}

        return holder

    kinds = {
        "instruments": ("instrument {}", entry),
        "hookups": ("hookup {}", entry),
        "strands": ("strand {}", parts("sources", "destinations")),
        "sections": ("section {}", parts("sends")),
    }
    return {**tree, **{name: _each(tree[name], *how) for name, how in kinds.items() if name in tree}}


def _each(value: Any, where: str, convert: Callable[[str, Any], Any]) -> Any:
    """Each of a list converted, with its place in words (``{}`` is its number); what is no list stays as it is."""
    if not isinstance(value, (list, tuple)):
        return value
    return [convert(where.format(number), one) for number, one in enumerate(value, start=1)]


def _at(where: str, key: str, convert: Callable[[str, Any], Any], value: Any) -> Any:
    try:
        return convert(key, value)
    except ParameterError as error:
        raise DocumentError(f"in {where}, {key}: {error}") from None


_UNKNOWN = re.compile(r"Object contains unknown field `(.+?)`")
_MISSING = re.compile(r"Object missing required field `(.+?)`")
_KIND = re.compile(r"Expected `(.+?)`(?: of length (\d+))?, got `?([\w ]+?)`?(?: of length \d+)?$")
_INVALID = re.compile(r"Invalid (?:enum )?value (.*)")
_KINDS = {
    "str": "text",
    "int": "a whole number",
    "float": "a number",
    "bool": "true or false",
    "object": "an object in braces",
    "dict": "an object in braces",
    "array": "a list",
    "list": "a list",
    "null": "null",
    "NoneType": "null",
}


def _plain(text: str) -> str:
    """A validation message in our words, with its place."""
    message, _, place = text.partition(" - at ")
    place = place.strip("`").removeprefix("$").removeprefix(".") or "the top"
    if found := _UNKNOWN.search(message):
        return f"at {place} there is an unknown key “{found.group(1)}”."
    if found := _MISSING.search(message):
        return f"at {place} the key “{found.group(1)}” is missing."
    if found := _KIND.match(message):
        wanted = " or ".join(_KINDS.get(kind, kind) for kind in found.group(1).split(" | "))
        if found.group(2):
            return f"at {place}: {wanted} of {found.group(2)} belongs here, and there are {found.group(3)}."
        return f"at {place}: {wanted} belongs here, not {_KINDS.get(found.group(3), found.group(3))}."
    if found := _INVALID.match(message):
        known = ", ".join(f"“{one}”" for one in _allowed_at(place))
        return f"at {place}: {found.group(1)} is none of what may stand here{f': {known}' if known else ''}."
    return f"at {place}: {message[:1].lower()}{message[1:].replace('`', '“', 1).replace('`', '”', 1)}."


def _allowed_at(place: str) -> list[str]:
    """What may stand at a place of a project where only some words may, such as ``strands[0].sources[1].kind``."""
    types: list[Any] = [msgspec.inspect.type_info(Project)]
    for name in re.findall(r"[^.\[\]]+", place):
        inner: list[Any] = []
        for one in types:
            if name == "..." or name.isdecimal():
                inner += getattr(one, "item_types", None) or [one.item_type] if hasattr(one, "item_type") else []
            elif getattr(one, "tag_field", None) == name:
                inner.append(msgspec.inspect.LiteralType((one.tag,)))
            else:
                inner += [field.type for field in getattr(one, "fields", ()) if field.encode_name == name]
        types = [kind for one in inner for kind in getattr(one, "types", (one,))]
    values = [value for one in types for value in getattr(one, "values", ())]
    return list(dict.fromkeys(str(value) for value in values))
