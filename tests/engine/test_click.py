"""The metronome: on every beat, another note on the first of a bar, and while bars are counted."""

from __future__ import annotations

import pytest

from arpegon.core.document import edits
from arpegon.core.document.model import ClickSource, ClipSource
from arpegon.core.time.clock import position, position_text
from arpegon.engine.offline import run
from arpegon.engine.simulation import Engine
from arpegon.files.midi import Clip
from arpegon.files.project import format_project, parse_project
from arpegon.sound import CLICK_SOUND
from building import Quiet, assert_whole, note_ons, notes, pitches, project, strand

CLICKS = strand(sources=(ClickSource(),))


class Sink(Quiet):
    def __init__(self):
        self.sent = []

    def instrument(self, name, events):
        self.sent += events

    port = instrument


@pytest.mark.parametrize(
    ("meter", "wanted", "gap"),
    [((4, 4), [76, 77, 77, 77, 76, 77], 0.5), ((3, 8), [76, 77, 77, 76, 77, 77], 0.25)],
)
def test_it_strikes_every_beat_and_the_first_of_a_bar_otherwise(meter, wanted, gap):
    made = run(project(CLICKS, tempo=120.0, meter=meter), [], seconds=6 * gap).strands["a"]
    assert pitches(made) == wanted
    assert [event.time for event in note_ons(made)] == pytest.approx([place * gap for place in range(6)])
    assert_whole(made)


def test_bars_that_are_counted_click_while_clips_wait():
    clip = Clip(tuple(notes(60, gap=1.0, length=0.5)), 4.0)
    both = project(CLICKS, strand(strand_id="b", sources=(ClipSource(file="c.mid"),)), tempo=60.0)
    sink = Sink()
    engine = Engine(sink)
    engine.apply(both, {"c.mid": clip}, 0.0)
    engine.play(0.0, -4.0)
    engine.run(4.5)
    assert [(event.time, event.data1) for event in note_ons(sink.sent)] == [
        *((0.0, 76), (1.0, 77), (2.0, 77), (3.0, 77)),
        *((4.0, 76), (4.0, 60)),
    ]
    assert position_text(*position(-4.0, (4, 4))) == "0.1.000"


def test_it_starts_on_the_next_beat_stops_with_the_transport_and_may_come_while_it_plays():
    sink = Sink()
    engine = Engine(sink)
    engine.apply(project(tempo=60.0), {}, 0.0)
    engine.play(0.0, 1.5)
    engine.run(0.2)
    engine.apply(project(CLICKS, tempo=60.0), {}, 0.2)
    engine.run(1.6)
    engine.stop(1.6)
    engine.run(9.0)
    assert [event.time for event in note_ons(sink.sent)] == pytest.approx([0.5, 1.5])
    assert engine.graph.sounding == 0
    assert_whole(sink.sent)


def test_a_strand_of_its_own_is_added_and_saved():
    now, made = edits.add_metronome(edits.set_project(project(), count_in=2), CLICK_SOUND)
    assert now.instrument(now.strand(made).destinations[0].instrument).sound == "tin-kit"
    text = format_project(now)
    assert b'"count_in": 2' in text and parse_project(text) == now
    named = text.replace(b'"kind": "click"', b'"kind": "click", "bar_note": "C5"')
    assert parse_project(named).strand(made).sources[0].bar_note == 72
