"""Another rate, or another way to start, while music plays: it goes on from now, and makes up for nothing."""

from __future__ import annotations

import pytest

from arpegon.core.document import edits
from arpegon.core.document.model import Hookup
from arpegon.core.events import NOTE_ON, control, note_off, note_on
from arpegon.engine.offline import run
from arpegon.engine.simulation import Engine
from building import Recording, generator, project, stage, strand

CHANGE = 4.6
"""In beats, which are half seconds."""


def steps(**more):
    return strand(
        sources=(generator("steps", "x", patterns=[[{"play": "note", "note": 60}]], **more), *strand().sources)
    )


def rings(rate, **more):
    ring = {"steps": 4, "hits": 4, "rate": rate}
    return strand(sources=(generator("rings", "x", patterns=[[ring]], **more), *strand().sources))


KINDS = {
    "steps": lambda rate: steps(rate=rate),
    "steps of a key, in time": lambda rate: steps(rate=rate, starts="key", in_time=True),
    "steps of a key": lambda rate: steps(rate=rate, starts="key", in_time=False),
    "rings": rings,
    "arpeggiator on the beat": lambda rate: strand(stage("arpeggiator", "x", rate=rate, starts="beat")),
    "arpeggiator": lambda rate: strand(stage("arpeggiator", "x", rate=rate, starts="key", gather_ms=0)),
    "repeat on the beat": lambda rate: strand(stage("repeat", "x", rate=rate, starts="beat", times=0)),
    "repeat": lambda rate: strand(stage("repeat", "x", rate=rate, starts="key", times=0)),
}


def struck(events, since):
    """The beats on which notes begin after a beat."""
    return [round(event.time * 2.0, 3) for event in events if event.kind == NOTE_ON and event.time * 2.0 > since - 1e-9]


def heard(first, then, by):
    """What leaves when a document becomes another one in the middle of a beat."""
    out = Recording()
    engine = Engine(out)
    engine.apply(first, {}, 0.0)
    engine.play(0.0, 0.0)
    engine.feed("surface", note_on(0.0, 0, 60, 90))
    engine.run(CHANGE / 2.0)
    if by == "document":
        engine.apply(then, {}, CHANGE / 2.0)
    else:
        stage_of = next(one for _, one in then.stages() if one.id == "x")
        engine.set_params("x", stage_of.params)
    engine.run(3.2)
    return struck(out.out, CHANGE)


@pytest.mark.parametrize("by", ["document", "knob"])
@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize(
    ("before", "after", "beats"),
    [
        ("1/4", "1/16", [4.75, 5.0, 5.25, 5.5, 5.75, 6.0, 6.25]),
        ("1/16", "1/4", [5.0, 6.0]),
        ("4 bars", "1/4", [5.0, 6.0]),
    ],
)
def test_another_rate_goes_on_from_now_on_its_own_grid(kind, by, before, after, beats):
    found = heard(project(KINDS[kind](before)), project(KINDS[kind](after)), by)
    if before == "1/16" and not kind.endswith(("beat", "steps", "rings", "time")):
        beats = [5.5]  # a quarter after the last sixteenth
    assert found == beats


@pytest.mark.parametrize("by", ["document", "knob"])
@pytest.mark.parametrize("in_time", [True, False])
def test_what_starts_with_play_while_it_plays_joins_where_the_music_is(by, in_time):
    first = project(steps(rate="1/4", starts="key", in_time=in_time))
    found = heard(first, project(steps(rate="1/4", starts="play", in_time=in_time)), by)
    assert found == [5.0, 6.0]


def test_a_section_that_holds_another_rate_begins_with_one_note_on_its_line():
    one = steps(rate="1/4")
    document = project(one, hookups=(Hookup(id="h", number=20, target="x", param="rate"),))
    turned = [event for _, event in run(document, [control(2.3, 0, 20, 60)], seconds=4.0).instruments]
    gaps = [b - a for a, b in zip(struck(turned, 4.0), struck(turned, 4.0)[1:], strict=False)]
    assert gaps and min(gaps) > 0.05


def test_what_is_taken_back_in_makes_up_for_nothing():
    one = project(strand(stage("arpeggiator", "x", rate="1/16", starts="beat")))
    out = Recording()
    engine = Engine(out)
    engine.apply(edits.set_bypass(one, "x", True), {}, 0.0)
    engine.play(0.0, 0.0)
    engine.feed("surface", note_on(0.0, 0, 60, 90))
    engine.run(CHANGE / 2.0)
    engine.apply(one, {}, CHANGE / 2.0)
    engine.feed("surface", note_off(CHANGE / 2.0, 0, 60))
    engine.feed("surface", note_on(CHANGE / 2.0 + 0.01, 0, 62, 90))
    engine.run(3.2)
    assert struck(out.out, CHANGE) == [4.75, 5.0, 5.25, 5.5, 5.75, 6.0, 6.25]
