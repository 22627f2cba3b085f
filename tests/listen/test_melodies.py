"""Melodies: the notes that were played, one at a time, and none that were not."""

from __future__ import annotations

import functools
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tools.stand_ins import RATE, pluck, plucked_line, squeak

from arpegon.core.events import BEND, NOTE_OFF, NOTE_ON
from arpegon.core.theory.pitch import hz_note, note_hz
from arpegon.listen.listeners import listener
from arpegon.listen.melody_window import latency_of, periods
from arpegon.listen.periods import PeriodMeter
from arpegon.listen.transcript import transcript
from building import cut


def line(*parts, rate=RATE):
    """Harmonic tones, (note or list of notes over its course, seconds); a note 0 is a pause."""
    out, phase = [], 0.0
    for note, seconds in parts:
        count = int(seconds * rate)
        if np.size(note) == 1 and note == 0:
            out.append(np.zeros(count))
            continue
        course = np.interp(np.arange(count), np.linspace(0, count, np.size(note)), np.atleast_1d(note))
        angle = phase + 2.0 * np.pi * np.cumsum(440.0 * 2.0 ** ((course - 69.0) / 12.0)) / rate
        phase = angle[-1]
        out.append(0.3 * (np.sin(angle) + 0.5 * np.sin(2 * angle) + 0.25 * np.sin(3 * angle)))
    return np.concatenate(out)


def heard(samples, rate=RATE, block=512, **values):
    one = listener("pitch", values, rate)
    events = [event for start in range(0, len(samples), block) for event in one.process(samples[start : start + block])]
    return one, events + one.silence()


def played(events):
    return [event.data1 for event in events if event.kind == NOTE_ON]


def whole(events):
    sounding = []
    for event in events:
        if event.kind == NOTE_ON:
            assert not sounding
            sounding.append(event.data1)
        elif event.kind == NOTE_OFF:
            assert sounding.pop() == event.data1
    return not sounding


@pytest.mark.parametrize("note", [40, 47, 55, 64, 76])
def test_the_period_of_a_tone_is_read_to_a_few_cents(note):
    meter = PeriodMeter(RATE, note_hz(40), note_hz(76), periods(50))
    readings = [meter.read() for _ in meter.process(line((note + 0.2, 0.4)))]
    assert abs(hz_note(readings[-1].hz) - note - 0.2) < 0.05 and readings[-1].clarity > 0.98


@pytest.mark.parametrize("seed", range(3))
def test_plucked_notes_are_found_where_they_begin_with_slides_and_string_noise(seed):
    draw = np.random.default_rng(seed)
    notes = [int(note) for note in draw.integers(45, 72, 16)]
    sound, true = plucked_line(draw, notes, noise_db=-55.0)
    found = transcript("pitch", {}, sound[:, None], RATE).marks
    right = [any(mark.note == note.note and abs(mark.began - note.start) < 0.05 for mark in found) for note in true]
    assert sum(right) >= len(true) - 1
    assert len(found) <= len(true) + 1
    delays = sorted(mark.time - mark.began for mark in found)
    assert delays[len(delays) // 2] <= 3.0 / note_hz(40)


@functools.cache
def heard_at_once():
    """A line, and what is heard where it comes as one block."""
    sound = plucked_line(np.random.default_rng(2), [50, 57, 62, 60], noise_db=-60.0)[0]
    return sound, heard(sound, block=len(sound))[1]


@given(st.lists(st.integers(1, 6000), min_size=1, max_size=10))
@settings(max_examples=8)
def test_nothing_depends_on_where_blocks_are_cut(cuts):
    sound, expected = heard_at_once()
    one = listener("pitch", {}, RATE)
    found = [event for block in cut(sound, cuts) for event in one.process(block)]
    found += one.silence()
    assert played(found) == played(expected) and played(found)[:4] == [50, 57, 62, 60]
    for one_event, other in zip(found, expected, strict=True):
        assert one_event.status == other.status and abs(one_event.time - other.time) < 1e-6


@given(st.lists(st.tuples(st.integers(42, 74) | st.just(0), st.floats(0.08, 0.4)), min_size=1, max_size=5))
@settings(max_examples=20)
def test_whatever_is_heard_every_note_ends_before_the_next_begins(parts):
    _, events = heard(line(*parts))
    assert whole(events)
    assert all(earlier.time <= later.time for earlier, later in pairwise(events))
    assert all(40 <= event.data1 <= 76 and event.data2 >= 1 for event in events if event.kind == NOTE_ON)


@pytest.mark.parametrize(
    "sound",
    [
        np.zeros(2 * RATE),
        np.full(2 * RATE, 0.5),
        0.2 * np.random.default_rng(3).standard_normal(3 * RATE),
        np.full(RATE, np.nan),
        0.0005 * np.sin(2.0 * np.pi * 220.0 * np.arange(2 * RATE) / RATE),
    ],
    ids=["silence", "direct current", "noise", "no numbers", "under the gate"],
)
def test_no_note_is_made_of_nothing(sound):
    assert heard(sound)[1] == []


def test_string_noise_between_notes_is_no_note():
    draw = np.random.default_rng(5)
    sound = np.zeros(4 * RATE)
    for place, note in enumerate((52, 57)):
        tone = pluck(note, 0.8, 0.8, draw)[: int(0.8 * RATE)]
        tone[-2000:] *= np.linspace(1.0, 0.0, 2000)
        sound[int((0.3 + 1.6 * place) * RATE) :][: len(tone)] += tone
    for at in (1.2, 1.45, 2.9):
        noise = 0.06 * squeak(0.2, draw)
        sound[int(at * RATE) :][: len(noise)] += noise
    assert played(heard(sound)[1]) == [52, 57]


@pytest.mark.parametrize("rate", [8_000, 22_050, 96_000, 192_000])
def test_any_rate_will_do(rate):
    tones = line((0, 0.1), (57, 0.3), (0, 0.1), (64, 0.3), (0, 0.2), rate=rate)
    assert played(heard(tones, rate=rate)[1]) == [57, 64]


def test_a_slur_is_a_new_note_and_vibrato_is_none():
    wave = 60.0 + 0.3 * np.sin(np.linspace(0.0, 40.0, 400))
    assert played(heard(line((0, 0.1), (60, 0.4), (63, 0.4), (0, 0.2)))[1]) == [60, 63]
    assert played(heard(line((0, 0.1), (wave, 1.2), (0, 0.2)))[1]) == [60]


def test_bends_are_followed_split_or_make_a_note_where_they_rest():
    bend = (np.concatenate([np.full(40, 60.0), np.linspace(60.0, 62.0, 30), np.full(40, 62.0)]), 1.1)
    sound = line((0, 0.1), bend, (0, 0.2))
    followed = heard(sound, bends="follow", bend_range=3)[1]
    assert played(followed) == [60]
    last = [event.data1 | event.data2 << 7 for event in followed if event.kind == BEND][-1]
    assert abs((last - 8192) / 8192 * 3 - 2.0) < 0.15
    assert played(heard(sound, bends="ignore")[1])[-1] == 62
    assert not [event for event in heard(sound, bends="ignore")[1] if event.kind == BEND]
    slow = (np.linspace(60.0, 63.0, 300), 1.8)
    assert played(heard(line((0, 0.1), slow, (0, 0.2)), bends="split")[1]) == [60, 61, 62, 63]


def test_what_is_doubtful_is_marked_or_left_out():
    sound = np.concatenate([line((0, 0.1), (57, 0.4)), line((0, 0.3), (60, 0.4), (0, 0.3)) * 0.013])
    marked, events = heard(sound)
    assert played(events) == [57, 60]
    assert [mark.doubt for mark in marked.marks if mark.end] == ["", "very soft"]
    assert played(heard(sound, doubtful="drop")[1]) == [57]


@pytest.mark.parametrize("seed", [3, 8, 12])
def test_two_notes_at_once_are_one_of_them_or_nothing_and_never_their_common_root(seed):
    draw = np.random.default_rng(seed)
    found = 0
    for low in (48, 55, 60):
        for gap in (4, 5, 7, 9, 12):
            sound = pluck(low, 0.6, 0.8, draw) + pluck(low + gap, 0.6, 0.8, draw)
            said = set(played(heard(np.concatenate([np.zeros(RATE // 5), 0.4 * sound]))[1]))
            assert said <= {low, low + gap}
            found += len(said)
    assert found >= 3


def test_settings_change_while_a_note_sounds_and_nothing_hangs():
    one = listener("pitch", {}, RATE)
    sound = line((0, 0.1), (57, 1.0), (0, 0.2))
    half = len(sound) // 2
    events = one.process(sound[:half])
    one.configure({"lowest": 45, "highest": 81, "sureness": 80})
    events += one.process(sound[half:])
    events += one.silence()
    assert whole(events) and set(played(events)) == {57}


def test_lower_notes_and_more_sureness_need_more_time():
    defaults = listener("pitch", {}, RATE).values
    figures = [latency_of({**defaults, "lowest": low}) for low in (28, 40, 52, 64)]
    assert figures == sorted(figures, reverse=True)
    assert latency_of({**defaults, "sureness": 0}) < latency_of(defaults) < latency_of({**defaults, "sureness": 100})
    assert 0.025 < latency_of(defaults) < 0.0365
