"""The path check: the first place where a strand falls silent, in plain words."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping

import msgspec

from arpegon.core.document.model import (
    AnyDestination,
    AnySource,
    AudioSource,
    ClipSource,
    GeneratorSource,
    InstrumentDestination,
    MidiSource,
    PortDestination,
    Project,
    Stage,
    Strand,
    StrandDestination,
    StrandSource,
    output_name,
)
from arpegon.core.document.routing import taken_somewhere
from arpegon.core.notes.taps import IN, rolls_of
from arpegon.core.theory.pitch import written

SILENT_DB = -90.0


class Break(msgspec.Struct, frozen=True):
    """Where a path stops.

    ``part`` is ``source``, ``strand``, ``stage``, ``destination`` or ``audio``; ``place`` counts sources or
    destinations, ``stage`` is the id of a stage; ``mend`` names an obvious remedy
    (see :mod:`arpegon.core.document.mending`).
    """

    strand: str
    part: str
    reason: str
    place: int = 0
    stage: str = ""
    mend: str = ""


class StageFacts(msgspec.Struct, frozen=True):
    """What the check asks of the processors, which it does not know."""

    label: str
    swallows: str | None = None
    waits_for_clock: bool = False
    waits_for_action: bool = False
    """Whether only an action starts it."""
    lets_values: bool = False
    """Whether it lets controllers and the like through, where it swallows all notes."""
    moves: bool = False
    """Whether it makes values by itself."""


class Surroundings(msgspec.Struct, frozen=True):
    """What only the running program knows; ``None`` where it is not known (offline).

    ``passed`` holds for each strand how many notes passed each of its places in the last seconds,
    ``sent`` which notes left it, ``keys`` the keys that each sound plays, where it does not play all.
    """

    missing_clips: Collection[str] = ()
    """Files of clips and audio sources that cannot be read."""
    missing_inputs: Collection[str] = ()
    """Audio inputs that cannot be heard (an empty name: the default one)."""
    inputs: Collection[str] | None = None
    outputs: Collection[str] | None = None
    playing: bool | None = None
    clock: str = "own"
    """Whose clock leads the transport, and whether it comes: ``own``, ``waiting``, ``running`` or ``lost``."""
    audio: bool | None = None
    section: str = ""
    """The name of the section that holds."""
    held: Collection[tuple[str, str]] = ()
    """What it holds: targets and parameters."""
    passed: Mapping[str, Mapping[str, int]] = {}
    sent: Mapping[str, Collection[int]] = {}
    keys: Mapping[str, Collection[int]] = {}


Facts = Callable[[Stage], StageFacts]


def check_paths(project: Project, facts: Facts, around: Surroundings | None = None) -> list[Break]:
    """The first break of each silent strand, in the order of the strands."""
    around = around or Surroundings()
    found = (first_break(project, strand, facts, around) for strand in project.strands)
    return [one for one in found if one is not None]


def first_break(project: Project, strand: Strand, facts: Facts, around: Surroundings) -> Break | None:
    """Why a strand cannot sound, or ``None`` where it can."""
    for part in (_sources, _strand, _stages, _destinations):
        found = next(part(project, strand, facts, around), None)
        if found is not None:
            return found
    return None


def _sources(project: Project, strand: Strand, facts: Facts, around: Surroundings) -> Iterator[Break]:
    fed_by_others = any(
        isinstance(destination, StrandDestination) and destination.strand == strand.id
        for other in project.strands
        for destination in other.destinations
    )
    found = [_source(project, strand, source, facts, around) for source in strand.sources]
    if None in found or fed_by_others:
        return
    if not strand.sources and any(facts(stage).moves for stage in strand.stages if not stage.bypass):
        return  # it is there for the values that it makes by itself
    for place, (reason, mend) in enumerate(one for one in found if one is not None):
        yield Break(strand.id, "source", reason, place=place, mend=mend)
    yield Break(strand.id, "source", "it has no source", mend="add-source")


def _is_turned(project: Project, target: str, param: str, around: Surroundings) -> bool:
    """Whether a hookup may turn a setting over; asked only where it is not known how things stand now."""
    action = "mute" if param == "muted" else param
    return around.playing is None and any(
        hookup.target == target and (hookup.param == param or hookup.action == action) and not hookup.muted
        for hookup in project.hookups
    )


def _is_started(project: Project, stage_id: str) -> bool:
    """Whether a hookup starts what waits for an action."""
    return any(
        hookup.target == stage_id and hookup.action in ("start", "start-stop") and not hookup.muted
        for hookup in project.hookups
    )


def _source(
    project: Project, strand: Strand, source: AnySource, facts: Facts, around: Surroundings
) -> tuple[str, str] | None:
    """Why a source brings nothing, and the remedy."""
    if isinstance(source, GeneratorSource):
        return _generator(project, strand, source, facts, around)
    if source.low_key > source.high_key or source.low_velocity > source.high_velocity:
        return "its source's zone is empty", "open-zone"
    if isinstance(source, AudioSource):
        return _audio(project, source, facts, around)
    if isinstance(source, ClipSource):
        file = source.playing_file or source.plays
        if not file:
            return "its clip has no file yet", ""
        if source.playing_file in around.missing_clips:
            return f"its clip “{file}” cannot be read", ""
        if source.muted and not _is_turned(project, source.id, "muted", around):
            return f"its clip “{file}” is muted", ""
        if source.starts == "action" and not around.passed.get(strand.id, {}).get(IN):
            return None if _is_started(project, source.id) else (_unstarted(f"its clip “{file}”"), "")
    elif isinstance(source, MidiSource) and around.inputs is not None:
        if source.port and source.port not in around.inputs:
            return f"the MIDI input “{source.port}” is not there", "all-inputs"
        if not source.port and not around.inputs:
            return "no MIDI input is there", "add-surface"
    elif isinstance(source, StrandSource):
        if project.strand(source.strand) is None:
            return "the strand that feeds it is gone", ""
        if not taken_somewhere(project, source):
            return "the stage after which it is taken is gone", "take-end"
    return None


def _rests(label: str) -> tuple[str, str]:
    return f"its {label} is set to rest", "wake-source"


def _generator(
    project: Project, strand: Strand, source: GeneratorSource, facts: Facts, around: Surroundings
) -> tuple[str, str] | None:
    known = facts(source.stage)
    if source.bypass and not _is_turned(project, source.id, "bypass", around):
        return _rests(known.label)
    if known.swallows is not None:
        return f"{known.label}: {known.swallows}", ""
    if known.waits_for_action and not around.passed.get(strand.id, {}).get(IN) and not _is_started(project, source.id):
        return _unstarted(known.label), ""
    if known.waits_for_clock and around.playing is False:
        return _standing(known.label, around)
    return None


def _unstarted(label: str) -> str:
    return f"{label} waits for an action, and no hookup starts it"


def _audio(project: Project, source: AudioSource, facts: Facts, around: Surroundings) -> tuple[str, str] | None:
    label = facts(source.stage).label
    if source.bypass and not _is_turned(project, source.id, "bypass", around):
        return _rests(label)
    if source.file:
        if source.file in around.missing_clips:
            return f"its sound “{source.file}” cannot be read", ""
        return _standing("its sound", around) if around.playing is False else None
    if source.device in around.missing_inputs:
        return f"the audio input “{source.device or 'by default'}” cannot be heard", ""
    return None


def _standing(label: str, around: Surroundings) -> tuple[str, str]:
    """What a stage waits for while the transport stands, and the remedy."""
    if around.clock in ("waiting", "lost"):
        return f"{label} waits for the MIDI clock that the transport follows, which does not come", "own-clock"
    return f"{label} waits for the transport, which does not run", "play"


def _strand(project: Project, strand: Strand, facts: Facts, around: Surroundings) -> Iterator[Break]:
    if strand.muted and not _is_turned(project, strand.id, "muted", around):
        where = f" in “{around.section}”" if (strand.id, "muted") in around.held else ""
        yield Break(strand.id, "strand", f"it is muted{where}", mend="unmute-strand")
    solo = [one.id for one in project.strands if one.solo]
    turned = any(_is_turned(project, one, "solo", around) for one in (strand.id, *solo))
    if not strand.muted and not project.audible(strand) and not turned:
        yield Break(strand.id, "strand", "another strand is solo", mend="end-solo")


def _stages(project: Project, strand: Strand, facts: Facts, around: Surroundings) -> Iterator[Break]:
    passed = around.passed.get(strand.id, {})
    places = rolls_of(stage.id for stage in strand.stages)
    if strand.along or any(isinstance(one, ClipSource) and one.past and not one.muted for one in strand.sources):
        return  # something sounds whatever the stages do
    for place, stage in enumerate(strand.stages):
        if stage.bypass:
            continue
        known = facts(stage)
        if known.swallows is not None and known.lets_values and _joins_others(project, strand):
            return
        if _is_turned(project, stage.id, "bypass", around):
            continue
        if known.waits_for_action and not any(passed.values()) and not _is_started(project, stage.id):
            yield Break(strand.id, "stage", _unstarted(known.label), stage=stage.id)
        if known.swallows is not None:
            yield Break(strand.id, "stage", f"{known.label}: {known.swallows}", stage=stage.id, mend="bypass")
        if known.waits_for_clock and around.playing is False:
            reason, mend = _standing(known.label, around)
            yield Break(strand.id, "stage", reason, stage=stage.id, mend=mend)
        count = passed.get(places[place], 0)
        if count and not any(passed.get(one, 0) for one in places[place + 1 :]):
            notes = "the note" if count == 1 else f"any of the {count} notes"
            reason = f"{known.label} did not let {notes} of the last seconds through"
            yield Break(strand.id, "stage", reason, stage=stage.id, mend="bypass")


def _joins_others(project: Project, strand: Strand) -> bool:
    """Whether what it sends meets another strand's notes: then it may well be there for its controllers alone."""
    others = {_where(one) for other in project.strands if other.id != strand.id for one in other.destinations}
    return _is_taken(project, strand) or any(
        isinstance(one, StrandDestination) or _where(one) in others for one in strand.destinations if not one.muted
    )


def _is_taken(project: Project, strand: Strand) -> bool:
    """Whether another strand takes what is in it."""
    return any(
        isinstance(source, StrandSource) and source.strand == strand.id
        for other in project.strands
        for source in other.sources
    )


def _where(destination: AnyDestination) -> tuple[str, str]:
    """The kind and name of a destination."""
    match destination:
        case InstrumentDestination():
            return "instrument", destination.instrument
        case PortDestination():
            return "port", destination.port
    return "strand", destination.strand


def _destinations(project: Project, strand: Strand, facts: Facts, around: Surroundings) -> Iterator[Break]:
    if not strand.destinations:
        hooked = {hookup.stage for hookup in project.hookups if hookup.control == "stage" and not hookup.muted}
        if not _is_taken(project, strand) and not any(stage.id in hooked for stage in strand.stages):
            yield Break(strand.id, "destination", "it has no destination", mend="add-destination")
        return
    found = [_destination(project, strand, one, around) for one in strand.destinations]
    if None in found:
        return
    for place, (reason, mend) in enumerate(one for one in found if one is not None):
        yield Break(strand.id, "audio" if mend == "audio" else "destination", reason, place=place, mend=mend)


def _destination(
    project: Project, strand: Strand, destination: AnyDestination, around: Surroundings
) -> tuple[str, str] | None:
    """Why a destination does not sound, and the remedy."""
    if destination.muted:
        return "its destination is muted", "unmute-destination"
    if isinstance(destination, InstrumentDestination):
        return _instrument(project, strand, destination, around)
    if isinstance(destination, PortDestination) and destination.port and around.outputs is not None:
        if output_name(destination.port) is None and destination.port not in around.outputs:
            return f"the MIDI output “{destination.port}” is not there", "own-output"
    if isinstance(destination, StrandDestination) and project.strand(destination.strand) is None:
        return "the strand that it feeds is gone", ""
    return None


def _instrument(
    project: Project, strand: Strand, destination: InstrumentDestination, around: Surroundings
) -> tuple[str, str] | None:
    instrument = project.instrument(destination.instrument)
    if instrument is None:
        return "its instrument is gone", "new-instrument"
    if instrument.muted:
        return "its instrument is muted", "unmute-instrument"
    if instrument.level_db <= SILENT_DB:
        return "its instrument's level is at zero", "raise-level"
    if instrument.channel is not None and destination.channel not in (None, instrument.channel):
        listens, sends = instrument.channel + 1, (destination.channel or 0) + 1
        return f"its instrument plays only channel {listens} and is sent channel {sends}", "same-channel"
    keys = around.keys.get(instrument.sound)
    if keys:
        reason = f"its instrument plays only the keys {written(min(keys))} to {written(max(keys))}"
        sent = around.sent.get(strand.id, ())
        if sent and not any(note in keys for note in sent):
            return reason, ""
        if not strand.stages and strand.sources and not any(_reaches(source, keys) for source in strand.sources):
            return f"{reason}, and no source brings any of them", "open-zone"
    if around.audio is False:
        return "there is no audio device", "audio"
    return None


def _reaches(source: AnySource, keys: Collection[int]) -> bool:
    return any(source.low_key <= key <= source.high_key for key in keys)


def sentence(project: Project, found: Break) -> str:
    """A break as a sentence: "“Harbour bells” is silent: it is muted."."""
    strand = project.strand(found.strand)
    return f"“{strand.name if strand else found.strand}” is silent: {found.reason}."
