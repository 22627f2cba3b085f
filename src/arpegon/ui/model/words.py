"""Sources and destinations in a few words."""

from __future__ import annotations

from pathlib import PurePath

from arpegon.core.document.model import (
    STAND_IN,
    AnyDestination,
    AnySource,
    AudioSource,
    ClickSource,
    ClipSource,
    GeneratorSource,
    InstrumentDestination,
    MidiSource,
    PortDestination,
    Project,
    StrandDestination,
    StrandSource,
    SurfaceSource,
    output_name,
)
from arpegon.core.processing.parameters import with_defaults
from arpegon.core.theory.pitch import written
from arpegon.processors import processor_class
from arpegon.sound import SOUNDS

OWN_OUTPUT = "Arpegon out"


def source_words(project: Project, source: AnySource) -> tuple[str, str]:
    """What a source is, and the part of it that is taken."""
    if isinstance(source, SurfaceSource):
        name = "Play surface"
    elif isinstance(source, MidiSource):
        name = port_words(source.port) if source.port else "All MIDI inputs"
    elif isinstance(source, ClipSource):
        name = source.plays.replace("-", " ").capitalize() if source.plays else "Clip: choose a file"
    elif isinstance(source, ClickSource):
        name = "Metronome"
    elif isinstance(source, GeneratorSource):
        processor = processor_class(source.stage.kind)
        values = with_defaults(processor.params, source.params)
        return processor.label, "rests" if source.bypass else processor.caption(values)
    elif isinstance(source, StrandSource):
        feeder = project.strand(source.strand)
        name = f"from {feeder.name}" if feeder else "from a strand that is gone"
        stage = project.find_stage(source.after)
        if stage is not None:
            return name, f"after {processor_class(stage[1].kind).label}"
    elif isinstance(source, AudioSource):
        processor = processor_class(source.listen)
        values = with_defaults(processor.params, source.params)
        return audio_words(source), "rests" if source.bypass else processor.caption(values)
    return name, zone_words(source)


def audio_words(source: AudioSource) -> str:
    """What an audio source listens to."""
    if source.file:
        return PurePath(source.file.removeprefix(STAND_IN)).stem.replace("-", " ").capitalize()
    return port_words(source.device) if source.device else "Audio input"


def zone_words(source: AnySource) -> str:
    """The zone of a source, where it is not everything."""
    words = []
    if (source.low_key, source.high_key) != (0, 127):
        low, high = written(source.low_key), written(source.high_key)
        if source.low_key == 0:
            words.append(f"up to {high}")
        else:
            words.append(f"from {low}" if source.high_key == 127 else f"{low}–{high}")
    if (source.low_velocity, source.high_velocity) != (1, 127):
        words.append(f"vel {source.low_velocity}–{source.high_velocity}")
    if source.channel is not None:
        words.append(f"ch {source.channel + 1}")
    if isinstance(source, ClipSource) and not words:
        return ("clip, round" if source.loop else "clip, once") + (", past the stages" if source.past else "")
    return " · ".join(words)


def destination_words(project: Project, destination: AnyDestination) -> tuple[str, str]:
    """Where a strand ends, and how."""
    channel = "" if destination.channel is None else f"ch {destination.channel + 1}"
    if isinstance(destination, InstrumentDestination):
        instrument = project.instrument(destination.instrument)
        name = SOUNDS[instrument.sound].label if instrument else "No instrument"
    elif isinstance(destination, PortDestination):
        name = port_words(destination.port) if destination.port else OWN_OUTPUT
    elif isinstance(destination, StrandDestination):
        strand = project.strand(destination.strand)
        name = f"into {strand.name}" if strand else "into a strand that is gone"
    return name, "muted" if destination.muted else channel


def port_words(port: str) -> str:
    """A port without its client's name where both say the same."""
    name = output_name(port)
    if name is not None:
        return f"Arpegon: {name}"
    client, _, name = port.partition(":")
    return client if not name or name.lower() in ("out", "in", client.lower()) else f"{client}: {name}"
