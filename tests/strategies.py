"""Values for any stage, drawn from its declarations: a new processor is under test as soon as it is declared."""

from __future__ import annotations

from hypothesis import strategies as st

from arpegon.core.processing.entries import Entries
from arpegon.core.processing.parameters import (
    Choice,
    Flags,
    KeyThreads,
    NoteKey,
    NoteValue,
    Number,
    Numbers,
    PitchClass,
    PitchClasses,
    Points,
    Switch,
)
from arpegon.core.processing.patterns import Patterns
from arpegon.core.processing.toss import Bounds, Tosses
from arpegon.core.theory.chords import CHORD_TYPES, STACKS
from arpegon.core.time.rhythm import NOTE_VALUES
from arpegon.processors import GENERATORS, PROCESSORS, WORKS
from arpegon.processors.registry import LISTENINGS
from arpegon.processors.stages.lane import WORDS, LanePlay
from arpegon.processors.stages.pads import Pads

NOTE = st.integers(0, 127)
ROOTS = st.sampled_from(["C", "Eb", "F#", "B"])


def _pads():
    by_name = st.fixed_dictionaries(
        {"trigger": st.integers(58, 66), "root": ROOTS, "quality": st.sampled_from(sorted(CHORD_TYPES))},
        optional={"inversion": st.integers(-4, 4), "register": st.integers(-3, 3)},
    )
    by_degree = st.fixed_dictionaries(
        {"trigger": st.integers(58, 66), "degree": st.integers(1, 12), "stack": st.sampled_from(sorted(STACKS))}
    )
    return st.lists(by_name | by_degree, max_size=4, unique_by=lambda pad: pad["trigger"])


def value_of(param):
    """Any value that a declaration allows."""
    match param:
        case Number(whole=True):
            return st.integers(int(param.low), int(param.high))
        case Number():
            return st.floats(param.low, param.high)
        case Choice():
            return st.sampled_from(list(param.options))
        case Switch():
            return st.booleans()
        case PitchClass():
            return ROOTS
        case PitchClasses():
            return st.sampled_from([[], [None, "C", *[None] * 10], ["G", *[None] * 10, "C"]])
        case Numbers(whole=True):
            return st.lists(st.integers(int(param.low), int(param.high)), max_size=min(8, param.max_count))
        case Numbers():
            return st.lists(st.floats(param.low, param.high), max_size=min(8, param.max_count))
        case NoteValue():
            return st.sampled_from(NOTE_VALUES)
        case NoteKey():
            return NOTE
        case Flags():
            return st.lists(st.sampled_from(list(param.options)), unique=True)
        case Points():
            point = st.tuples(st.integers(param.low, param.high), st.integers(param.low, param.high)).map(list)
            return st.lists(point, max_size=4, unique_by=lambda point: point[0]).map(sorted)
        case KeyThreads():
            return st.dictionaries(st.integers(58, 66).map(str), st.lists(NOTE, max_size=3, unique=True), max_size=4)
        case Pads():
            return _pads()
        case LanePlay():
            return st.sampled_from(WORDS) | st.integers(1, 6)
        case Entries():
            fields = {field.name: value_of(field) for field in param.fields}
            return st.lists(st.fixed_dictionaries({}, optional=fields), max_size=min(6, param.max_count))
        case Patterns():
            one = value_of(param.one).filter(lambda pattern: len(pattern) >= param.min_count)
            return st.lists(one, max_size=3)
        case Bounds():
            pairs = {
                lane.name: st.tuples(st.sampled_from([lane.low, lane.rest_low]), st.just(lane.high)).map(list)
                for lane in param.lanes
            }
            return st.fixed_dictionaries({}, optional=pairs)
        case Tosses():
            toss = st.fixed_dictionaries(
                {"seed": st.integers(0, 99), "made": value_of(param.pattern)}, optional={"star": st.booleans()}
            )
            return st.lists(toss, max_size=2)
    raise AssertionError(f"no strategy for {param!r}")


def values_of(kind):
    """Any values of a kind of stage; some left out, so that defaults are met too."""
    params = WORKS[kind].params
    return st.fixed_dictionaries({}, optional={param.name: value_of(param) for param in params})


KINDS = {kind: values_of(kind) for kind in PROCESSORS}
SOURCES = {kind: values_of(kind) for kind in GENERATORS}
HEARD = {kind: values_of(kind) for kind in LISTENINGS}
ALL_KINDS = KINDS | SOURCES | HEARD
