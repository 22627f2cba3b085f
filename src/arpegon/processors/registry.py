"""All kinds of stage. A new one is its module and a line here."""

from __future__ import annotations

from arpegon.core.errors import DocumentError, shown
from arpegon.core.processing.processor import Processor
from arpegon.processors.sources.listening import Hits, Listening, Pitch
from arpegon.processors.sources.rebound import Rebound
from arpegon.processors.sources.rings import Rings
from arpegon.processors.sources.steps import Steps
from arpegon.processors.stages.arpeggiator import Arpeggiator
from arpegon.processors.stages.chance import Chance
from arpegon.processors.stages.channel import ChannelStage
from arpegon.processors.stages.chord import Chord
from arpegon.processors.stages.contour import Contour
from arpegon.processors.stages.convert import Convert
from arpegon.processors.stages.echo import Echo
from arpegon.processors.stages.fan import Fan
from arpegon.processors.stages.grid import Grid
from arpegon.processors.stages.hold import Hold
from arpegon.processors.stages.humanize import Humanize
from arpegon.processors.stages.keymap import KeyMap
from arpegon.processors.stages.length import Length
from arpegon.processors.stages.level_stages import Smooth, Stairs
from arpegon.processors.stages.lfo import Lfo
from arpegon.processors.stages.mirror import Mirror
from arpegon.processors.stages.repeat import Repeat
from arpegon.processors.stages.scale import ScaleStage
from arpegon.processors.stages.sieve import Sieve
from arpegon.processors.stages.thin import Thin
from arpegon.processors.stages.transpose import Transpose
from arpegon.processors.stages.velocity import Velocity

GROUPS: dict[str, tuple[type[Processor], ...]] = {
    "Touch": (Humanize, Velocity),
    "Pitch": (ScaleStage, Transpose, Mirror, KeyMap),
    "Harmony": (Chord, Thin),
    "Time": (Arpeggiator, Repeat, Echo, Grid, Length, Hold),
    "Controllers": (Convert, Fan, Stairs, Smooth, Lfo, Contour),
    "Traffic": (Sieve, Chance, ChannelStage),
}
"""The processors as menus offer them."""

GENERATORS: dict[str, type[Processor]] = {cls.kind: cls for cls in (Steps, Rings, Rebound)}
"""What makes notes by itself, at the head of a strand."""

PROCESSORS: dict[str, type[Processor]] = {cls.kind: cls for group in GROUPS.values() for cls in group}
"""The processors of stages."""

LISTENINGS: dict[str, type[Listening]] = {cls.kind: cls for cls in (Hits, Pitch)}
"""What audio sources do, declared; :mod:`arpegon.listen` does it."""

WORKS: dict[str, type[Processor]] = {**PROCESSORS, **GENERATORS, **LISTENINGS}
"""All that has declared parameters."""


def processor_class(kind: str) -> type[Processor]:
    """The processor of a kind of stage or generator.

    Raises:
        DocumentError: there is none.
    """
    try:
        return WORKS[kind]
    except KeyError:
        known = ", ".join(WORKS)
        raise DocumentError(f"There is no processor {shown(kind)}; there are {known}.") from None
