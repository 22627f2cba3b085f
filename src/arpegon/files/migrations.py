"""From version to version of our files: each step makes of a file's tree what the next version reads.

A step gets the tree as it stands in the file, not yet checked, and returns another one. What it does not understand it
leaves as it is: the checks that follow say what is wrong with it.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import count
from typing import Any, cast

from arpegon.core.notes.taps import IN, OUT

Tree = dict[str, Any]
Step = Callable[[Tree], Tree]


def migrated(tree: Tree, format: str, version: int) -> Tree:
    """A file's tree as the newest version has it.

    Args:
        format: the mark under its key ``format``.
        version: the version that it is of, 1 up to :func:`newest`.
    """
    for number, step in enumerate(STEPS[format][version - 1 :], start=version + 1):
        tree = {**step(tree), "version": number}
    return tree


def newest(format: str) -> int:
    """The newest version of a format."""
    return 1 + len(STEPS[format])


def free_the_names_of_taps(tree: Tree) -> Tree:
    """Version 2 of projects: ``in`` and ``out`` name places in a strand, so stages that are called so get other ids."""
    strands = [strand for strand in _list(tree.get("strands")) if isinstance(strand, dict)]
    workers = [
        one
        for strand in strands
        for part in ("sources", "stages")
        for one in _list(strand.get(part))
        if isinstance(one, dict) and isinstance(one.get("id"), str)
    ]
    taken = {one["id"] for one in workers}
    other = {}
    for name in (IN, OUT):
        if name in taken:
            other[name] = next(made for number in range(1, len(taken) + 2) if (made := f"{name}-{number}") not in taken)
            taken.add(other[name])
    return _renamed(tree, other) if other else tree


def free_the_names_in_a_preset(tree: Tree) -> Tree:
    """Version 2 of presets: the same for the stage or strand that one holds."""
    if isinstance(tree.get("stage"), dict):
        wrapped = free_the_names_of_taps({"strands": [{"stages": [tree["stage"]]}]})
        return {**tree, "stage": wrapped["strands"][0]["stages"][0]}
    if isinstance(tree.get("strand"), dict):
        return {**tree, "strand": free_the_names_of_taps({"strands": [tree["strand"]]})["strands"][0]}
    return tree


def keep_arpeggios_and_levels(tree: Tree) -> Tree:
    """Version 3 of projects: what was made before sounds as it did.

    Clips get ids, by which hookups find them. An arpeggiator gathers its chord for a while (before, it began at once);
    octaves both ways are counted once (before, those on each side were); a hookup on a level reaches over all that a
    level may be (before, -60 to 6 dB).
    """
    strands = [strand for strand in _list(tree.get("strands")) if isinstance(strand, dict)]
    stages = [stage for strand in strands for stage in _list(strand.get("stages")) if isinstance(stage, dict)]
    walks = {
        stage["id"]: isinstance(stage.get("params"), dict) and stage["params"].get("octave_way") == "both"
        for stage in stages
        if stage.get("kind") == "arpeggiator" and isinstance(stage.get("id"), str)
    }

    def hookup(one: Any) -> Any:
        if not isinstance(one, dict):
            return one
        if one.get("param") == "level_db":
            return {"out_low": -60.0, "out_high": 6.0, **one}
        if one.get("param") == "octaves" and walks.get(str(one.get("target"))):
            return {**one, "out_low": _both(one.get("out_low", 1)), "out_high": _both(one.get("out_high", 4))}
        return one

    def held(one: Any) -> Any:
        if isinstance(one, dict) and one.get("param") == "octaves" and walks.get(str(one.get("target"))):
            return {**one, "value": _both(one.get("value"))}
        return one

    tree = _named_clips(_each(tree, "strands", lambda strand: _each(strand, "stages", _arpeggiator)))
    tree = _each(tree, "sections", lambda section: _each(section, "holds", held))
    return cast(Tree, _each(tree, "hookups", hookup))


def keep_arpeggios_in_a_preset(tree: Tree) -> Tree:
    """Version 3 of presets: the same for the stage or strand that one holds."""
    if isinstance(tree.get("stage"), dict):
        return {**tree, "stage": _arpeggiator(tree["stage"])}
    if isinstance(tree.get("strand"), dict):
        return {**tree, "strand": _each(tree["strand"], "stages", _arpeggiator)}
    return tree


def _arpeggiator(stage: Any) -> Any:
    if not isinstance(stage, dict) or stage.get("kind") != "arpeggiator":
        return stage
    params = stage.get("params", {})
    if not isinstance(params, dict):
        return stage
    params = {"gather_ms": 0, **params}
    if params.get("octave_way") == "both" and "octaves" in params:
        params["octaves"] = _both(params["octaves"])
    return {**stage, "params": params}


def _named_clips(tree: Tree) -> Tree:
    """A project whose clips have ids."""
    taken = {
        one["id"]
        for strand in _list(tree.get("strands"))
        if isinstance(strand, dict)
        for part in ("sources", "stages")
        for one in _list(strand.get(part))
        if isinstance(one, dict) and isinstance(one.get("id"), str)
    }
    numbers = count(1)

    def named(source: Any) -> Any:
        if not isinstance(source, dict) or source.get("kind") != "clip" or "id" in source:
            return source
        return {**source, "id": next(name for number in numbers if (name := f"clip-{number}") not in taken)}

    return cast(Tree, _each(tree, "strands", lambda strand: _each(strand, "sources", named)))


def _both(octaves: Any) -> Any:
    """How many octaves both ways are, where so many on each side were counted."""
    return 2 * octaves - 1 if isinstance(octaves, int | float) and not isinstance(octaves, bool) else octaves


def lay_takes_on_beats(tree: Tree) -> Tree:
    """Version 4 of projects: the events of takes lie on beats of their course; before, at seconds, with one tempo."""
    return cast(Tree, _each(tree, "takes", _on_beats))


def _on_beats(take: Any) -> Any:
    if not isinstance(take, dict) or "course" in take:
        return take
    tempo, seconds = take.get("tempo"), take.get("seconds")
    if not isinstance(tempo, int | float) or not isinstance(seconds, int | float):
        return take

    def laid(rows: Any) -> Any:
        """Rows that begin with a time."""
        return [
            [row[0] * tempo / 60.0, *row[1:]] if isinstance(row, list) and row and _is_number(row[0]) else row
            for row in _list(rows)
        ]

    def part(one: Any) -> Any:
        rows = ("played", "generated", "doubtful")
        return {**one, **{name: laid(one[name]) for name in rows if name in one}} if isinstance(one, dict) else one

    rest = {key: value for key, value in take.items() if key not in ("tempo", "seconds", "meter")}
    course = {"tempi": [[0.0, tempo]], "meters": [[0.0, take.get("meter", [4, 4]), 1]]}
    return _each({**rest, "beats": seconds * tempo / 60.0, "course": course}, "parts", part)


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


STEPS: dict[str, tuple[Step, ...]] = {
    "arpegon-project": (free_the_names_of_taps, keep_arpeggios_and_levels, lay_takes_on_beats),
    "arpegon-preset": (free_the_names_in_a_preset, keep_arpeggios_in_a_preset),
    "arpegon-hookups": (),
}
"""For each format what leads from version 1 to 2, from 2 to 3 ..."""


def _renamed(tree: Tree, other: dict[str, str]) -> Tree:
    """A project with other ids of stages, and whatever names them."""

    def entry(one: Any, keys: tuple[str, ...]) -> Any:
        if not isinstance(one, dict):
            return one
        named = {key: other[one[key]] for key in keys if isinstance(one.get(key), str) and one[key] in other}
        return {**one, **named}

    def entries(holder: Any, part: str, *keys: str) -> Any:
        """A holder with the entries of one of its lists renamed."""
        return _each(holder, part, lambda one: entry(one, keys))

    tree = entries(tree, "hookups", "target", "stage")
    strands = [entries(entries(one, "sources", "id", "after"), "stages", "id") for one in _list(tree.get("strands"))]
    sections = [entries(one, "holds", "target") for one in _list(tree.get("sections"))]
    return {**tree, "strands": strands, **({"sections": sections} if "sections" in tree else {})}


def _each(holder: Any, part: str, change: Callable[[Any], Any]) -> Any:
    """A holder with each entry of one of its lists changed."""
    if not isinstance(holder, dict) or not isinstance(holder.get(part), list):
        return holder
    return {**holder, part: [change(one) for one in holder[part]]}


def _list(value: Any) -> list[Any]:
    return value if isinstance(value, list) else []
