"""How files are changed: bytes, text, and trees of JSON. The same draws make the same changes."""

from __future__ import annotations

import copy
import json
import random
from collections.abc import Iterator
from typing import Any

_ODD_BYTES = (b"\0", b"\xff", b"\x80", b"\x7f", b"\r", b"\n", b'"', b"[", b"{", b"\xed\xa0\x80", b"MThd", b"MTrk")
_ODD_NUMBERS = (0, -1, 1, 127, 128, 255, 256, 2**31, -(2**63), 2**64, 10**30, 0.0, -0.0, 0.5, 1e-320, 1e308, -1e308)
_ODD_TEXTS = (
    *("", "0", "²", "-", "nan", "1e9", "C4", "C99", "B♯-1", "9" * 5000, "\ud83d", "\0", "<img src='x'>", "../../x"),
    *("/dev/zero", "1/0", "1/8T", "9999 bars", "&", "x" * 300),
)
_ODD_TREES: tuple[Any, ...] = (
    *([], {}, [[]], [None], [1, 2, 3], ["a"], {"a": 1}, {"1": [1]}, [[0, 0], [127, 127]], [[1e308, -1e308]]),
    *(list(range(200)), [[[[]]]]),
)
ODD_VALUES: tuple[Any, ...] = (None, True, False, *_ODD_NUMBERS, *_ODD_TEXTS, *_ODD_TREES)


def changed_bytes(draw: random.Random, content: bytes) -> bytes:
    """Some bytes changed, put in, taken out, doubled or moved, or the end cut off."""
    found = bytearray(content)
    for _ in range(draw.choice((1, 1, 1, 2, 3, 8, 40))):
        at = draw.randrange(len(found) + 1)
        span = min(len(found) - at, draw.choice((1, 1, 2, 4, 16, 200)))
        match draw.randrange(8):
            case 0 if at < len(found):
                found[at] = draw.randrange(256)
            case 1 if at < len(found):
                found[at] ^= 1 << draw.randrange(8)
            case 2:
                found[at:at] = draw.choice(_ODD_BYTES) * draw.choice((1, 1, 2, 100))
            case 3:
                del found[at : at + span]
            case 4:
                found[at:at] = found[at : at + span] * draw.choice((1, 2, 30))
            case 5:
                found[at : at + 4] = draw.choice((0, 1, 0x7FFFFFFF, 0xFFFFFFFF, draw.randrange(2**32))).to_bytes(4)
            case 6:
                other = draw.randrange(len(found) + 1)
                found[at : at + span] = found[other : other + span]
            case _ if draw.random() < 0.2:
                del found[at:]
    return bytes(found)


def changed_tree(draw: random.Random, tree: Any) -> Any:
    """Some values of a tree replaced by odd ones, taken out, doubled, or put where others stood."""
    found = copy.deepcopy(tree)
    for _ in range(draw.choice((1, 1, 1, 2, 3, 6))):
        places = list(_places(found))
        if not places:
            return found
        holder, key = draw.choice(places)
        match draw.randrange(12):
            case 0 | 1:
                holder[key] = copy.deepcopy(draw.choice(ODD_VALUES))
            case 2:
                del holder[key]
            case 3:
                other, name = draw.choice(places)
                holder[key] = copy.deepcopy(other[name])
            case 6 | 7 | 8:  # what stands under the same key elsewhere
                other, name = draw.choice([one for one in places if one[1] == key])
                holder[key] = copy.deepcopy(other[name])
            case 4 if isinstance(holder, list):
                holder[key:key] = [copy.deepcopy(holder[key])] * draw.choice((1, 2, 30))
            case 5 if isinstance(holder, dict):
                holder[draw.choice((*holder, "x", "", "kind", "params"))] = copy.deepcopy(draw.choice(ODD_VALUES))
            case _ if isinstance(holder[key], (int, float)) and not isinstance(holder[key], bool):
                holder[key] = type(holder[key])(holder[key] * draw.choice((-1, 0, 2, 10, 1000, 0.37)))
            case _:
                holder[key] = [holder[key]]
    return found


def _places(tree: Any) -> Iterator[tuple[Any, Any]]:
    entries = list(tree.items()) if isinstance(tree, dict) else list(enumerate(tree)) if isinstance(tree, list) else []
    for key, value in entries:
        yield tree, key
        yield from _places(value)


def as_json(tree: Any) -> bytes:
    """A tree as a file; half characters and numbers that are none stay as others write them."""
    return json.dumps(tree).encode("utf-8", "surrogatepass")
