"""What an edit changed, so that only that is shown anew."""

from __future__ import annotations

import msgspec

from arpegon.core.document.model import Project

_FIELDS = tuple(name for name in Project.__struct_fields__ if name != "strands")


class Change(msgspec.Struct, frozen=True):
    """What is another in a document than before."""

    fields: frozenset[str] = frozenset()
    """The project's own fields, such as ``tempo`` or ``hookups``; ``strands`` where they came, went or moved, ``names``
    where one of them is called otherwise."""
    strands: frozenset[str] = frozenset()
    """The ids of strands that are others, or new."""

    def touches(self, *names: str) -> bool:
        """Whether one of these fields is another."""
        return not self.fields.isdisjoint(names)


def change_between(before: Project, after: Project) -> Change:
    """What changed from one document to another. Parts that are the same objects are taken as unchanged, unread."""
    fields = {name for name in _FIELDS if _differ(getattr(before, name), getattr(after, name))}
    known = {strand.id: strand for strand in before.strands}
    if [strand.id for strand in before.strands] != [strand.id for strand in after.strands]:
        fields.add("strands")
    strands = {strand.id for strand in after.strands if _differ(known.get(strand.id), strand)}
    if any(strand.id in known and known[strand.id].name != strand.name for strand in after.strands):
        fields.add("names")
    return Change(frozenset(fields), frozenset(strands))


def _differ(one: object, other: object) -> bool:
    return one is not other and one != other


EVERYTHING = Change(frozenset({*_FIELDS, "strands"}))
"""Another document is worked on, or the same one in another view."""
