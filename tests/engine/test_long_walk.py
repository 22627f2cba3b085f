"""A long walk: edits, notes, transport and All off at random, for as many steps as asked for; nothing hangs.

``make hunt`` walks a million steps. A step is one edit, note, command or stretch of time; every so often all keys are
let go, and then nothing may sound, neither at an outlet nor at any tap.
"""

from __future__ import annotations

import os
import random

import pytest
from test_promises import settle

from arpegon.core.document import edits
from arpegon.core.document.model import InstrumentDestination, PortDestination, StrandSource, SurfaceSource
from arpegon.core.errors import DocumentError
from arpegon.core.events import NOTE_OFF, NOTE_ON, Event, control, note_off, note_on
from arpegon.core.notes.pairing import Pairing, note_key
from arpegon.core.notes.taps import Tap
from arpegon.engine.live.reporter import Reporter
from arpegon.engine.simulation import Engine
from arpegon.processors import GENERATORS, PROCESSORS
from building import project, strand

STEPS = int(os.environ.get("ARPEGON_STEPS", "3000"))
WALKS = 6
CHECKED = 250
"""Steps between two checks."""


class Balance:
    """A channel that only knows which notes are open at every tap."""

    waiting = 0

    def __init__(self):
        self.open: dict[Tap, Pairing] = {}

    def send(self, batch):
        for passage in batch.passages:
            for place in passage.places:
                pairing = self.open.setdefault(Tap(passage.strand, place), Pairing())
                for event in passage.events:
                    if event.kind == NOTE_ON:
                        pairing.begin(note_key(event), True)
                    elif event.kind == NOTE_OFF:
                        pairing.end(note_key(event))


class Walk:
    """One engine that is played and edited at random."""

    def __init__(self, seed):
        self.draw = random.Random(seed)
        self.balance = Balance()
        self.reporter = Reporter(self.balance, lambda *_: None, lambda *_: None, lambda time: None)
        self.engine = Engine(self.reporter)
        self.revision = 0
        self.now = project(strand(strand_id="a"), strand(strand_id="b"), strand(strand_id="c"))
        self.apply(self.now, 0.0)

    def apply(self, now, time):
        self.revision += 1
        self.engine.apply(now, {}, time, revision=self.revision)
        self.now = now

    def step(self):
        draw, engine = self.draw, self.engine
        time = engine.now + draw.choice((0.0, 0.0, 0.001, 0.02, 0.3))
        what = draw.random()
        if what < 0.45:
            note = draw.randrange(40, 52)
            made = note_on(time, 0, note, draw.randrange(1, 128)) if draw.random() < 0.5 else note_off(time, 0, note)
            engine.feed("surface", made)
        elif what < 0.5:
            engine.feed("surface", control(time, 0, draw.choice((1, 64, 74)), draw.randrange(128)))
        engine.run(time)
        if 0.5 <= what < 0.9:
            try:
                self.apply(self.edited(), time)
            except DocumentError:
                self.apply(self.now, time)
        elif what >= 0.9:
            act = draw.choice(
                (engine.play, engine.stop, engine.halt, engine.all_off, lambda at: engine.locate(at, 3.3))
            )
            act(time)
        self.reporter.send_batches()

    def edited(self):
        """The document after one edit."""
        draw, now = self.draw, self.now
        here = draw.choice(now.strands)
        stages = [stage for one in now.strands for stage in one.stages]
        what = draw.randrange(12)
        if what < 3 and len(here.stages) < 5:
            return edits.add_stage(now, here.id, draw.choice(sorted(PROCESSORS)), draw.randrange(4))[0]
        if what < 6 and stages:
            return edits.remove_stage(now, draw.choice(stages).id)
        if what == 6 and stages:
            return edits.move_stage(now, draw.choice(stages).id, here.id, draw.randrange(4))
        if what == 7 and stages:
            stage = draw.choice(stages)
            return edits.set_bypass(now, stage.id, not stage.bypass)
        if what == 8:
            flag = draw.choice(("muted", "solo", "along", "plays_on"))
            return edits.set_strand(now, here.id, **{flag: not getattr(here, flag)})
        if what == 9:
            if len(here.sources) > 1:
                return edits.set_source(now, here.id, 1, None)
            return edits.add_generator(now, here.id, draw.choice(sorted(GENERATORS)))[0]
        if what == 10:
            other = draw.choice(now.strands).id
            zone = SurfaceSource(low_key=draw.choice((0, 45)), channel=draw.choice((None, 0)))
            return edits.set_source(now, here.id, 0, draw.choice((zone, StrandSource(strand=other), SurfaceSource())))
        ends = (PortDestination(port="x"), InstrumentDestination(instrument="bells", channel=draw.choice((None, 3))))
        return edits.set_destination(now, here.id, 0, draw.choice(ends))

    def check(self):
        """Let all keys go: nothing may sound."""
        engine = self.engine
        for key in range(128):
            engine.feed("surface", Event(engine.now, NOTE_OFF, key, 64))
        settle(engine, self.now, self.apply)
        engine.finish(engine.now)
        self.reporter.send_batches()
        assert engine.graph.sounding == 0
        hanging = [tap for tap, pairing in self.balance.open.items() if pairing]
        assert not hanging, f"notes hang at {hanging}"


@pytest.mark.timeout(0 if STEPS > 100_000 else 300)
@pytest.mark.parametrize("number", range(WALKS))
def test_a_long_walk_leaves_nothing_hanging(number):
    walks = max(1, STEPS // WALKS // CHECKED)
    for part in range(walks):
        walk = Walk(f"{number}/{part}")
        for _ in range(CHECKED):
            walk.step()
        walk.check()
