"""Takes of what was heard lie on the bars on which it was heard, over tempi, meters, jumps and stops."""

from __future__ import annotations

import mido
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from arpegon.core.document.model import Held, Section
from arpegon.core.events import NOTE_ON
from arpegon.core.notes.memory import Memory, PieceFacts
from arpegon.core.notes.takes import cut_take
from arpegon.core.notes.taps import Batch, Passage
from arpegon.engine.simulation import Engine
from arpegon.files.assets import CLIPS
from arpegon.files.midi import Track, write_song
from arpegon.files.places import DEMO
from arpegon.files.project import load_project
from building import Quiet, generator, note_ons, project, strand


class Remembering(Quiet):
    """Outputs that fill a memory as the window's does."""

    def __init__(self):
        self.memory = Memory()

    def printed(self, strand_id, places, events):
        self.memory.remember(Batch(1, [Passage(strand_id, places, list(events))]))

    def timed(self, facts):
        self.memory.remember(Batch(1, [], [facts]))


def at_work(one, clips=None, start=100.0):
    """An engine whose seconds do not begin at 0, as those of a running computer."""
    out = Remembering()
    out.memory.remember(PieceFacts(1, one.tempo, one.meter, tuple((each.id, each.name) for each in one.strands)))
    engine = Engine(out)
    engine.now = start
    engine.apply(one, clips or {}, start)
    return engine, out


def take_of(out, start, end):
    return cut_take(out.memory.history(), start, end, id="t", name="Tide")


def tempo(value):
    return (Held(param="tempo", value=value),)


def test_a_take_over_the_three_tempi_of_the_demo_is_exported_on_its_bars(tmp_path):
    one = load_project(DEMO)
    clips, _ = CLIPS.load(one, DEMO.parent)
    engine, out = at_work(one, clips)
    engine.play(100.0, 24.0)  # before the end of the first section of 32 beats
    engine.run(100.0 + 60.0)
    take = take_of(out, 100.0, 160.0)
    assert {round(bpm) for _, bpm in take.course.tempi} == {96, 84, 104}
    assert [name for _, name in take.course.sections] == ["Lamps lit", "Fog comes in", "The tide turns"]
    tracks = [Track(part.name, part.played) for part in take.parts]
    write_song(tmp_path / "demo.mid", tracks, take.course, "Tide")
    file = mido.MidiFile(tmp_path / "demo.mid", charset="utf-8")
    markers, tick = {}, 0
    for message in file.tracks[0]:
        tick += message.time
        if message.type == "marker":
            markers[message.text] = tick / 3840
    assert markers == {"Lamps lit": 0.0, "Fog comes in": 2.0, "The tide turns": 10.0}
    deck = next(track for track in file.tracks if track.name == "Deck steps")
    tick, struck = 0, []
    for message in deck:
        tick += message.time
        if message.type == "note_on":
            struck.append(tick)
    assert len(struck) > 60 and {one % 480 for one in struck} <= {479, 0, 1, 277, 278, 279}, (
        "swung sixteenths throughout"
    )


@settings(max_examples=40)
@given(data=st.data())
def test_beats_of_a_take_are_those_on_which_it_was_played(data):
    tempi = data.draw(st.lists(st.floats(40.0, 300.0), min_size=1, max_size=3))
    meters = data.draw(st.lists(st.sampled_from([(4, "4"), (3, "4"), (7, "8"), (5, "4")]), min_size=3, max_size=3))
    sections = tuple(
        Section(
            id=f"s{place}",
            name=f"S{place}",
            bars=data.draw(st.integers(1, 2)),
            tempo_to=data.draw(st.sampled_from([None, 150.0])),
            then=data.draw(st.sampled_from(["on", "on", "again", "top"])),
            holds=(
                *tempo(bpm),
                Held(param="meter_beats", value=meters[place][0]),
                Held(param="meter_unit", value=meters[place][1]),
            ),
        )
        for place, bpm in enumerate(tempi)
    )
    walk = generator("steps", "s", patterns=[[{"note": 60, "length": 0.3}]], rate="1/8", in_scale=False)
    engine, out = at_work(project(strand(sources=(walk,)), sections=sections))
    waits = data.draw(st.floats(0.0, 3.0))
    engine.run(100.0 + waits)
    engine.play(100.0 + waits, 0.0)
    for _ in range(data.draw(st.integers(0, 3))):
        engine.run(engine.now + data.draw(st.floats(0.1, 4.0)))
        engine.sections.go(data.draw(st.integers(0, len(sections) - 1)), engine.now)
    engine.run(engine.now + 3.0)
    take = take_of(out, 100.0, engine.now)
    begins = [event.time for event in take.parts[0].generated if event.kind == NOTE_ON]
    assert len(begins) > 3
    for beat in begins:
        _, line, _ = take.course.bar_at(beat + 0.02)
        eighths = (beat - line) / 0.5
        assert abs(eighths - round(eighths)) < 0.02, "every note on an eighth of its own bar"


def test_a_take_of_what_was_played_freely_keeps_its_seconds():
    from arpegon.core.events import note_off, note_on

    engine, out = at_work(project(strand(), tempo=90.0))
    for time in (100.3, 101.1, 101.25):
        engine.feed("surface", note_on(time, 0, 60, 90))
        engine.feed("surface", note_off(time + 0.05, 0, 60))
    engine.run(102.0)
    take = take_of(out, 100.3, 102.0)
    assert not take.course.tied and take.course.tempi == ((0.0, 90.0),)
    seconds = [event.time for event in take.in_seconds(note_ons(take.parts[0].played))]
    assert seconds == pytest.approx([0.0, 0.8, 0.95])
