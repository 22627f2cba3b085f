"""The compiled way through a block sounds as NumPy does, and where it is missing NumPy goes on."""

from __future__ import annotations

import random

import numpy as np
import pytest

from arpegon.core.events import bend, control, note_off, note_on, pressure
from arpegon.sound import SOUNDS, kernel
from arpegon.sound.kit import Kit
from arpegon.sound.state import Placed, ramp
from arpegon.sound.voices import Voices

RATE = 48_000
UNITY = ramp(np.ones(2))
"""As loud as it is."""
FLOOR = 10.0 ** (-80 / 20)
"""What differs by less is not heard: 80 dB beneath the loudest."""
PITCHED = [name for name, sound in SOUNDS.items() if not sound.kit]


def events_of(seed):
    """Strokes, ends and controllers at samples within a second."""
    draw = random.Random(seed)
    found = []
    for _ in range(14):
        at, note = draw.randrange(45_000), draw.randrange(30, 100)
        channel = draw.choice((0, 0, 3))
        found.append((at, note_on(0.0, channel, note, draw.randrange(1, 128))))
        found.append((at + draw.randrange(100, 20_000), note_off(0.0, channel, note)))
    for _ in range(10):
        at = draw.randrange(45_000)
        found.append((at, control(0.0, 0, draw.choice((1, 7, 10, 11, 20, 64, 80)), draw.randrange(128))))
        found.append((at, bend(0.0, 0, draw.randrange(-8192, 8192))))
        found.append((at, pressure(0.0, 0, draw.randrange(128))))
    return sorted(found, key=lambda entry: entry[0])


def render(source, frames, out, offset=0, turned=UNITY):
    """Add the next samples of voices or a kit; how far they swing."""
    source.prepare(frames, Placed.of(out), offset, turned)
    kernel.render([source.rendering])
    return source.rendered()


def rendered(sound, events, block, compiled):
    with pytest.MonkeyPatch.context() as patch:
        if not compiled:
            patch.setattr(kernel, "_render", None)
        voices = Voices(SOUNDS[sound], RATE)
    assert isinstance(voices.rendering, kernel.CompiledRendering) == compiled
    out, place, now = [], 0, 0
    while now < 48_000:
        here = np.zeros((2, block), dtype=np.float32)
        while place < len(events) and events[place][0] < now + block:
            voices.handle(events[place][1], max(0, events[place][0] - now))
            place += 1
        if voices.sounding:
            render(voices, block, here)
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
            render(voices, length, out, place)
            place += length
    assert np.abs(whole).max() > 0.01 and np.array_equal(whole, pieces)


@pytest.mark.parametrize("sound", ["felt-piano", "drawbar-organ", "tin-kit"])
@pytest.mark.parametrize("frames", [1, 16, 255, 4000])
def test_both_ways_turn_up_alike(sound, frames, monkeypatch):
    found = []
    for compiled in (True, False):
        if not compiled:
            monkeypatch.setattr(kernel, "_render", None)
        source = Kit(SOUNDS[sound], RATE) if SOUNDS[sound].kit else Voices(SOUNDS[sound], RATE)
        source.handle(note_on(0.0, 0, 46, 120), 0)
        render(source, 100, np.zeros((2, 100), dtype=np.float32))
        out = np.full((2, frames + 5), 0.25, dtype=np.float32)
        turned = ramp(np.array((0.5, 0.0)), np.array((-0.4, 1.0)) / frames)
        found.append((out, render(source, frames, out, 3, turned)))
    (one, one_swing), (other, other_swing) = found
    floor = FLOOR * other_swing
    assert other_swing > 0.0 and abs(one_swing - other_swing) < floor and np.abs(one - other).max() < floor
    assert np.abs(other[:, 3:-2] - 0.25).max() == pytest.approx(other_swing, abs=1e-6)
    assert (one[:, :3] == 0.25).all() and (one[:, -2:] == 0.25).all()


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
            render(kit, block, out, now)
        found.append(out)
        monkeypatch.setattr(kernel, "_render", None)
    assert np.abs(found[0]).max() > 0.05 and np.abs(found[0] - found[1]).max() < FLOOR * np.abs(found[0]).max()
    assert not found[0][:, 60_000:].any(), "what was choked is gone"


def test_more_strokes_than_anybody_has_hands_sound_and_end():
    kit, out = Kit(SOUNDS["tin-kit"], RATE), np.zeros((2, 256), dtype=np.float32)
    for place in range(300):  # each chokes one that sounds, and is heard while that fades
        kit.handle(note_on(0.0, place % 16, (36, 38, 51)[place % 3], 100), place % 256)
    assert kit.sounding == 300
    assert render(kit, 256, out) > 0.1
    for _ in range(10):
        render(kit, 256, out)
    assert kit.sounding == 32
    for _ in range(10 * RATE // 256):
        render(kit, 256, out)
    assert not kit.sounding
