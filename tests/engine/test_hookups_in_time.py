"""A hookup changes what comes after it, and nothing before: a render of what was played is what was heard."""

from __future__ import annotations

import math
import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from arpegon.core.document.model import Hookup
from arpegon.core.events import CONTROL, NOTE_ON, control, note_off, note_on
from arpegon.engine.offline import _END as END
from arpegon.engine.offline import heard_alike, run
from arpegon.engine.simulation import Engine
from building import Recording, generator, project, stage, strand

STEPS = generator(
    "steps",
    "s",
    rate="1/4",
    patterns=[[{"play": "note", "note": note, "velocity": 50} for note in bar] for bar in ([60, 64], [67, 71, 74])],
)
WAYS = {
    "level": {"target": "s", "param": "level"},
    "tempo": {"param": "tempo"},
    "mute": {"target": "a", "action": "mute", "way": "toggle"},
    "bypass": {"target": "t", "action": "bypass", "way": "toggle"},
    "pattern": {"target": "s", "action": "pattern-next", "way": "trigger"},
    "depth": {"target": "l", "param": "high"},
    "rate": {"target": "r", "param": "rate"},
    "transpose": {"target": "t", "param": "semitones"},
    "late": {"target": "h", "param": "time_ms"},
    "jump": {"action": "to-start", "way": "trigger"},
    "halt": {"action": "play-stop", "way": "trigger"},
    "step": {"target": "s", "param": "patterns.1.2.note"},
    "destination": {"target": "a", "param": "destinations.1.muted", "way": "toggle"},
    "zone": {"target": "a", "param": "sources.2.high_key"},
}
TAPPED = {
    "what leaves": {"tap": "a/out", "control": "velocity", "target": "t", "param": "semitones"},
    "what enters": {"tap": "a/in", "control": "velocity", "param": "tempo"},
    "what repeats": {"tap": "a/r", "control": "velocity", "target": "a", "action": "mute", "way": "toggle"},
    "the wave": {"tap": "a/l", "control": "pressure", "target": "s", "param": "patterns.1.2.note"},
    "itself": {"tap": "a/in", "control": "velocity", "action": "to-start", "way": "trigger"},
}
"""Hookups that are moved by what passes in the strand itself."""
ALL_WAYS = sorted(WAYS | TAPPED)


def document(*ways):
    chain = (
        stage("transpose", "t", semitones=3),
        stage("lfo", "l", unit="hz", hz=2.0, target="cc", to_number=74),
        stage("repeat", "r", rate="1/8", times=1),
        stage("humanize", "h", velocity=False, timing=True, time_ms=90),
    )
    hooks = tuple(Hookup(id=way, number=20 + place, **(WAYS | TAPPED)[way]) for place, way in enumerate(ways))
    return project(strand(*chain, sources=(STEPS, *strand().sources), along=False), hookups=hooks)


def stepped(one, played, seconds, seed):
    """What leaves when the engine is woken at any moments, and things arrive as they are played."""
    out, draw = Recording(), random.Random(seed)
    engine = Engine(out)
    engine.apply(heard_alike(one), {}, 0.0)
    engine.play(0.0, 0.0)
    now = 0.0
    for event in played:
        while draw.random() < 0.7:
            now += (event.time - now) * draw.random()
            engine.run(now)
        engine.feed("surface", event)
    while now < seconds - END:
        now = min(seconds - END, now + draw.random() * 0.2)
        engine.run(now)
    engine.stop(seconds)
    engine.run(seconds)
    engine.finish(seconds)
    return out.out


@pytest.mark.parametrize("way", [way for way in WAYS if way != "zone"])
def test_what_was_before_a_hookup_is_as_without_it(way):
    at = 2.25
    plain = [event for _, event in run(document(), [], seconds=4.0).instruments]
    turned = [
        event
        for _, event in run(document(way), [control(at, 0, 20, 30 if way == "depth" else 127)], seconds=4.0).instruments
    ]
    before = [event for event in plain if event.time < at]
    assert before == [event for event in turned if event.time < at]
    assert sum(event.kind == NOTE_ON for event in before) > 4 and any(event.kind == CONTROL for event in before)
    assert turned != plain


moves = st.lists(
    st.tuples(st.integers(1, 3900), st.integers(0, 4), st.integers(0, 127)), max_size=14, unique_by=lambda row: row[0]
)


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.sampled_from(sorted(WAYS | TAPPED)), min_size=1, max_size=4, unique=True), moves, st.integers(0, 2**16)
)
def test_a_render_of_what_was_played_is_what_was_heard(ways, rows, seed):
    played = []
    for milliseconds, number, amount in sorted(rows):
        at = milliseconds / 1000.0 + 0.0003
        if number == 4:
            played += [note_on(at, 0, 40 + amount % 40, 90), note_off(at + 0.0002, 0, 40 + amount % 40)]
        else:
            played.append(control(at, 0, 20 + number, amount))
    one = document(*ways)
    heard = stepped(one, played, 4.0, seed)
    assert [event for _, event in run(one, played, seconds=4.0).instruments] == heard


@pytest.mark.parametrize("kind", ["arpeggiator", "thin", "humanize", "repeat"])
def test_what_comes_a_hair_after_a_step_hangs_nothing(kind):
    one = project(strand(stage(kind, "x")), hookups=(Hookup(id="h", number=20, param="tempo"),))
    played = [note_on(0.0, 0, 60, 90)]
    for place in range(1, 40):
        step = place * 0.125
        for _ in range(3):
            step = math.nextafter(step, math.inf)
            played.append(control(step, 0, 1, place))
        for _ in range(6):
            step = math.nextafter(step, -math.inf)
            played.append(control(step, 0, 1, place))
    played.sort(key=lambda event: event.time)
    assert run(one, played, seconds=5.0).strands["a"]
