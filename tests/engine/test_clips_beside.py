"""Clips are read beside the loop, the transport waits for those named just before it starts, and the rest goes on."""

from __future__ import annotations

import math
import threading
import time
from pathlib import Path

import pytest
from test_first_note import Nowhere

from arpegon.core.document.model import ClipSource
from arpegon.core.events import note_on
from arpegon.engine.live import start_stop
from arpegon.engine.live.loop import LiveEngine
from arpegon.engine.wire import protocol
from arpegon.files import asset_reader
from arpegon.files import assets as reading
from arpegon.files.asset_reader import AssetReader
from arpegon.files.assets import CLIPS, AssetKind
from arpegon.files.midi import Track, write_midi
from building import notes, pitches, project, strand
from jacking import wait_for

CLIP = strand(sources=(ClipSource(file="tide.mid"),))


@pytest.fixture
def folder(tmp_path):
    write_midi(tmp_path / "tide.mid", [Track("x", notes(60))], 120.0)
    return tmp_path


@pytest.fixture(autouse=True)
def always_looked_at(monkeypatch):
    monkeypatch.setattr(asset_reader, "LOOK_SECONDS", 0.0)


@pytest.fixture
def slow(monkeypatch):
    """Clips that take their time, until they are let go."""
    gate, real = threading.Event(), reading.read_midi
    monkeypatch.setattr(reading, "read_midi", lambda *asked: gate.wait(20.0) and real(*asked))
    return gate


def printed(live, place):
    batches = [one for one in live.wire.told if type(one).__name__ == "Batch"]
    return [
        event for batch in batches for passage in batch.passages if place in passage.places for event in passage.events
    ]


def work(live, now):
    live._work(now)
    live.reporter.send_batches()


def test_what_is_read_is_told_once_and_again_only_when_it_changed(folder):
    told = []
    reader = AssetReader(CLIPS, lambda clips, missing: told.append((dict(clips), missing)))
    assert reader.want(project(CLIP), folder)
    wait_for(lambda: told)
    assert list(told[0][0]) == ["tide.mid"] and not told[0][1]
    assert not reader.want(project(CLIP), folder), "it was read before"
    write_midi(folder / "tide.mid", [Track("x", notes(64))], 120.0)
    reader.want(project(CLIP), folder)
    wait_for(lambda: len(told) == 2)
    assert pitches(told[1][0]["tide.mid"].events) == [64]


def test_what_is_missing_is_told_and_taken_up_when_it_comes(folder):
    told = []
    reader = AssetReader(CLIPS, lambda clips, missing: told.append((dict(clips), missing)))
    (folder / "tide.mid").rename(folder / "away.mid")
    reader.want(project(CLIP), folder)
    wait_for(lambda: told)
    assert "is not there" in told[0][1]["tide.mid"]
    (folder / "away.mid").rename(folder / "tide.mid")
    reader.want(project(CLIP), folder)
    wait_for(lambda: len(told) == 2)
    assert told[1] == ({"tide.mid": told[1][0]["tide.mid"]}, {})


def test_known_files_are_not_looked_at_again_at_every_edit(folder, monkeypatch):
    monkeypatch.setattr(asset_reader, "LOOK_SECONDS", 60.0)
    told, read = [], []
    real = AssetKind.load
    monkeypatch.setattr(AssetKind, "load", lambda *asked: read.append(1) or real(*asked))
    reader = AssetReader(CLIPS, lambda clips, missing: told.append((dict(clips), missing)))
    reader.want(project(CLIP), folder)
    wait_for(lambda: told)
    for _ in range(20):
        reader.want(project(CLIP), folder)
    reader.want(project(CLIP, meter=(3, 4)), folder)
    wait_for(lambda: len(told) == 2)
    assert len(read) == 2


def test_notes_go_on_while_a_clip_is_read(folder, slow):
    live = LiveEngine(Nowhere())
    now = time.monotonic()
    both = project(CLIP, strand(strand_id="b"))
    live.soon(lambda at: live.set_project(protocol.SetProject(both, str(folder), 1), at))
    live.inbox.play("surface", [note_on(now, 0, 62, 90)])
    work(live, time.monotonic())
    assert pitches(printed(live, "in")) == [62]
    slow.set()


def test_the_transport_waits_for_a_clip_that_was_named_just_before(folder, slow):
    live = LiveEngine(Nowhere())
    live.soon(lambda at: live.set_project(protocol.SetProject(project(CLIP), str(folder), 1), at))
    live.soon(lambda at: live.start_stop.play(0.0, at))
    work(live, time.monotonic())
    assert not live.engine.clock.playing
    slow.set()
    wait_for(lambda: live.clips.found)
    wait_for(lambda: live.inbox.due() < math.inf or live.engine.clock.playing)
    work(live, time.monotonic())
    assert live.engine.clock.playing
    work(live, time.monotonic() + 0.2)
    assert pitches(printed(live, "in")) == [60], "from its first note on"
    assert live.wire.told.count(protocol.Missing("clip", {})) == 1


def test_what_of_a_clip_could_not_be_read_is_said(folder):
    content = (folder / "tide.mid").read_bytes()
    (folder / "tide.mid").write_bytes(content[:-6])
    live = LiveEngine(Nowhere())
    live.soon(lambda at: live.set_project(protocol.SetProject(project(CLIP), str(folder), 1), at))
    wait_for(lambda: work(live, time.monotonic()) or (live.clips.found and live.inbox.due() == math.inf))
    said = [one.text for one in live.wire.told if isinstance(one, protocol.Notice) and one.topic == "clip-remarks"]
    assert "Not all of “tide.mid” could be read" in said[-1]


def test_it_does_not_wait_for_ever_and_a_stop_takes_the_start_back(folder, slow, monkeypatch):
    monkeypatch.setattr(start_stop, "_CLIPS_PATIENCE", 0.5)
    live = LiveEngine(Nowhere())
    live.soon(lambda at: live.set_project(protocol.SetProject(project(CLIP), str(folder), 1), at))
    live.soon(lambda at: live.start_stop.play(0.0, at))
    now = time.monotonic()
    work(live, now)
    work(live, now + 1.0)
    assert live.engine.clock.playing
    other = LiveEngine(Nowhere())
    other.soon(lambda at: other.set_project(protocol.SetProject(project(CLIP), str(folder), 1), at))
    other.soon(lambda at: other.start_stop.play(0.0, at))
    other.soon(other.start_stop.stop)
    work(other, now)
    work(other, now + 1.0)
    assert not other.engine.clock.playing
    slow.set()


def test_a_file_that_brings_the_reader_down_is_a_clip_that_is_missing(folder, monkeypatch):
    def broken(*_):
        raise RecursionError

    monkeypatch.setattr(reading, "read_midi", broken)
    told = []
    reader = AssetReader(CLIPS, lambda clips, missing: told.append((dict(clips), missing)))
    reader.want(project(CLIP), Path(folder))
    wait_for(lambda: told)
    assert told == [({}, {"tide.mid": "The clip “tide.mid” could not be read."})]
