"""Recipes: worked set-ups that begin with what somebody wants, or what troubles them."""

from __future__ import annotations

from functools import cache

import msgspec

from arpegon.core.document.model import Project
from arpegon.files.places import DATA
from arpegon.files.project import project_of

_FILE = DATA / "recipes.json"


class Recipe(msgspec.Struct, frozen=True):
    """One or two strands with their instruments.

    ``play`` says how it is tried: with ``keys``, or by starting the ``transport``; ``guide`` is a page and a heading.
    """

    group: str
    title: str
    about: str
    words: str
    play: str
    guide: str
    project: Project


@cache
def recipes() -> tuple[Recipe, ...]:
    """All that come with Arpegon."""
    found = []
    for tree in msgspec.json.decode(_FILE.read_bytes())["recipes"]:
        project = project_of({"strands": tree["strands"], "instruments": tree["instruments"]}, tree["title"])
        words = {name: tree[name] for name in ("group", "title", "about", "words", "play", "guide")}
        found.append(Recipe(**words, project=project))
    return tuple(found)


def matching(text: str) -> list[Recipe]:
    """The recipes in whose words all words of a text begin some word."""
    wanted = text.casefold().split()
    return [
        recipe
        for recipe in recipes()
        if all(
            any(word.startswith(one) for word in f"{recipe.title} {recipe.about} {recipe.words}".casefold().split())
            for one in wanted
        )
    ]
