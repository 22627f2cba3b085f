"""The memory beside a real engine: what the port sent is what is remembered, under edits, kills and a slow window."""

from __future__ import annotations

import os
import random
import signal
from pathlib import Path

import pytest

from arpegon.core.document import edits
from arpegon.core.document.model import Held, PortDestination, Section
from arpegon.core.events import NOTE_OFF, NOTE_ON, note_off, note_on
from arpegon.core.notes.takes import bars, cut_take
from arpegon.core.time import studio
from arpegon.engine.live.keeper import MemoryKeeper
from arpegon.engine.wire import protocol
from arpegon.files.autosave import Autosave
from building import generator, project, stage, strand
from engine_reports import running_engine
from jacking import wait_for, without_repeats

HERE = Path(".")


@pytest.fixture
def kept(tmp_path, jack_server):
    """A running engine with a keeper that writes to a folder."""
    keeper = MemoryKeeper(lambda text: None)
    keeper.begin(tmp_path / "memory" / "1-1-1")
    with running_engine(tmp_path / "errors.log", keeper) as client:
        client.keeper = keeper
        yield client


def sounded(pair):
    """Notes that the port began and ended."""
    heard = without_repeats(pair.heard)
    ons, offs = ([message[1] for message in heard if message[0] & 0xF0 == kind] for kind in (NOTE_ON, NOTE_OFF))
    return sorted(ons), sorted(offs)


def test_stages_put_in_and_taken_out_lose_and_stretch_nothing(kept, pair):
    steps = generator("steps", patterns=[[{"note": 60}, {"note": 62}]], rate="1/16", in_scale=False)
    now = project(strand(stage("scale", "s"), sources=(steps,), destinations=(PortDestination(),)), tempo=240.0)
    kept.set_project(now, HERE)
    pair.connect_to_own_output()
    kept.send(protocol.Play(0.0))
    wait_for(lambda: pair.heard)
    dice = random.Random(1)
    added = []
    for _ in range(30):
        if added and dice.random() < 0.5:
            now = edits.remove_stage(now, added.pop(dice.randrange(len(added))))
        else:
            now, one = edits.add_stage(now, "a", dice.choice(["velocity", "transpose", "humanize"]), dice.randrange(2))
            added.append(one)
        kept.set_project(now, HERE)
        count = len(pair.heard)
        wait_for(lambda count=count: len(pair.heard) > count)
    kept.send(protocol.Stop())
    wait_for(lambda: not kept.reports.telemetry[-1].playing and sounded(pair)[0] == sounded(pair)[1])
    wait_for(lambda: sorted(bar.note for bar in bars(kept.keeper.history().generated("a"))) == sounded(pair)[0])
    lengths = [bar.end - bar.start for bar in bars(kept.keeper.history().generated("a"))]
    assert max(lengths) < 0.0625 + 0.001, "a note was kept longer than its step"


@pytest.mark.parametrize("jack_server", ["async"], indirect=True)
def test_the_notes_of_a_killed_engine_end_and_what_follows_is_remembered(kept):
    kept.set_project(project(strand(stage("chord", offsets=[7]))), HERE)
    kept.send(protocol.Feed("surface", [note_on(studio.now(), 0, 60, 90)]))
    wait_for(lambda: len(kept.keeper.history().generated("a")) == 2)
    os.kill(kept.pid, signal.SIGKILL)
    wait_for(lambda: len(kept.keeper.history().generated("a")) == 4)
    history = kept.keeper.history()
    for place in ("in", "chord", "out"):
        assert all(bar.end is not None for bar in bars(history.events["a", place])), place

    def heard_again():
        now = studio.now()
        kept.send(protocol.Feed("surface", [note_on(now, 0, 64, 90), note_off(now + 0.01, 0, 64)]))
        return any(bar.note == 71 and bar.end for bar in bars(kept.keeper.history().generated("a")))

    wait_for(heard_again)


def test_what_was_played_is_found_on_disk_when_the_window_was_killed(kept, tmp_path):
    kept.set_project(project(strand(), title="Tide"), HERE)
    now = studio.now()
    kept.send(protocol.Feed("surface", [note_on(now, 0, 60, 90), note_off(now, 0, 60)]))
    wait_for(lambda: len(kept.keeper.history().generated("a")) == 2)

    def left():  # as the next window looks, while nobody closed this one; it is written by a thread of its own
        return [one for one in Autosave(tmp_path).leftovers() if len(one.history()[0].generated("a")) == 2]

    (found,) = wait_for(left)
    history, said = found.history()
    assert not said and history.piece.title == "Tide"
    assert [bar.note for bar in bars(history.generated("a"))] == [60]


def test_a_take_over_three_tempi_lies_on_the_bars_of_the_piece(kept, pair):
    """Live, over processes: what the engine says of time reaches the take."""
    held = [(Held(param="tempo", value=value),) for value in (240.0, 120.0, 300.0)]
    sections = tuple(Section(id=f"s{place}", name=f"S{place}", bars=1, holds=one) for place, one in enumerate(held))
    steps = generator("steps", patterns=[[{"note": 60}]], rate="1/8", in_scale=False)
    kept.set_project(project(strand(sources=(steps,), destinations=(PortDestination(),)), sections=sections), HERE)
    began = kept.reports.telemetry[-1].worked_until  # the engine's own time may be behind ours
    kept.send(protocol.Play(0.0))
    wait_for(lambda: kept.reports.telemetry and kept.reports.telemetry[-1].beat > 14.0)
    take = cut_take(kept.keeper.history(), began, studio.now(), id="t", name="Tide")
    assert [round(bpm) for _, bpm in take.course.tempi] == [240, 120, 300]
    assert take.course.meters[0][2] == 1 and [name for _, name in take.course.sections] == ["S0", "S1", "S2"]
    begins = [event.time for event in take.parts[0].generated if event.kind == NOTE_ON]
    assert begins == pytest.approx([0.5 * place for place in range(len(begins))], abs=0.002) and len(begins) > 20


def test_what_was_sent_before_it_was_asked_is_remembered_when_the_engine_has_answered(kept):
    kept.set_project(project(strand(stage("chord", offsets=[7]))), HERE)
    for number in range(1, 25):
        note, before = 40 + number, len(kept.keeper.history().generated("a"))
        kept.send(protocol.Feed("surface", [note_on(studio.now(), 0, note, 90), note_off(studio.now(), 0, note)]))
        kept.send(protocol.Sync(number))
        until = kept.keeper.synced(number, 20.0)
        events = kept.keeper.history().generated("a")[before:]
        assert sorted(event.data1 for event in events) == sorted([note, note + 7] * 2)
        assert all(event.time <= until for event in events)
    assert kept.keeper.synced(99, 0.01) is None, "nobody asked"


@pytest.mark.parametrize("jack_server", ["async"], indirect=True)
def test_a_program_that_a_killed_engine_played_gets_the_end_of_every_note(kept, pair):
    kept.set_project(project(strand(destinations=(PortDestination(channel=3),))), HERE)
    pair.connect_to_own_output()
    wait_for(lambda: ("out", pair.synth.port.name) in set(kept._patch.connections))
    now, keys = studio.now(), (60, 64, 67)
    kept.send(protocol.Feed("surface", [note_on(now, 0, key, 90) for key in keys]))
    wait_for(lambda: {bar.note for bar in bars(kept.keeper.history().generated("a"))} == set(keys))
    pair.heard.clear()
    os.kill(kept.pid, signal.SIGKILL)
    wait_for(lambda: {(0x83, key) for key in keys} <= {tuple(message[:2]) for message in pair.heard}, 20.0)
