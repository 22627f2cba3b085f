"""The first note of a project: it must not be lost while its instrument comes, or the device opens."""

from __future__ import annotations

import time

import numpy as np

from arpegon.core.document.model import AudioSource
from arpegon.core.events import note_off, note_on
from arpegon.engine.audio.renderer import Renderer
from arpegon.engine.live.loop import LiveEngine
from arpegon.engine.wire import protocol
from building import BELLS, project, strand


class Nowhere:
    """A channel to no window."""

    waiting = 0

    def __init__(self):
        self.told = []

    def send(self, report):
        self.told.append(report)


def loudest(renderer, now):
    return float(np.abs(renderer.block(4800, now, 0.01)).max())


def test_a_note_that_comes_with_its_instrument_sounds():
    live = LiveEngine(Nowhere())
    now = time.monotonic()
    live.soon(lambda at: live.set_project(protocol.SetProject(project(strand()), "."), at))
    live.inbox.play("surface", [note_on(now, 0, 60, 90)])
    live._work(time.monotonic())
    live._report(time.monotonic())
    assert live.wire.told[-1].health.sounding == 1
    assert loudest(live.audio.renderer, now) > 0.001


def test_listening_begins_once_ports_are_known_which_an_engine_that_is_started_again_needs_first(monkeypatch):
    live, begins = LiveEngine(Nowhere()), []
    monkeypatch.setattr(live.hearing._supervisor, "start_after", lambda ready, patience: begins.append(ready))
    ear = AudioSource(id="ear", listen="hits", file="stand-in:crate-taps")
    live.set_project(protocol.SetProject(project(strand(sources=(ear,))), "."), time.monotonic())
    (ready,) = begins
    assert not ready.is_set()
    live._ports_changed([], [], [])
    assert ready.is_set()


def renderer(after=None):
    made = Renderer(48_000, after)
    made.set_instruments((BELLS,))
    return made


def test_what_waits_when_a_device_opens_is_played_by_it():
    now = time.monotonic()
    before = renderer()
    before.play("bells", [note_on(now, 0, 60, 90)])
    after = renderer(before)
    before.play("bells", [note_on(now, 0, 64, 90)])
    alone = renderer()
    alone.play("bells", [note_on(now, 0, 60, 90)])
    assert loudest(after, now) > 1.2 * loudest(alone, now) > 0


def test_what_was_due_before_a_long_stall_is_not_played_after_it():
    now = time.monotonic()
    before = renderer()
    before.play("bells", [note_on(now - 2.0, 0, 60, 90), note_off(now - 1.5, 0, 60)])
    assert loudest(renderer(before), now) == 0.0
