"""What must hold in a project beyond the shape of its tree."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any

import msgspec

from arpegon.core.document.edits import part_ids
from arpegon.core.document.hookup_values import SILENCE_RANGE
from arpegon.core.document.model import (
    DELAY_RANGE,
    LEVEL_RANGE,
    MAX_CLIP_BEATS,
    MAX_OFFSET_BEATS,
    MAX_ROUNDS,
    MIN_CLIP_BEATS,
    OFFSET_RANGE,
    ActiveSource,
    AnyDestination,
    AudioSource,
    ClipSource,
    Held,
    Hookup,
    Music,
    Project,
    Section,
    Stage,
    Strand,
)
from arpegon.core.document.routing import topological_order
from arpegon.core.document.sections import MAX_BARS
from arpegon.core.errors import DocumentError, ParameterError
from arpegon.core.events import NOTE_OFF, SYSEX, Event
from arpegon.core.notes.course import Course
from arpegon.core.notes.takes import Take
from arpegon.core.notes.taps import IN, OUT
from arpegon.core.processing.own_tempo import OWN_TEMPO
from arpegon.core.processing.parameters import check_params, check_pitch_class
from arpegon.core.processing.patterns import MAX_BARS_AHEAD
from arpegon.core.theory.scales import ALIASES, SCALES, Key
from arpegon.core.time.clock import MAX_METER_BEATS, METER_UNITS, TEMPO_RANGE
from arpegon.core.time.rhythm import normal_offset, offset_beats
from arpegon.processors import PROCESSORS, processor_class
from arpegon.processors.actions import ACTIONS
from arpegon.processors.targets import is_there, param_at
from arpegon.sound import SOUNDS

_replace = msgspec.structs.replace
_TAKE_TEMPI = (1.0, 1000.0)
_LONGEST_BEATS = 86_400.0 * 1000.0 / 60.0
"""A day at the fastest of these; nobody records for longer."""
_MOST_BARS = 10**7
_SHOWN = 10**15
INKS = 8
"""Strands have one of so many colours."""


def validated(project: Project) -> Project:
    """The project with every value checked and in normal form.

    Raises:
        DocumentError, ParameterError: a value is not allowed, an id stands twice, strands form a loop.
    """
    _within("tempo", project.tempo, *TEMPO_RANGE)
    _check_meter("the meter", project.meter)
    _within("count_in", project.count_in, 0, 8)
    _unique("instrument id", (instrument.id for instrument in project.instruments))
    _unique("strand id", (strand.id for strand in project.strands))
    _unique("stage id", part_ids(project))
    for _, stage in project.stages():
        if stage.id in (IN, OUT):
            raise DocumentError(f"a stage or source cannot have the id “{stage.id}”: it names an end of its strand.")
    _unique("take id", (take.id for take in project.takes))
    for take in project.takes:
        _check_take(take)
    for instrument in project.instruments:
        if instrument.sound not in SOUNDS:
            raise DocumentError(f"there is no sound “{instrument.sound}”; there are {', '.join(SOUNDS)}.")
        _within(f"level_db of instrument {instrument.id}", instrument.level_db, *LEVEL_RANGE)
        _within(f"pan of instrument {instrument.id}", instrument.pan, -1.0, 1.0)
    _unique("hookup id", (hookup.id for hookup in project.hookups))
    for hookup in project.hookups:
        _check_hookup(hookup)
    for strand in project.strands:
        _check_zones(strand)
        if strand.ink is not None:
            _within(f"ink of “{strand.name}”", strand.ink, 0, INKS - 1)
    topological_order(project)
    _unique("section id", (section.id for section in project.sections))
    project = _replace(
        project, key=_key(project.key), strands=tuple(_strand(strand, project.meter) for strand in project.strands)
    )
    return _replace(project, sections=tuple(_section(project, section) for section in project.sections))


def _check_meter(name: str, meter: tuple[int, int]) -> None:
    numerator, denominator = meter
    if not 1 <= numerator <= MAX_METER_BEATS or denominator not in METER_UNITS:
        *others, last = METER_UNITS
        allowed = f"1 to {MAX_METER_BEATS} over {', '.join(map(str, others))} or {last}"
        raise DocumentError(f"{name} cannot be {numerator}/{denominator}: it takes {allowed}.")


def _check_take(take: Take) -> None:
    where = f"of the take “{take.name}”"
    _check_course(take.course, where)
    _within(f"the length {where}", take.beats, 0.0, _LONGEST_BEATS)
    if take.ink is not None:
        _within(f"the ink {where}", take.ink, 0, INKS - 1)
    for part in take.parts:
        for stage in part.stages:
            _check_kept_stage(stage, f"a stage {where}, in “{part.name}”")
        for event in (*part.played, *part.generated):
            if not _is_sound(event):
                raise DocumentError(f"an event {where}, in “{part.name}”, is no MIDI message within a day.")
        if not all(0.0 <= time <= _LONGEST_BEATS and 0 <= note <= 127 for time, note in part.doubtful):
            raise DocumentError(f"a doubtful note {where}, in “{part.name}”, is none within a day.")


def _check_kept_stage(found: dict[str, Any], where: str) -> None:
    """Check a stage that a take remembers."""
    try:
        stage = msgspec.convert(found, Stage)
    except msgspec.ValidationError as error:
        raise DocumentError(f"{where}: {error}.") from None
    if stage.kind not in PROCESSORS:
        raise DocumentError(f"{where}: there is no kind “{stage.kind}”.")
    check_params(PROCESSORS[stage.kind].params, stage.params, where)


def _check_music(music: Music, strand: str) -> None:
    """Check music that the project holds for a clip."""
    where = f"the music “{music.name}” of “{strand}”"
    _within(f"the length of {where}", music.beats, MIN_CLIP_BEATS, _LONGEST_BEATS)
    for event in music.events:
        if not _is_sound(event):
            raise DocumentError(f"an event of {where} is no MIDI message within a day.")


def _check_course(course: Course, where: str) -> None:
    """Check that each row of a course holds something that is, from a beat of its own on."""
    _within(f"the first beat {where}", course.first, 0.0, _LONGEST_BEATS)
    for rows in (course.tempi, course.meters, course.keys, course.sections):
        beats = [row[0] for row in rows]
        if any(not 0.0 <= beat <= _LONGEST_BEATS for beat in beats) or sorted(set(beats)) != beats:
            raise DocumentError(f"the tempi, meters, keys or sections {where} do not stand in order of their beats.")
    if not course.tempi or not course.meters:
        raise DocumentError(f"a tempo and a meter {where} are missing.")
    for _, tempo in course.tempi:
        _within(f"a tempo {where}", tempo, *_TAKE_TEMPI)
    for _, meter, number in course.meters:
        _check_meter(f"a meter {where}", meter)
        _within(f"a bar number {where}", number, -_MOST_BARS, _MOST_BARS)
    for _, key in course.keys:
        _key(key)


def _is_sound(event: Event) -> bool:
    """Whether an event is a message that MIDI knows, at a time that music may have."""
    if not 0.0 <= event.time <= _LONGEST_BEATS:
        return False
    if event.status == SYSEX:
        return event.payload[:1] == bytes((SYSEX,))
    return NOTE_OFF <= event.status < SYSEX and 0 <= event.data1 <= 127 and 0 <= event.data2 <= 127


def _strand(strand: Strand, project_meter: tuple[int, int]) -> Strand:
    for number, stage in enumerate(strand.stages):
        if stage.kind not in PROCESSORS:
            known = ", ".join(PROCESSORS)
            raise DocumentError(
                f"{_where(strand, number, stage)}: there is no processor “{stage.kind}”; there are {known}."
            )
    stages = tuple(_checked(stage, _where(strand, number, stage)) for number, stage in enumerate(strand.stages))
    sources = tuple(
        source.with_stage(_checked(source.stage, f"the source “{source.id}” of “{strand.name}”"))
        if isinstance(source, ActiveSource)
        else source
        for source in strand.sources
    )
    _within(f"offset_ms of “{strand.name}”", strand.offset_ms, *OFFSET_RANGE)
    for destination in strand.destinations:
        _within(f"delay_ms of a destination of “{strand.name}”", destination.delay_ms, *DELAY_RANGE)
        _check_fade(f"of a destination of “{strand.name}”", destination)
    try:
        offset = normal_offset(strand.offset)
    except ParameterError as error:
        raise DocumentError(f"the offset of “{strand.name}”: {error}") from None
    if abs(offset_beats(offset, project_meter)) > MAX_OFFSET_BEATS:
        raise DocumentError(f"the offset of “{strand.name}” is longer than {MAX_OFFSET_BEATS:g} quarter notes.")
    return _replace(strand, stages=stages, sources=sources, offset=offset)


def _check_fade(where: str, destination: AnyDestination) -> None:
    ends = destination.silent_at, destination.full_at
    if (ends[0] is None) != (ends[1] is None):
        raise DocumentError(f"silent_at and full_at {where} belong together: one of them is not there.")
    for name, value in zip(("silent_at", "full_at"), ends, strict=True):
        if value is not None:
            _within(f"{name} {where}", value, 0, 127)
    if ends[0] is not None and ends[0] == ends[1]:
        raise DocumentError(f"silent_at and full_at {where} must not be the same velocity.")


def _where(strand: Strand, number: int, stage: Stage) -> str:
    return f"stage {number + 1} ({stage.kind}) of “{strand.name}”"


def _checked(stage: Stage, where: str) -> Stage:
    return _replace(stage, params=check_params(processor_class(stage.kind).params, stage.params, where))


def _check_hookup(hookup: Hookup) -> None:
    where = f"hookup “{hookup.id}”"
    _within(f"number of {where}", hookup.number, 0, 127)
    _within(f"in_low of {where}", hookup.in_low, 0, 127)
    _within(f"in_high of {where}", hookup.in_high, 0, 127)
    _within(f"silence of {where}", hookup.silence, *SILENCE_RANGE)
    for name, value in (("out_low", hookup.out_low), ("out_high", hookup.out_high), ("value", hookup.value)):
        if value is not None and not math.isfinite(value):
            raise DocumentError(f"{name} of {where} is no number.")
    if hookup.action and hookup.action not in ACTIONS:
        raise DocumentError(f"{where}: there is no action “{hookup.action}”; there are {', '.join(ACTIONS)}.")
    if bool(hookup.action) == bool(hookup.param):
        raise DocumentError(f"{where} names either a param or an action.")


def _section(project: Project, section: Section) -> Section:
    where = f"section “{section.id}”"
    _within(f"bars of {where}", section.bars, 1, MAX_BARS)
    _within(f"tempo_within of {where}", section.tempo_within, 0, MAX_BARS)
    if section.tempo_to is not None:
        _within(f"tempo_to of {where}", section.tempo_to, *TEMPO_RANGE)
    for message in section.sends:
        sent = f"of what {where} sends"
        _within(f"channel {sent}", message.channel, 0, 15)
        _within(f"number {sent}", message.number, 0, 127)
        _within(f"value {sent}", message.value, 0, 127)
        if message.bank is not None:
            _within(f"bank {sent}", message.bank, 0, 16_383)
    _unique(f"clock of {where}", (one.port or "Arpegon's own output" for one in section.clocks))
    _unique(f"held value of {where}", (" of ".join(filter(None, reversed(one.place))) for one in section.holds))
    return _replace(section, holds=tuple(_held(project, one, where) for one in section.holds))


def _held(project: Project, held: Held, where: str) -> Held:
    """A held value in normal form; one whose target is gone stays as it is."""
    param = param_at(project, held.place) if is_there(project, held.place) else None
    if param is None:
        return held
    param = _replace(param, name=held.param)
    return _replace(held, value=check_params((param,), {held.param: held.value}, where)[held.param])


def _check_zones(strand: Strand) -> None:
    for source in strand.sources:
        for name, value in (("low_velocity", source.low_velocity), ("high_velocity", source.high_velocity)):
            _within(f"{name} of a source of “{strand.name}”", value, 1, 127)
        if isinstance(source, ClipSource):
            _within(f"change_bars of a clip of “{strand.name}”", source.change_bars, 1, MAX_BARS_AHEAD)
            _within(f"first of a clip of “{strand.name}”", source.first, 0.0, MAX_CLIP_BEATS)
            if source.beats is not None:
                _within(f"beats of a clip of “{strand.name}”", source.beats, MIN_CLIP_BEATS, MAX_CLIP_BEATS)
            _within(f"rounds of a clip of “{strand.name}”", source.rounds, 0, MAX_ROUNDS)
            if source.music is not None:
                _check_music(source.music, strand.name)
            own = {param.name: getattr(source, param.name) for param in OWN_TEMPO}
            check_params(OWN_TEMPO, own, f"a clip of “{strand.name}”")
        if isinstance(source, AudioSource):
            if not 1 <= len(source.inputs) <= 2:
                raise DocumentError(
                    f"inputs of the source “{source.id}” of “{strand.name}” must be one or two channels."
                )
            for number in source.inputs:
                _within(f"an input of the source “{source.id}” of “{strand.name}”", number, 1, 256)


def _key(key: Key) -> Key:
    scale = ALIASES.get(key.scale, key.scale)
    if scale not in SCALES:
        raise DocumentError(f"there is no scale “{key.scale}”; there are {', '.join(SCALES)}.")
    return Key(check_pitch_class(key.root), scale)


def _within(name: str, value: float, low: float, high: float) -> None:
    if not low <= value <= high:
        shown = f"{value:g}" if abs(value) < _SHOWN or value != value else "so large a number"
        raise DocumentError(f"{name} cannot be {shown}: it takes {low:g} to {high:g}.")


def _unique(what: str, ids: Iterable[str]) -> None:
    seen: set[str] = set()
    for one in ids:
        if one in seen:
            raise DocumentError(f"the {what} “{one}” stands twice; every one must be its own.")
        seen.add(one)
