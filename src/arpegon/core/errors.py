"""The one family of errors whose text is meant for the musician."""

import json
import re

_LONGEST_SHOWN = 60
"""Characters of a value in a sentence."""


def shown(value: object) -> str:
    """A value as a sentence shows it: as files have it, and shortened where it is long."""
    try:
        text = f"“{value}”" if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
    except (TypeError, ValueError, RecursionError):
        text = repr(value)
    return text if len(text) <= _LONGEST_SHOWN else f"{text[:_LONGEST_SHOWN]} …"


_LONGEST_WORD = 300
_LONGEST_TEXT = 900


class ArpegonError(Exception):
    """Something went wrong that the user can act on; the text is one plain sentence.

    Where a file's content makes it endless, it is shortened.
    """

    def __init__(self, text: str) -> None:
        text = re.sub(rf"(\S{{{_LONGEST_WORD}}})\S+?(\S{{0,3}})(?=\s|$)", r"\1…\2", text)
        if len(text) > _LONGEST_TEXT:
            text = f"{text[: _LONGEST_TEXT // 2]} … {text[-_LONGEST_TEXT // 2 :]}"
        super().__init__(text)


class ParameterError(ArpegonError):
    """A parameter has a value that its declaration does not allow."""


class DocumentError(ArpegonError):
    """A project does not hold together (an unknown kind, a doubled id, a loop)."""


class FileError(ArpegonError):
    """A file could not be read or written."""
