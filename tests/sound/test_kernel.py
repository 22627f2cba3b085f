"""The compiled way through a block sounds as NumPy does, and where it is missing NumPy goes on."""

from __future__ import annotations

import random

import numpy as np
import pytest

from arpegon.core.events import bend, control, note_off, note_on, pressure
from arpegon.sound import SOUNDS, kernel
from arpegon.sound.kit import Kit
from arpegon.sound.voices import Voices

RATE = 48_000
FLOOR = 10.0 ** (-80 / 20)
"""What differs by less is not heard: 80 dB beneath the loudest."""
PITCHED = [name for name, sound in SOUNDS.items() if not sound.kit]


def events_of(seed):
    """Strokes, ends and controllers at samples within two seconds."""
    draw = random.Random(seed)
    found = []
    for _ in range(14):
        at, note = draw.randrange(90_000), draw.randrange(30, 100)
        channel = draw.choice((0, 0, 3))
        found.append((at, note_on(0.0, channel, note, draw.randrange(1, 128))))
        found.append((at + draw.randrange(100, 40_000), note_off(0.0, channel, note)))
    for _ in range(10):
        at = draw.randrange(90_000)
        found.append((at, control(0.0, 0, draw.choice((1, 7, 10, 11, 20, 64, 80)), draw.randrange(128))))
        found.append((at, bend(0.0, 0, draw.randrange(-8192, 8192))))
        found.append((at, pressure(0.0, 0, draw.randrange(128))))
    return sorted(found, key=lambda entry: entry[0])


def rendered(sound, events, block, compiled):
    with pytest.MonkeyPatch.context() as patch:
        if not compiled:
            patch.setattr(kernel, "_render", None)
        voices = Voices(SOUNDS[sound], RATE)
    assert isinstance(voices._rendering, kernel.CompiledRendering) == compiled
    out, place, now = [], 0, 0
    while now < 96_000:
        here = np.zeros((2, block), dtype=np.float32)
        while place < len(events) and events[place][0] < now + block:
            voices.handle(events[place][1], max(0, events[place][0] - now))
            place += 1
        if voices.sounding:
            voices.render(block, kernel.Placed.of(here))
        else:
            voices.rest(block)
        out.append(here)
        now += block
    return np.concatenate(out, axis=1)


def test_it_was_built():
    assert all(kernel.renders(SOUNDS[name]) for name in PITCHED), "a compiler is among what make installs"


@pytest.mark.parametrize("sound", PITCHED)
@pytest.mark.parametrize(("seed", "block"), [(1, 256), (2, 64), (3, 1024), (4, 37)])
def test_both_ways_sound_alike(sound, seed, block):
    events = events_of(seed)
    one, other = (rendered(sound, events, block, compiled) for compiled in (True, False))
    loudest = np.abs(other).max()
    assert loudest > 0.01
    assert np.abs(one - other).max() < FLOOR * loudest


def test_a_very_long_period_is_rendered_piece_by_piece():
    whole, pieces = (np.zeros((2, 20_000), dtype=np.float32) for _ in range(2))
    for out, lengths in ((whole, [20_000]), (pieces, [8192, 8192, 3616])):
        voices, place = Voices(SOUNDS["felt-piano"], RATE), 0
        voices.handle(note_on(0.0, 0, 60, 100), 0)
        for length in lengths:
            voices.render(length, kernel.Placed.of(out), place)
            place += length
    assert np.abs(whole).max() > 0.01 and np.array_equal(whole, pieces)


@pytest.mark.parametrize("frames", [1, 16, 255, 8192])
def test_both_ways_mix_alike(frames, monkeypatch):
    draw = np.random.default_rng(frames)
    dry = draw.uniform(-1.0, 1.0, (2, frames)).astype(np.float32)
    first, last = (kernel.Placed.of(np.array(gains, dtype=np.float32)) for gains in ((0.5, 0.0), (0.1, 1.0)))
    found = []
    for _ in range(2):
        out = np.full((2, frames), 0.25, dtype=np.float32)
        swing = kernel.mix(kernel.Placed.of(dry.copy()), first, last, kernel.Placed.of(out))
        found.append((out, swing))
        monkeypatch.setattr(kernel, "_mix", None)
    assert np.allclose(found[0][0], found[1][0], atol=1e-6) and found[0][1] == pytest.approx(found[1][1], abs=1e-6)
    assert found[0][1] > 0.0


@pytest.mark.parametrize("block", [256, 37, 1024])
def test_both_ways_drum_alike(block, monkeypatch):
    draw = random.Random(block)
    events = [(draw.randrange(48_000), note_on(0.0, 9, draw.choice((36, 38, 42, 44, 46, 51)), 100)) for _ in range(30)]
    events += [
        (draw.randrange(48_000), control(0.0, 9, draw.choice((7, 10, 11)), draw.randrange(128))) for _ in range(9)
    ]
    events = sorted([*events, (50_001, control(0.0, 9, 120, 0))], key=lambda entry: entry[0])
    found = []
    for _ in range(2):
        kit, left = Kit(SOUNDS["tin-kit"], RATE), list(events)
        out = np.zeros((2, 96_000 // block * block), dtype=np.float32)
        for now in range(0, out.shape[1], block):
            while left and left[0][0] < now + block:
                at, event = left.pop(0)
                kit.handle(event, at - now)
            kit.render(block, kernel.Placed.of(out), now)
        found.append(out)
        monkeypatch.setattr(kernel, "_stroke", None)
    assert np.abs(found[0]).max() > 0.05 and np.abs(found[0] - found[1]).max() < FLOOR * np.abs(found[0]).max()
    assert not found[0][:, 60_000:].any(), "what was choked is gone"
