"""Launch: what is asked for begins at once, or on the step, beat, bar, or some bars later."""

from __future__ import annotations

import msgspec
import pytest

from arpegon.core.document import edits
from arpegon.core.document.model import ClipSource, Hookup
from arpegon.core.events import control, note_off, note_on
from arpegon.engine.simulation import Engine
from arpegon.files.midi import Clip
from building import Recording, generator, note_ons, project, stage, strand

ONE = [[{"note": 60, "length": 0.2}]]
START = Hookup(id="go", number=20, target="s", action="start", way="trigger")
HALT = Hookup(id="no", number=21, target="s", action="halt", way="trigger")


def walk(**values):
    return generator("steps", "s", patterns=ONE, rate="1/8", in_scale=False, starts="action", **values)


def held_arp(**values):
    return stage("arpeggiator", "s", rate="1/8", starts="action", **values)


def at_work(one):
    out = Recording()
    engine = Engine(out)
    engine.apply(one, {}, 0.0)
    return engine, out


def press(engine, time, number=20):
    engine.feed("surface", control(time, 0, number, 127))
    engine.run(time)


def times(out):
    return [round(event.time, 4) for event in note_ons(out.out)]


RULES = [
    ({"launch": "now"}, 1.1),
    ({"launch": "step"}, 1.25),
    ({"launch": "beat"}, 1.5),
    ({"launch": "bar"}, 2.0),
    ({"launch": "bar", "launch_bars": 3}, 6.0),
]


@pytest.mark.parametrize("kind", ["steps", "arpeggiator", "rings", "rebound"])
@pytest.mark.parametrize(("rule", "wanted"), RULES)
def test_a_start_waits_for_its_line(kind, rule, wanted):
    if kind == "arpeggiator":
        one = strand(held_arp(**rule))
    elif kind == "steps":
        one = strand(sources=(walk(**rule), *strand().sources))
    else:
        one = strand(sources=(generator(kind, "s", starts="action", **rule), *strand().sources))
        if rule["launch"] == "step":
            wanted = 1.125  # what has no rate of its own counts in sixteenths
    engine, out = at_work(project(one, hookups=(START,)))
    engine.play(0.0, 0.0)
    if kind == "arpeggiator":
        engine.feed("surface", note_on(0.05, 0, 60, 90))
    press(engine, 1.1)
    if rule["launch"] != "now":
        assert engine.graph.waiting == ["s"] and engine.graph.find("s").waits
    engine.run(7.0)
    first = times(out)[0]
    assert first == wanted if kind != "rebound" else first >= wanted
    assert engine.graph.waiting == []


def test_a_start_on_the_very_line_begins_there():
    engine, out = at_work(project(strand(sources=(walk(launch="bar"), *strand().sources)), hookups=(START,)))
    engine.play(0.0, 0.0)
    press(engine, 2.0)
    engine.run(2.6)
    assert times(out) == [2.0, 2.25, 2.5]


def test_while_the_transport_stands_nothing_is_waited_for():
    engine, out = at_work(project(strand(sources=(walk(launch="bar"), *strand().sources)), hookups=(START,)))
    press(engine, 1.1)
    engine.run(1.5)
    assert times(out)[0] == 1.1


@pytest.mark.parametrize("way", ["stopped", "transport", "all off", "bypassed by another start", "starts with play"])
def test_what_waits_is_forgotten(way):
    document = project(strand(sources=(walk(launch="bar"), *strand().sources)), hookups=(START, HALT))
    engine, out = at_work(document)
    engine.play(0.0, 0.0)
    press(engine, 1.1)
    if way == "stopped":
        press(engine, 1.2, 21)
    elif way == "transport":
        engine.stop(1.2)
        engine.play(1.3, 0.0)
    elif way == "all off":
        engine.all_off(1.2)
        engine.play(1.3, 0.0)
    elif way == "starts with play":
        engine.apply(edits.set_params(document, "s", {"starts": "key"}), {}, 1.2)
    else:
        engine.apply(edits.set_params(document, "s", {"launch": "now"}), {}, 1.2)
        press(engine, 1.45)
    assert engine.graph.waiting == []
    engine.run(4.0)
    assert times(out) == [] if way != "bypassed by another start" else times(out)[0] == 1.45


def test_a_tempo_that_changes_moves_the_line_with_it():
    tempo = Hookup(id="t", number=22, param="tempo", out_low=20.0, out_high=274.0)
    document = project(strand(sources=(walk(launch="bar"), *strand().sources)), hookups=(START, tempo))
    engine, out = at_work(document)
    engine.play(0.0, 0.0)
    press(engine, 1.0)
    engine.feed("surface", control(1.0, 0, 22, 20))  # 60 a minute
    engine.run(4.0)
    assert times(out)[0] == 3.0


def test_rounds_are_kept_while_it_waits():
    three = Hookup(id="go", number=20, target="s", action="start", value=3.0, way="trigger")
    engine, out = at_work(project(strand(sources=(walk(launch="beat"), *strand().sources)), hookups=(three,)))
    engine.play(0.0, 0.0)
    press(engine, 0.3)
    engine.run(4.0)
    assert times(out) == [0.5, 0.75, 1.0]


@pytest.mark.parametrize(("bars", "line"), [(1, 2.0), (2, 4.0), (3, 6.0)])
@pytest.mark.parametrize("kind", ["steps", "arpeggiator"])
def test_a_pattern_waits_so_many_bars(kind, bars, line):
    if kind == "steps":
        patterns = [[{"note": 60}], [{"note": 72}]]
        source = generator("steps", "s", patterns=patterns, rate="1/4", in_scale=False, change="bar", change_bars=bars)
        document = project(strand(sources=(source,)))
    else:
        lanes = [[{"play": 1}], [{"play": 1, "octave": 1}]]
        values = {"rate": "1/4", "patterns": lanes, "change": "bar", "change_bars": bars, "starts": "beat"}
        document = project(strand(stage("arpeggiator", "s", **values)))
    engine, out = at_work(document)
    engine.play(0.0, 0.0)
    engine.feed("surface", note_on(0.0, 0, 60, 90))
    engine.run(1.1)
    engine.apply(edits.set_params(document, "s", {"pattern": 2}), {}, 1.1)
    engine.run(8.0)
    assert next(event.time for event in note_ons(out.out) if event.data1 == 72) == pytest.approx(line)


def test_a_pattern_that_waits_is_taken_back():
    source = generator(
        "steps", "s", patterns=[[{"note": 60}], [{"note": 72}]], rate="1/4", in_scale=False, change="bar", change_bars=2
    )
    document = project(strand(sources=(source,)))
    engine, out = at_work(document)
    engine.play(0.0, 0.0)
    for time, pattern in ((1.1, 2), (2.1, 1), (3.1, 2)):
        engine.run(time)
        engine.apply(edits.set_params(document, "s", {"pattern": pattern}), {}, time)
    engine.run(7.0)
    assert next(event.time for event in note_ons(out.out) if event.data1 == 72) == 6.0, "counted from the second asking"


@pytest.mark.parametrize(
    ("changes", "line"),
    [({"change": "beat"}, 1.5), ({"change": "bar"}, 2.0), ({"change": "bar", "change_bars": 2}, 4.0)],
)
def test_a_clip_waits_for_its_line(changes, line):
    def clip(note):
        return Clip((note_on(0.0, 0, note, 90), note_off(0.5, 0, note)), 1.0)

    clips = {"a.mid": clip(60), "b.mid": clip(72)}
    source = ClipSource(file="a.mid", more=("b.mid",), **changes)
    engine = Engine(Recording())
    engine.apply(project(strand(sources=(source,))), clips, 0.0)
    engine.play(0.0, 0.0)
    engine.run(1.1)
    chosen = ClipSource(file="a.mid", more=("b.mid",), choice=2, **changes)
    engine.apply(project(strand(sources=(chosen,))), clips, 1.1)
    engine.run(5.0)
    out = engine.graph.outputs
    assert next(event.time for event in note_ons(out.out) if event.data1 == 72) == line


def test_what_was_asked_of_a_clip_and_waits_is_said():
    clip = Clip((note_on(0.0, 0, 60, 90), note_off(1.0, 0, 60)), 4.0)
    other = Clip((note_on(0.0, 0, 62, 90), note_off(1.0, 0, 62)), 4.0)
    source = ClipSource(id="s", file="a.mid", more=("b.mid",), starts="action", change="bar")
    engine = Engine(Recording())
    engine.apply(project(strand(sources=(source,)), hookups=(START,)), {"a.mid": clip, "b.mid": other}, 0.0)
    engine.play(0.0, 0.0)
    assert engine.waiting == []
    press(engine, 0.6)
    assert engine.waiting == ["s"]
    engine.run(2.1)
    assert engine.waiting == []
    chosen = edits.set_source(engine.graph.project, "a", 0, msgspec.structs.replace(source, choice=2))
    engine.apply(chosen, {"a.mid": clip, "b.mid": other}, 2.5)
    assert engine.waiting == ["s"]
    engine.run(4.1)
    assert engine.waiting == []
