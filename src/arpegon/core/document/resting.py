"""What plays by itself, and what lets it rest: so that a take, or what it became, sounds nothing twice."""

from __future__ import annotations

import msgspec

from arpegon.core.document.model import AnySource, AudioSource, ClickSource, ClipSource, GeneratorSource, Strand


def rest_field(source: AnySource) -> str | None:
    """The field that lets a source rest which plays by itself; ``None`` where it does not, or rests already."""
    if isinstance(source, (ClipSource, ClickSource)):
        return None if source.muted else "muted"
    if isinstance(source, GeneratorSource) or (isinstance(source, AudioSource) and source.file):
        return None if source.bypass else "bypass"
    return None


def resting(source: AnySource) -> AnySource:
    """A source that plays nothing by itself."""
    field = rest_field(source)
    return source if field is None else msgspec.structs.replace(source, **{field: True})


def playing_by_itself(strand: Strand) -> tuple[AnySource, ...]:
    """The sources of a strand that play by themselves."""
    return tuple(source for source in strand.sources if rest_field(source) is not None)
