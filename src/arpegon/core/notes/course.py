"""The course of time in what was played: tempi, meters, keys and sections, and where in the piece it lay.

The engine says what holds of time whenever that is another thing (:class:`TimeFacts`); of these a take makes its
course, in which its events lie on beats, and its bar lines are those of the piece.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property
from itertools import pairwise, zip_longest
from operator import itemgetter
from typing import Any

import msgspec

from arpegon.core.events import Event
from arpegon.core.theory.scales import Key
from arpegon.core.time.clock import MAX_METER_BEATS, METER_UNITS, bar_beats
from arpegon.core.time.tempo_map import TempoMap

_TOGETHER = 1e-5
"""Seconds within which of several facts the last holds: sections begin a microsecond before their line."""
_NEAR = 1e-4
"""Beats within which two places are one."""


class TimeFacts(msgspec.Struct, array_like=True, frozen=True):
    """What holds of time from a moment on."""

    second: float
    """The engine's."""
    beat: float = 0.0
    """Where the piece is then, in quarter notes from its start."""
    tempo: float = 120.0
    playing: bool = False
    origin: float = 0.0
    """The beat from which bars are counted,"""
    bar: int = 1
    """and the number of the bar that begins there."""
    meter: tuple[int, int] = (4, 4)
    key: Key = Key()
    section: str = ""
    """The name of the section that holds; empty where there is none."""

    def beat_at(self, second: float) -> float:
        """Where the piece is at a later moment, if all goes on."""
        return self.beat + (second - self.second) * self.tempo / 60.0 if self.playing else self.beat

    def tells_more_than(self, before: TimeFacts) -> bool:
        """Whether they are not what the ones before lead to."""
        same = msgspec.structs.replace(self, second=before.second, beat=before.beat)
        return same != before or abs(before.beat_at(self.second) - self.beat) > _NEAR

    @property
    def in_bar(self) -> float:
        """How many beats of a bar have gone by; 0 while the transport stands."""
        inside = math.fmod(self.beat - self.origin, bar_beats(self.meter)) if self.playing else 0.0
        inside += bar_beats(self.meter) if inside < -_NEAR else 0.0
        return 0.0 if inside < _NEAR or bar_beats(self.meter) - inside < _NEAR else inside

    @property
    def bar_number(self) -> int:
        """The number of the bar in which the piece is."""
        return self.bar + math.floor((self.beat - self.origin) / bar_beats(self.meter) + _NEAR)


def in_order(facts: Iterable[TimeFacts]) -> list[TimeFacts]:
    """Facts as they were said, without those that were taken back at the same moment."""
    found: list[TimeFacts] = []
    for one in facts:
        while found and found[-1].second >= one.second - _TOGETHER:
            found.pop()
        found.append(one)
    return found


def second_of(facts: Iterable[TimeFacts], beat: float, since: float) -> float | None:
    """When the transport first was at a beat or past it.

    Args:
        facts: what held of time, in order; what the last of them says is taken to go on.
        since: the second from which it is looked for.

    Returns:
        The engine's second; ``None`` where the transport never came so far.
    """
    held = [fact for fact in facts if fact.second >= since]
    for fact, after in zip_longest(held, held[1:]):
        reached = fact.second + max(0.0, beat - fact.beat) * 60.0 / fact.tempo
        if fact.playing and (after is None or reached <= after.second):
            return reached
    return None


class Course(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True, forbid_unknown_fields=True, dict=True):
    """Tempi, meters, keys and sections over beats; beat 0 is a bar line. Each holds from its beat on."""

    first: float = 0.0
    """The beat on which second 0 falls."""
    tempi: tuple[tuple[float, float], ...] = ((0.0, 120.0),)
    meters: tuple[tuple[float, tuple[int, int], int], ...] = ((0.0, (4, 4), 1),)
    """Each with the number that its first bar has in the piece."""
    keys: tuple[tuple[float, Key], ...] = ()
    sections: tuple[tuple[float, str], ...] = ()
    tied: bool = False
    """Whether the transport ran, so that its bars are those of the piece; else they can be laid anew."""

    @cached_property
    def _tempo_map(self) -> TempoMap:
        return TempoMap(self.tempi)

    def second_at(self, beat: float) -> float:
        """When a beat falls, from second 0 on."""
        tempi = self._tempo_map
        return tempi.second_at(beat) - tempi.second_at(self.first)

    def beat_at(self, second: float) -> float:
        """The beat that falls at a second."""
        tempi = self._tempo_map
        return tempi.beat_at(second + tempi.second_at(self.first))

    def lay(self, events: Iterable[Event]) -> tuple[Event, ...]:
        """Events at seconds, on the beats that fall there."""
        return tuple(event.at(self.beat_at(event.time)) for event in events)

    def tempo_at(self, beat: float) -> float:
        """The tempo that holds at a beat, in beats a minute."""
        return self.tempi[max(0, bisect_right(self.tempi, beat + 1e-6, key=itemgetter(0)) - 1)][1]

    def meter_at(self, beat: float) -> tuple[float, tuple[int, int], int]:
        """The meter that holds at a beat, from which beat on, and the number of its first bar."""
        return self.meters[max(0, bisect_right(self.meters, beat + _NEAR, key=itemgetter(0)) - 1)]

    def key_at(self, beat: float) -> Key:
        """The key that holds at a beat."""
        place = bisect_right(self.keys, beat + _NEAR, key=itemgetter(0)) - 1
        return self.keys[max(0, place)][1] if self.keys else Key()

    def bar_at(self, beat: float) -> tuple[int, float, float]:
        """The bar in which a beat lies: its number, where it begins, and its length in quarter notes."""
        start, meter, number = self.meter_at(beat)
        length = bar_beats(meter)
        passed = math.floor((beat - start) / length + _NEAR)
        return number + passed, start + passed * length, length

    def lines(self, begin: float, end: float) -> Iterator[tuple[float, int | None]]:
        """The lines of beats between two beats, in order; with the number of the bar, where one begins there."""
        for place, (start, meter, number) in enumerate(self.meters):
            until = self.meters[place + 1][0] if place + 1 < len(self.meters) else math.inf
            unit = 4.0 / meter[1]
            step = max(0, math.ceil((begin - start) / unit - _NEAR)) if begin > start else 0
            if place == 0 and begin < start:
                step = math.ceil((begin - start) / unit - _NEAR)
            while (line := start + step * unit) <= end and line < until - _NEAR:
                yield line, number + step // meter[0] if step % meter[0] == 0 else None
                step += 1

    def cut(self, begin: float) -> Course:
        """The course from a bar line on, which becomes beat 0."""

        def later(rows: Sequence[Any]) -> tuple[Any, ...]:
            last = max((row for row in rows if row[0] <= begin + _NEAR), key=itemgetter(0), default=None)
            held = [] if last is None else [(0.0, *last[1:])]
            return (*held, *((row[0] - begin, *row[1:]) for row in rows if row[0] > begin + _NEAR))

        number = self.bar_at(begin)[0]
        meters = later(self.meters)
        return msgspec.structs.replace(
            self,
            first=max(0.0, self.first - begin),
            tempi=later(self.tempi),
            meters=((0.0, meters[0][1], number), *meters[1:]),
            keys=later(self.keys),
            sections=later(self.sections),
        )


def course_of(facts: Iterable[TimeFacts], start: float, end: float) -> Course:
    """The course of time between two moments of the engine.

    Bars go on over all that goes on. A bar in which the meter changes ends on the first bar line of the new meter.
    Before the transport has started, bars are laid so that it starts on its place in a bar. If the piece continues at
    another place later (it was stopped and started, a section was gone to), the bars before it are stretched until that
    place is reached.
    """
    held, later = _held(in_order(facts), start, end)
    later = [fact for fact, after in zip(later, [*later[1:], None], strict=False) if _holds_until(fact, after)]
    tied = any(fact.playing for fact in (held, *later))
    meter, beat = _begun(held, later)
    tempi = [(0.0, held.tempo)]
    meters = [(0.0, meter, held.bar_number)]
    keys = [(0.0, held.key)]
    sections = [(0.0, held.section)] if held.section and held.playing else []
    first, since = beat, beat
    for fact in later:
        passed = since + (fact.second - held.second) * held.tempo / 60.0
        goes_on = held.playing and fact.playing and abs(held.beat_at(fact.second) - fact.beat) < _NEAR
        same_bars = goes_on and held.meter == fact.meter and _on_a_bar(fact.origin - held.origin, fact.meter)
        # While the transport stands bars go on as they were.
        if goes_on and not same_bars:
            _turn_meter(meters, passed, fact)
        elif fact.playing and not same_bars:
            reached = _reached(passed, fact, meters[-1])
            begun = _stretched_from(passed, since, reached, meters[-1])
            if reached - passed > _NEAR and passed - begun > _NEAR:
                _put(
                    tempi, (begun if begun > since else tempi[-1][0], held.tempo * (reached - begun) / (passed - begun))
                )
            elif passed - first <= _NEAR:  # nothing was played before it
                first = reached
            passed = reached
            _put(meters, (passed - fact.in_bar, fact.meter, fact.bar_number))
        _put(tempi, (passed, fact.tempo))
        if fact.key != keys[-1][1]:
            _put(keys, (passed, fact.key))
        if fact.section and fact.playing and not (goes_on and fact.section == held.section):
            _put(sections, (passed, fact.section))
        held, since = fact, passed
    return Course(
        first=first,
        tempi=(tempi[0], *(row for before, row in pairwise(tempi) if row[1] != before[1])),
        meters=tuple(meters),
        keys=tuple(keys),
        sections=tuple(sections),
        tied=tied,
    )


def _begun(held: TimeFacts, later: Sequence[TimeFacts]) -> tuple[tuple[int, int], float]:
    """The first meter, and how many beats of its bar have gone by: those of the transport, once it starts."""
    if held.playing:
        return held.meter, held.in_bar
    passed = 0.0
    for fact, after in pairwise((held, *later)):
        passed += (after.second - fact.second) * fact.tempo / 60.0
        if after.playing:
            bar = bar_beats(after.meter)
            beat = (after.in_bar - passed) % bar
            return after.meter, 0.0 if bar - beat < _NEAR else beat
    return held.meter, 0.0


def _turn_meter(meters: list[tuple[float, tuple[int, int], int]], passed: float, fact: TimeFacts) -> None:
    """Count bars in another meter: the bar that has begun ends on the first bar line of the new one."""
    while len(meters) > 1 and meters[-1][0] > passed + _NEAR:
        meters.pop()
    start, meter, number = meters[-1]
    bars = math.floor((passed - start) / bar_beats(meter) + _NEAR)
    begun = start + bars * bar_beats(meter)
    line = passed + (bar_beats(fact.meter) - fact.in_bar if fact.in_bar else 0.0)
    if line - begun > _NEAR:
        odd = _meter_lasting(line - begun, fact.meter[1])
        if odd is not None:
            _put(meters, (begun, odd, number + bars))
    _put(meters, (line, fact.meter, fact.bar_number + bool(fact.in_bar)))


def _meter_lasting(beats: float, unit: int) -> tuple[int, int] | None:
    """The meter whose bar lasts so many quarter notes, with this unit or the coarsest finer one."""
    for finer in (one for one in METER_UNITS if one >= unit):
        count = beats * finer / 4.0
        if abs(count - round(count)) < _NEAR * finer and 1 <= round(count) <= MAX_METER_BEATS:
            return round(count), finer
    return None


def _held(facts: Sequence[TimeFacts], start: float, end: float) -> tuple[TimeFacts, list[TimeFacts]]:
    """What held at the beginning, and what came after it."""
    before = [fact for fact in facts if fact.second <= start + _TOGETHER]
    later = [fact for fact in facts if start + _TOGETHER < fact.second < end]
    held = before[-1] if before else msgspec.structs.replace(later[0], playing=False) if later else TimeFacts(start)
    return msgspec.structs.replace(held, second=start, beat=held.beat_at(start)), later


def _holds_until(fact: TimeFacts, after: TimeFacts | None) -> bool:
    """Whether a fact holds for so long that the next one lies on another place."""
    return after is None or (after.second - fact.second) * fact.tempo / 60.0 > _NEAR


def _on_a_bar(beats: float, meter: tuple[int, int]) -> bool:
    bars = beats / bar_beats(meter)
    return abs(bars - round(bars)) < _NEAR


def _reached(beat: float, fact: TimeFacts, meter: tuple[float, tuple[int, int], int]) -> float:
    """The first beat from one on at which the bars of the last meter meet those in which the piece now is."""
    start, length = meter[0], bar_beats(meter[1])
    bars = math.ceil((beat - fact.in_bar - start - _NEAR) / length)
    return start + max(0, bars) * length + fact.in_bar


def _last_bar(beat: float, since: float, meter: tuple[float, tuple[int, int], int]) -> float:
    """Where the bar begins that ends at or holds a beat, or what it is in, if that begins later."""
    start, length = meter[0], bar_beats(meter[1])
    line = start + math.floor((beat - start - _NEAR) / length) * length
    return max(since, line)


def _stretched_from(passed: float, since: float, reached: float, meter: tuple[float, tuple[int, int], int]) -> float:
    """The bar line from which beats are stretched: the last one, or an earlier one if beats would last over twice as
    long otherwise."""
    begun, bar = _last_bar(passed, since, meter), bar_beats(meter[1])
    while reached - begun > 2.0 * (passed - begun) and begun - bar >= since - _NEAR:
        begun -= bar
    return begun


def _put(rows: list[Any], row: tuple[Any, ...]) -> None:
    """Put a row at the end; those that would hold from there on only go."""
    while rows and rows[-1][0] >= row[0] - _NEAR:
        rows.pop()
    rows.append(row)
