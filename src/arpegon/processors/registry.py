"""All kinds of stage. A new one is its module and a line here."""

from __future__ import annotations

from arpegon.core.errors import DocumentError
from arpegon.core.processor import Processor
from arpegon.processors.chord import Chord
from arpegon.processors.humanize import Humanize
from arpegon.processors.scale import ScaleStage

PROCESSORS: dict[str, type[Processor]] = {cls.kind: cls for cls in (Humanize, ScaleStage, Chord)}


def processor_class(kind: str) -> type[Processor]:
    """The processor of a kind.

    Raises:
        DocumentError: there is none.
    """
    try:
        return PROCESSORS[kind]
    except KeyError:
        known = ", ".join(PROCESSORS)
        raise DocumentError(f"There is no processor “{kind}”; there are {known}.") from None
