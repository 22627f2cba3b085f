"""Strokes: every one is found once, with its strength, and nothing is made of nothing."""

from __future__ import annotations

import functools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import spearmanr
from tools.stand_ins import RATE, Crate, taps

from arpegon.core.events import NOTE_OFF, NOTE_ON
from arpegon.listen.hits import HitListener, Rack, rise_needed
from arpegon.listen.listeners import listener
from arpegon.listen.transcript import transcript
from building import cut, note_ons


def heard(samples, rate=RATE, block=256, **values):
    one = listener("hits", values, rate)
    events = [event for start in range(0, len(samples), block) for event in one.process(samples[start : start + block])]
    return one, sorted(events, key=lambda event: event.time)


def matched(true, marks, within=0.05):
    """Pairs of true strokes and marks, each used once."""
    free = list(marks)
    pairs = []
    for stroke in true:
        near = min(free, key=lambda mark: abs(mark.time - stroke.start), default=None)
        if near is not None and abs(near.time - stroke.start) <= within:
            pairs.append((stroke, near))
            free.remove(near)
    return pairs


@functools.cache
def crate(seed, **settings):
    draw = np.random.default_rng(seed)
    return taps(draw, Crate(draw, lowest=draw.uniform(90, 400), rings=draw.uniform(0.02, 0.1)), 40, **settings)


@pytest.mark.parametrize("seed", range(4))
def test_every_stroke_is_found_once_with_its_strength_and_at_once(seed):
    sound, true = crate(seed, range_db=18.0, noise_db=-55.0)
    one, _ = heard(sound)
    pairs = matched(true, one.marks)
    assert len(pairs) >= len(true) - 1 and len(one.marks) <= len(pairs) + 1
    late = sorted(mark.time - stroke.start for stroke, mark in pairs)
    assert 0.0 < late[len(late) // 2] <= one.latency + 0.001
    ranks = spearmanr([stroke.strength for stroke, _ in pairs], [mark.velocity for _, mark in pairs]).statistic
    assert ranks >= 0.95


@given(st.lists(st.integers(1, 5000), min_size=1, max_size=12), st.integers(0, 3))
@settings(max_examples=12)
def test_nothing_depends_on_where_blocks_are_cut(cuts, seed):
    sound = crate(seed)[0][:RATE]
    whole = listener("hits", {}, RATE)
    expected = whole.process(sound)
    assert note_ons(expected)
    parts = listener("hits", {}, RATE)
    found = [event for block in cut(sound, cuts) for event in parts.process(block)]
    assert sorted(found, key=lambda event: event.time) == sorted(expected, key=lambda event: event.time)


def noise(level, seconds=4.0):
    return level * np.random.default_rng(1).standard_normal(int(seconds * RATE))


@pytest.mark.parametrize(
    "sound",
    [
        np.zeros(2 * RATE),
        np.full(2 * RATE, 0.4),
        noise(0.01),
        noise(0.3),
        np.full(RATE, np.nan),
        np.round(noise(0.7)) / 32768.0,
        0.5 * np.sin(2.0 * np.pi * 220.0 * np.arange(3 * RATE) / RATE + 0.3),
    ],
    ids=["silence", "direct current", "noise", "loud noise", "no numbers", "last bits", "a tone"],
)
def test_no_note_is_made_of_nothing(sound):
    one, events = heard(sound)
    # A tone that is cut in at full strength is a stroke, all else is none.
    assert len(one.marks) <= (1 if sound.std() > 0.34 else 0)
    assert len(events) == 2 * len(one.marks)


def test_clipped_and_broken_samples_do_no_harm():
    sound, true = crate(2, noise_db=-60.0)
    broken = np.clip(3.0 * sound, -1.0, 1.0)
    broken[5000:5003] = np.nan
    broken[9000] = np.inf
    one, _ = heard(broken)
    assert len(matched(true, one.marks)) >= 0.9 * len(true)
    assert one.sight().peak >= 1.0


@pytest.mark.parametrize("rate", [8_000, 11_025, 44_100, 96_000, 192_000])
def test_any_rate_will_do(rate):
    draw = np.random.default_rng(7)
    sound, true = taps(draw, Crate(draw), 20, range_db=12.0, flams=0.0, rate=rate)
    one, _ = heard(sound, rate=rate)
    assert len(matched(true, one.marks)) >= len(true) - 1


def test_a_ringing_pad_gives_one_note_and_a_short_retrigger_two():
    draw = np.random.default_rng(3)
    knock = Crate(draw).stroke(1.0)
    sound = np.zeros(RATE)
    for start, size in ((0.2, 0.8), (0.24, 0.6)):
        at = int(start * RATE)
        sound[at : at + len(knock)] += size * knock
    assert len(heard(sound, retrigger_ms=50)[0].marks) == 1
    assert len(heard(sound, retrigger_ms=30)[0].marks) == 2


def test_what_stays_under_the_threshold_is_no_stroke():
    sound, true = crate(1, range_db=0.0, flams=0.0)
    assert len(heard(0.01 * sound, threshold=-20.0)[0].marks) == 0
    assert len(heard(sound, threshold=-20.0)[0].marks) == len(true)


def test_notes_have_their_length_channel_and_end():
    sound, _ = crate(5, flams=0.0)
    _, events = heard(sound, note=50, channel=3, length_ms=25)
    ons = [event for event in events if event.kind == NOTE_ON]
    offs = [event for event in events if event.kind == NOTE_OFF]
    assert len(ons) == len(offs) > 20
    assert {(event.status & 15, event.data1) for event in events} == {(2, 50)}
    assert all(abs(off.time - on.time - 0.025) < 1e-9 for on, off in zip(ons, offs, strict=True))


def test_head_and_rim_have_notes_of_their_own():
    draw = np.random.default_rng(4)
    one = Crate(draw)
    sound = np.zeros((2 * RATE, 2))
    for place in range(8):
        at = int((0.1 + 0.2 * place) * RATE)
        knock = one.stroke(0.8)
        sound[at : at + len(knock), place % 2] += knock
        sound[at : at + len(knock), 1 - place % 2] += 0.3 * knock
    pad, _ = heard(sound, zones="two", note=38, rim_note=37)
    assert [mark.note for mark in pad.marks] == [38, 37] * 4


def test_a_pad_does_not_hear_the_one_beside_it_in_its_group():
    draw = np.random.default_rng(6)
    knock = Crate(draw).stroke(0.9)
    sounds = {"left": np.zeros(RATE), "right": np.zeros(RATE)}
    sounds["left"][4800 : 4800 + len(knock)] += knock
    sounds["right"][4872 : 4872 + len(knock)] += 0.15 * knock
    sounds["right"][24000 : 24000 + len(knock)] += 0.9 * knock

    def found(group):
        rack, counts = Rack(), {"left": 0, "right": 0}
        pads = {name: HitListener({"group": group}, RATE) for name in sounds}
        for start in range(0, RATE, 256):
            blocks = {name: (pad, pad.look(sounds[name][start : start + 256, None]), 0.0) for name, pad in pads.items()}
            for name, strokes in rack.clear(blocks).items():
                counts[name] += len(strokes)
        return counts

    assert found(0) == {"left": 1, "right": 2}
    assert found(2) == {"left": 1, "right": 1}


def test_sensitivity_runs_from_many_to_few():
    needs = [rise_needed(value) for value in range(0, 101, 10)]
    assert needs == sorted(needs, reverse=True)
    sound, _ = crate(8, noise_db=-50.0)
    counts = [len(heard(sound, sensitivity=value)[0].marks) for value in (0, 50)]
    assert counts[0] < counts[1]


@pytest.mark.parametrize("seed", [2, 6])
def test_soft_strokes_on_what_rings_are_found_in_hiss_and_hiss_alone_is_none(seed):
    draw = np.random.default_rng(seed)
    pad = Crate(draw, lowest=draw.uniform(90.0, 500.0), rings=draw.uniform(0.02, 0.12))
    sound, true = taps(draw, pad, 40, range_db=14.0, noise_db=-40.0, flams=0.3, flam_seconds=0.06)
    times = [mark.time for mark in transcript("hits", {}, sound, RATE).marks]
    found = sum(any(0.0 <= time - stroke.start < 0.02 for time in times) for stroke in true)
    assert found >= 0.97 * len(true)
    assert all(any(0.0 <= time - stroke.start < 0.02 for stroke in true) for time in times)


@pytest.mark.parametrize("slope", [0.0, 0.25, 0.5])
def test_white_and_pink_noise_are_no_strokes(slope):
    spectrum = np.fft.rfft(np.random.default_rng(4).standard_normal(6 * RATE))
    hz = np.maximum(np.fft.rfftfreq(6 * RATE, 1.0 / RATE), 1.0)
    noise = np.fft.irfft(spectrum / hz**slope)
    for level_db in (-50.0, -20.0):
        loud = 10.0 ** (level_db / 20.0) * noise / noise.std()
        assert transcript("hits", {}, loud[:, None], RATE).marks == []
