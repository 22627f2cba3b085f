"""Sounds are read beside the process that listens: what else it hears goes on, and files begin together."""

from __future__ import annotations

import os
import signal
import threading
from pathlib import Path

import numpy as np
import pytest
from test_first_note import Nowhere
from test_listening import TAPS, source
from test_listening import listening as listening_to
from tools.processes import first_child

from arpegon.core.document.model import AudioSource
from arpegon.core.time import studio
from arpegon.engine.hearing import process as listening
from arpegon.engine.hearing.hearing import first_block
from arpegon.engine.hearing.process import EarsProcess
from arpegon.engine.wire import protocol
from arpegon.files import assets
from building import project, strand
from jacking import wait_for

HERE = Path(".")
RATE = 48_000


@pytest.fixture
def slow(monkeypatch):
    """Reading that takes its time, until it is let go; ``done`` of it says which files were read."""
    gate, real = threading.Event(), assets.read_audio
    gate.done = []

    def read(path):
        gate.wait(20.0)
        gate.done.append(path.name)
        return real(path)

    monkeypatch.setattr(assets, "read_audio", read)
    yield gate
    gate.set()


def ears_with(*sources):
    ears = EarsProcess(Nowhere())
    ears.obey(protocol.SetProject(project(strand(sources=sources)), "."))
    return ears


def heard(ears):
    return [one for one in ears.wire.told if isinstance(one, protocol.HeardNotes)]


def stroke():
    """A second of silence with a stroke in it."""
    samples = np.zeros((RATE, 1), dtype=np.float32)
    samples[RATE // 2 :, 0] = np.random.default_rng(1).standard_normal(RATE // 2) * np.exp(-np.arange(RATE // 2) / 2000)
    return samples


def do_all(ears):
    while not ears._todo.empty():
        ears._todo.get()()


def test_an_input_is_heard_while_a_file_is_read_for_another(slow):
    ears = ears_with(source(), AudioSource(id="pad", listen="hits", device="Pad"))
    samples = stroke()
    ears.obey(protocol.Samples("Pad", samples.tobytes(), 1, RATE, studio.now()))
    assert [name for one in heard(ears) for name, _ in one.events][:1] == ["audio:pad"] and not slow.done


def test_files_that_have_just_begun_wait_for_one_that_is_read_and_begin_with_their_first_block(slow):
    ears = ears_with(source())
    now = studio.now()
    ears.obey(protocol.PlayFiles(False, now, now, 1))
    ears._play_files(now + 0.1)
    assert ears._next[False] == first_block(now, now) == 0 and ears._next_due() > now + 0.1
    slow.set()
    wait_for(lambda: not ears._todo.empty())
    do_all(ears)
    ears._play_files(now + 0.15)
    assert ears._next[False] > 0 and TAPS in ears._sounds


def test_a_file_that_takes_long_does_not_hold_up_the_others(slow, monkeypatch):
    slow.set()
    ears = ears_with(source())
    wait_for(lambda: not ears._todo.empty())
    do_all(ears)
    slow.clear()
    now = studio.now()
    ears.obey(protocol.PlayFiles(False, now, now, 1))
    ears.obey(
        protocol.SetProject(
            project(strand(sources=(source(), source("long", file="stand-in:hummed-tune")))),
            ".",
        )
    )
    ears._play_files(now + 0.1)
    assert ears._next[False] == 0
    later = now + listening._WAIT_SECONDS + 0.05
    ears._play_files(later)
    assert ears._next[False] > 0 and ears._next_due() > later
    assert len(slow.done) == 1


def test_what_is_missing_is_told_once_and_taken_back(tmp_path):
    ears = ears_with(source(file="away.wav"))
    wait_for(lambda: not ears._todo.empty())
    do_all(ears)
    ears.obey(protocol.SetProject(project(strand()), "."))
    wait_for(lambda: not ears._todo.empty())
    do_all(ears)
    told = [one.why for one in ears.wire.told if isinstance(one, protocol.Missing) and one.what == "sound"]
    assert [list(why) for why in told] == [["away.wav"], []]


def test_live_a_listener_that_hangs_is_said_and_can_be_started_again(live):
    live.set_project(listening_to(source()), HERE)
    live.send(protocol.Play())
    wait_for(lambda: live.reports.telemetry[-1].health.sounding)
    listener = first_child(live.pid)
    os.kill(listener, signal.SIGSTOP)

    def said():
        return [one.text for one in live.reports.notices if one.topic == protocol.EARS_HANG]

    (words,) = wait_for(said)
    assert words.startswith("Listening does not answer")
    live.send(protocol.ListenAnew())
    wait_for(lambda: said()[-1] == "" and first_child(live.pid) not in (None, listener))
    wait_for(lambda: live.reports.telemetry[-1].health.sounding)
