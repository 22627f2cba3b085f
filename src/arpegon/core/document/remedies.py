"""Remedies: edits of a take that say what they will do before they do it.

Each is declared like a stage: a name, a sentence, parameters, and a function from a sheet and chosen notes to another
sheet. What it would do is a :class:`Plan`: what goes, what moves to where, and a count in words.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections import Counter
from collections.abc import Callable, Collection, Mapping, Sequence
from operator import attrgetter
from typing import Any

import msgspec
import numpy as np

from arpegon.core.events import CONTROL, Event
from arpegon.core.notes.course import Course
from arpegon.core.notes.lines import kept_of
from arpegon.core.notes.sheet import MOVING, SHORTEST, Line, Note, Sheet
from arpegon.core.processing.parameters import (
    Choice,
    NoteKey,
    NoteValue,
    Number,
    Param,
    Switch,
    swing_param,
    with_defaults,
)
from arpegon.core.time.rhythm import beats_of

Values = Mapping[str, Any]
Work = Callable[[Sheet, set[int], Course, Values], tuple[Sheet, set[int]]]
_NEAR = 1e-9


class Plan(msgspec.Struct, frozen=True):
    """What a remedy would do."""

    sheet: Sheet
    """What comes of it,"""
    chosen: frozenset[int]
    """and where in it the notes stand that were chosen."""
    gone: tuple[Note, ...] = ()
    """Notes that would no longer be there as they are,"""
    come: tuple[Note, ...] = ()
    """and those that would be in their place."""
    words: str = ""

    @property
    def does_nothing(self) -> bool:
        """Whether all stays as it is."""
        return not self.words


class Remedy(msgspec.Struct, frozen=True):
    """A remedy."""

    name: str
    label: str
    summary: str
    params: tuple[Param, ...]
    work: Work

    def plan(self, sheet: Sheet, chosen: Collection[int], course: Course, values: Values) -> Plan:
        """What it would do to chosen notes (none chosen: to all) and the values of controllers between them."""
        some = set(chosen) or set(range(len(sheet.notes)))
        made, at = self.work(sheet, some, course, with_defaults(self.params, values))
        return planned(sheet, made, at)


def planned(before: Sheet, after: Sheet, chosen: Collection[int]) -> Plan:
    """The plan that leads from one sheet to another."""
    if before.notes is after.notes:
        return Plan(after, frozenset(chosen), (), (), _words(before, after, (), ()))
    gone, come = _without(before.notes, after.notes), _without(after.notes, before.notes)
    return Plan(after, frozenset(chosen), gone, come, _words(before, after, gone, come))


def _without(notes: Sequence[Note], others: Sequence[Note]) -> tuple[Note, ...]:
    """The notes that are not among others, each as often as it stands there more often."""
    known = set(others)
    if len(known) == len(others) and len(set(notes)) == len(notes):  # all different, as mostly
        return tuple(note for note in notes if note not in known)
    return tuple((Counter(notes) - Counter(others)).elements())


def _words(before: Sheet, after: Sheet, gone: Sequence[Note], come: Sequence[Note]) -> str:
    """What is done, counted: notes that go, that come, that are other ones, and values of controllers."""
    fewer = len(before.notes) - len(after.notes)
    others = min(len(gone), len(come))
    said = []
    if fewer > 0:
        said.append(f"{_count(fewer, 'note')} {'goes' if fewer == 1 else 'go'}")
    if fewer < 0:
        said.append(f"{_count(-fewer, 'note')} {'comes' if fewer == -1 else 'come'}")
    if others:
        said.append(f"{_count(others, 'note')} {'changes' if others == 1 else 'change'}")
    values = len(before.others) - len(after.others)
    if values > 0:
        said.append(f"{_count(values, 'value')} {'goes' if values == 1 else 'go'}")
    elif before.others != after.others:
        moved = sum(1 for one, other in zip(before.others, after.others, strict=False) if one != other)
        said.append(f"{_count(max(1, moved), 'value')} {'changes' if moved <= 1 else 'change'}")
    return ", ".join(said)


def _count(number: int, what: str) -> str:
    return f"{number} {what}" if number == 1 else f"{number:,} {what}s"


# -- clean -------------------------------------------------------------------------------------------


def _clean(sheet: Sheet, chosen: set[int], course: Course, values: Values) -> tuple[Sheet, set[int]]:
    drop: set[int] = set()
    twice = values["doubled_ms"] / 1000.0
    last: dict[tuple[int, int], float] = {}
    for place in sorted(chosen):
        note = sheet.notes[place]
        start = course.second_at(note.start)
        lasts = course.second_at(note.end) - start
        key = (note.channel, note.note)
        if (
            (values["doubtful"] and note.doubtful)
            or lasts * 1000.0 < values["shorter_ms"]
            or note.velocity < values["softer"]
            or not values["lowest"] <= note.note <= values["highest"]
            or (twice and start - last.get(key, -math.inf) < twice)
            or (values["octaves"] and _is_overtone(sheet, place))
        ):
            drop.add(place)
        else:
            last[key] = start
    kept = sheet.without(drop)
    before = [note for place, note in enumerate(sheet.notes) if place in chosen and place not in drop]
    places = {note: place for place, note in enumerate(kept.notes)}
    return kept, {places[note] for note in before}


def _is_overtone(sheet: Sheet, place: int) -> bool:
    """Whether a note is the octave of a louder one that it begins in."""
    one = sheet.notes[place]
    for other in sheet.notes[max(0, place - 24) : place + 8]:
        below = one.note - other.note in (12, 19, 24)
        if below and other.start - 0.05 <= one.start < other.end and other.velocity >= one.velocity:
            return True
    return False


# -- join --------------------------------------------------------------------------------------------


def _join(sheet: Sheet, chosen: set[int], course: Course, values: Values) -> tuple[Sheet, set[int]]:
    """Ends moved to the next beginning: of any note, or of the same key."""
    chains: dict[object, list[int]] = {}
    for place in sorted(chosen):
        note = sheet.notes[place]
        chains.setdefault((note.channel, note.note) if values["same_key"] else None, []).append(place)
    made: dict[int, Note] = {place: sheet.notes[place] for place in chosen}
    for places in chains.values():
        starts = [sheet.notes[place].start for place in places]
        for place in places:
            note = sheet.notes[place]
            after = bisect_right(starts, note.start + SHORTEST)
            if after == len(starts):
                continue
            gap = (course.second_at(starts[after]) - course.second_at(note.end)) * 1000.0
            if 0.0 < gap <= values["gap_ms"] or (gap < 0.0 and values["overlaps"]):
                made[place] = msgspec.structs.replace(note, end=starts[after])
    return sheet.replaced(made)


# -- onto the grid -----------------------------------------------------------------------------------


class _Lines:
    """The lines of a grid: steps of one length, swung, counted from each bar line at which a meter begins."""

    def __init__(self, course: Course, values: Values) -> None:
        self._starts = np.array([row[0] for row in course.meters])
        self._lengths = np.array([beats_of(values["rate"], row[1]) for row in course.meters])
        self._swing = values["swing"] / 100.0
        self._strength = values["strength"] / 100.0
        self._catch = values["catch"] / 100.0

    def at(self, beats: Sequence[float]) -> list[float]:
        """Where beats go: each towards the nearest line, where it lies near enough to one."""
        found = np.asarray(beats, dtype=float)
        meter = np.maximum(0, np.searchsorted(self._starts, found + _NEAR, side="right") - 1)
        origin, length = self._starts[meter], self._lengths[meter]
        inside = found - origin
        pair = np.floor(inside / (2.0 * length)) * 2.0 * length
        lines = np.stack((pair, pair + 2.0 * length * self._swing, pair + 2.0 * length))
        nearest = np.take_along_axis(lines, np.abs(lines - inside).argmin(axis=0)[None], axis=0)[0]
        moves = np.where(np.abs(nearest - inside) <= self._catch * length + _NEAR, nearest - inside, 0.0)
        moved: list[float] = np.maximum(0.0, found + self._strength * moves).tolist()
        return moved


def _grid(sheet: Sheet, chosen: set[int], course: Course, values: Values) -> tuple[Sheet, set[int]]:
    lines = _Lines(course, values)
    ordered = sorted(chosen)
    notes = [sheet.notes[place] for place in ordered]
    firsts = _first_of_groups(notes, course, values["group_ms"] / 1000.0)
    starts = lines.at(firsts)
    ends = lines.at([note.end for note in notes]) if values["ends"] else []
    new: dict[int, Note] = {}
    for at, (place, note) in enumerate(zip(ordered, notes, strict=True)):
        by = starts[at] - firsts[at] if values["onsets"] else 0.0
        start, end = note.start + by, note.end + by
        if values["ends"]:
            end = ends[at]
            if end <= start + SHORTEST:
                end = start + beats_of(values["rate"], course.meter_at(start)[1])
        new[place] = Note(start, end, note.note, note.velocity, note.channel, note.released, note.doubtful)
    made, places = sheet.replaced(new)
    if values["controllers"] and sheet.others:
        begin, end = _span(sheet, chosen)
        whole = len(chosen) == len(sheet.notes)
        moving = [
            at
            for at, event in enumerate(sheet.others)
            if event.status & 0xF0 in MOVING and (whole or begin <= event.time <= end)
        ]
        others = list(sheet.others)
        for at, beat in zip(moving, lines.at([others[at].time for at in moving]), strict=True):
            others[at] = others[at].at(beat)
        made = msgspec.structs.replace(made, others=_last_on_each_line(others))
    return made, places


def _first_of_groups(notes: Sequence[Note], course: Course, together: float) -> list[float]:
    """For each note the beginning of the first one of its group: those that begin within so many seconds of it."""
    if not together:
        return [note.start for note in notes]
    found: list[float] = []
    first = -math.inf
    for note in notes:
        if course.second_at(note.start) - (course.second_at(first) if found else -math.inf) > together:
            first = note.start
        found.append(first)
    return found


def _last_on_each_line(events: Sequence[Event]) -> tuple[Event, ...]:
    """Of the values of one line at one moment only the last."""
    found: list[Event] = []
    seen: set[tuple[float, int, int]] = set()
    ordered = sorted(events, key=attrgetter("time"))
    for event in reversed(ordered):  # of those of one moment the last stays
        kind = event.status & 0xF0
        if kind in MOVING:
            line = (event.time, event.status, event.data1 if kind == CONTROL else 0)
            if line in seen:
                continue
            seen.add(line)
        found.append(event)
    found.reverse()
    return tuple(found)


def _span(sheet: Sheet, chosen: set[int]) -> tuple[float, float]:
    """From the first beginning of chosen notes to their last end."""
    some = [sheet.notes[place] for place in chosen]
    return min((note.start for note in some), default=0.0), max((note.end for note in some), default=math.inf)


# -- controllers -------------------------------------------------------------------------------------


def _thin(sheet: Sheet, chosen: set[int], course: Course, values: Values) -> tuple[Sheet, set[int]]:
    """Values left out: of so many a second, or of equal stairs, the last always stays."""
    begin, end = _span(sheet, chosen)
    whole = len(chosen) == len(sheet.notes)
    by_stairs = values["way"] == "stairs"
    drop: set[int] = set()
    for places in _places(sheet).values():
        there = [place for place in places if whole or begin <= sheet.others[place].time <= end]
        kept = kept_of(
            [sheet.others[place] for place in there],
            stairs=values["stairs"] if by_stairs else None,
            apart=1.0 / values["rate_hz"],
            second_at=course.second_at,
        )
        drop.update(place for place, stays in zip(there, kept, strict=True) if not stays)
    others = tuple(event for place, event in enumerate(sheet.others) if place not in drop)
    return msgspec.structs.replace(sheet, others=others), chosen


def _places(sheet: Sheet) -> dict[Line, list[int]]:
    found: dict[Line, list[int]] = {}
    for place, event in enumerate(sheet.others):
        if event.kind in MOVING:
            found.setdefault(Line.of(event), []).append(place)
    return found


REMEDIES = {
    remedy.name: remedy
    for remedy in (
        Remedy(
            "clean",
            "Clean",
            "Takes out what was not meant: doubtful notes, stray ones, doubles.",
            (
                Switch(
                    name="doubtful",
                    label="Doubtful notes",
                    default=True,
                    help="Those that may have been heard falsely.",
                ),
                Number(
                    name="shorter_ms",
                    label="Shorter than",
                    default=0,
                    low=0,
                    high=1000,
                    unit="ms",
                    help="0: none for this.",
                ),
                Number(name="softer", label="Softer than", default=1, low=1, high=127, help="1: none for this."),
                NoteKey(name="lowest", label="Lower than", default=0, help="Notes below it go."),
                NoteKey(name="highest", label="Higher than", default=127, help="Notes above it go."),
                Number(
                    name="doubled_ms",
                    label="Struck again within",
                    default=0,
                    low=0,
                    high=500,
                    unit="ms",
                    help="The second of two strikes of one key so near to one another goes; 0: none for this.",
                ),
                Switch(
                    name="octaves",
                    label="Overtones",
                    default=False,
                    help="The octave, twelfth or double octave that begins while a louder note sounds.",
                ),
            ),
            _clean,
        ),
        Remedy(
            "join",
            "Join",
            "Stretches notes to the next one, where the gap is small.",
            (
                Number(
                    name="gap_ms",
                    label="Gaps up to",
                    default=150,
                    low=0,
                    high=5000,
                    unit="ms",
                    help="Longer ones are rests, and stay.",
                ),
                Switch(
                    name="overlaps",
                    label="Cut overlaps too",
                    default=False,
                    help="One voice: a note ends with the next.",
                ),
                Switch(
                    name="same_key", label="Each key by itself", default=False, help="Only to the next note of its key."
                ),
            ),
            _join,
        ),
        Remedy(
            "grid",
            "Onto the grid",
            "Moves beginnings, ends and controllers to lines of a note value.",
            (
                NoteValue(name="rate", label="Lines", default="1/16", help="How far they lie apart; also 1/8T, 1/4D."),
                swing_param("lines"),
                Number(
                    name="strength",
                    label="Strength",
                    default=100,
                    low=0,
                    high=100,
                    unit="%",
                    help="How much of the way.",
                ),
                Number(
                    name="catch",
                    label="Catch",
                    default=50,
                    low=1,
                    high=50,
                    unit="%",
                    help="The share of a step within which a line catches what is near; 50 catches all.",
                ),
                Number(
                    name="group_ms",
                    label="Groups of",
                    default=0,
                    low=0,
                    high=200,
                    unit="ms",
                    help="What begins within so long of a first note moves with it: a strum stays one.",
                ),
                Switch(name="onsets", label="Beginnings", default=True, help="Notes move, with their lengths."),
                Switch(name="ends", label="Ends", default=False, help="Ends go to lines too."),
                Switch(
                    name="controllers",
                    label="Controllers",
                    default=False,
                    help="Values too; of those on one line the last.",
                ),
            ),
            _grid,
        ),
        Remedy(
            "thin",
            "Thin controllers",
            "Leaves out values that are not needed; the last of each always stays.",
            (
                Choice(
                    name="way",
                    label="Way",
                    default="stairs",
                    options={"stairs": "stairs", "rate": "a second"},
                    help="As many stairs, or so many values a second.",
                ),
                Number(
                    name="stairs", label="Stairs", default=16, low=2, high=128, help="Into how many the way is cut."
                ),
                Number(
                    name="rate_hz",
                    label="Values a second",
                    default=20,
                    low=1,
                    high=200,
                    unit="a second",
                    help="At most.",
                ),
            ),
            _thin,
        ),
    )
}
"""All remedies of notes and controllers; stages can be run over a selection beside them."""
