"""Where a stage is can be asked at any moment, whatever was set, played, started and stopped just before."""

from __future__ import annotations

import math
import time

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from test_first_note import Nowhere

from arpegon.core.events import note_off, note_on
from arpegon.engine.live.loop import LiveEngine
from arpegon.engine.simulation import Engine
from arpegon.engine.wire import protocol
from arpegon.processors.registry import LISTENINGS
from building import Quiet, project, working
from strategies import ALL_KINDS

WALK = {"rate": "1/16", "patterns": [[{"note": 60}]]}
KINDS = sorted(kind for kind in ALL_KINDS if kind not in LISTENINGS)


@pytest.mark.parametrize("kind", KINDS)
@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large])
@given(st.data())
def test_a_stage_says_where_it_is_at_any_moment(kind, data):
    engine = Engine(Quiet())
    now = 0.0
    engine.apply(project(working(kind, {})), {}, now)
    for _ in range(data.draw(st.integers(1, 8))):
        what = data.draw(st.sampled_from(["values", "document", "play", "stop", "key", "all off", "wait"]))
        if what == "values":
            engine.set_params("s", data.draw(ALL_KINDS[kind]))
        elif what == "document":
            engine.apply(project(working(kind, data.draw(ALL_KINDS[kind]))), {}, now)
        elif what == "play":
            engine.play(now, data.draw(st.sampled_from([0.0, 3.0])))
        elif what == "stop":
            engine.stop(now)
        elif what == "key":
            key = data.draw(st.integers(58, 66))
            engine.feed("surface", note_on(now, 0, key, 90))
            engine.feed("surface", note_off(now + 0.3, 0, key))
        elif what == "all off":
            engine.all_off(now)
        said = [engine.graph.find("s").live(now)]
        now += data.draw(st.sampled_from([0.0, 0.01, 0.26, 1.3]))
        engine.run(now)
        said.append(engine.graph.find("s").live(now + 0.005))
        assert all(math.isfinite(number) for numbers in said for number in numbers)


def test_steps_of_which_the_last_pattern_is_taken_out_while_they_play_are_nowhere():
    engine = Engine(Quiet())
    engine.apply(project(working("steps", WALK)), {}, 0.0)
    engine.play(0.0)
    engine.run(0.3)
    assert engine.graph.find("s").live(0.3)[0] >= 0
    engine.apply(project(working("steps", {**WALK, "patterns": []})), {}, 0.3)
    engine.run(0.6)
    assert engine.graph.find("s").live(0.6)[0] == -1


def test_a_stage_that_cannot_say_where_it_is_ends_nothing(caplog):
    live = LiveEngine(Nowhere())
    live.soon(lambda at: live.set_project(protocol.SetProject(project(working("steps", WALK)), "."), at))
    live.soon(lambda at: live.watch("s"))
    now = time.monotonic()
    live._work(now)
    live.engine.graph.find("s").live = lambda at: [][0]
    live._tell(now)
    (told,) = [one for one in live.wire.told if isinstance(one, protocol.Telemetry)]
    assert told.live == [] and "where a stage is could not be told" in caplog.text


def test_where_nothing_can_be_told_the_loop_goes_on_and_tells_later(monkeypatch, caplog):
    live = LiveEngine(Nowhere())
    faults = [ValueError("a report that cannot be"), OverflowError("nor this one")]

    def tell(now):
        if faults:
            raise faults.pop()
        live.quit(now)

    monkeypatch.setattr(live, "_tell", tell)
    live.run()
    assert not faults and caplog.text.count("how things are could not be told") == 2
