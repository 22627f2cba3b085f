"""The compiled way of looking at hops finds what NumPy finds, and where it is missing NumPy goes on."""

from __future__ import annotations

import math
import subprocess
import sys

import numpy as np
import pytest
import scipy.signal
from hypothesis import given, settings
from hypothesis import strategies as st

from arpegon.listen import kernel
from arpegon.listen.bands import Bands
from arpegon.listen.filters import Filter, highpass, smoothing
from arpegon.listen.hits import HitListener
from arpegon.listen.listeners import listener
from arpegon.listen.periods import PeriodMeter

RATES = (8_000, 22_050, 44_100, 48_000, 96_000)


def sound(seed, rate, seconds=1.6):
    """Strokes, rings and rests, over noise or silence; two channels."""
    draw = np.random.default_rng(seed)
    count = round(rate * seconds)
    made = draw.normal(0.0, 10.0 ** draw.uniform(-6, -2), (count, 2)) * (draw.uniform() < 0.7)
    for _ in range(8):
        at, length = draw.integers(0, count - 10), round(rate * draw.uniform(0.01, 0.4))
        time = np.arange(min(length, count - at)) / rate
        tone = np.sin(2 * np.pi * draw.uniform(80, 0.4 * rate) * time) + draw.normal(0.0, 0.3, len(time))
        made[at : at + len(time)] += draw.uniform(0.001, 0.8, 2) * (tone * np.exp(-time * draw.uniform(5, 80)))[:, None]
    return made


def cut(samples, seed):
    """The same in blocks of chance."""
    draw, place = np.random.default_rng(seed), 0
    while place < len(samples):
        size = int(draw.choice([1, 7, 48, 256, 1000, 5000]))
        yield samples[place : place + size]
        place += size


def assert_alike(ours, theirs):
    """As :func:`pytest.approx`, which looks at each number by itself, to a millionth."""
    assert ours.shape == theirs.shape
    assert (np.abs(ours - theirs) <= np.maximum(1e-6, 1e-6 * np.abs(theirs))).all()


@pytest.fixture
def without(monkeypatch):
    """Makes listeners as where no compiler was there."""

    def make(build):
        with monkeypatch.context() as context:
            context.setattr(kernel, "is_there", lambda: False)
            return build()

    return make


def test_it_was_built():
    assert kernel.is_there(), "a compiler is among what make installs"


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize("seed", range(6))
def test_bands_rise_alike_wherever_blocks_are_cut(without, rate, seed):
    samples = sound(seed, rate)[:, 0]
    here, there = Bands(rate), without(lambda: Bands(rate))
    assert here.kernel is not None and there.kernel is None
    ours = np.concatenate([here.process(block) for block in cut(samples, seed)])
    theirs = np.concatenate([there.process(block) for block in cut(samples, seed + 1)])
    assert_alike(ours, theirs)
    assert len(ours) == len(samples) // here.hop and ours.max() > 10.0
    assert here.hiss == pytest.approx(there.hiss, rel=1e-6)


@pytest.mark.parametrize("lowest, highest", [(41.0, 330.0), (82.0, 1047.0), (196.0, 3136.0)])
@pytest.mark.parametrize("seed", range(6))
def test_periods_are_alike_after_strokes_and_in_steady_tones(without, lowest, highest, seed):
    samples = sound(seed, 48_000)[:, 0]
    here = PeriodMeter(48_000, lowest, highest, 2.22)
    there = without(lambda: PeriodMeter(48_000, lowest, highest, 2.22))
    found = []
    struck, rings = -math.inf, None
    for count, (now, _) in enumerate(zip(here.process(samples), there.process(samples), strict=True)):
        if count % 60 == 30:
            struck, rings = now, here.before(now)
        mine, other = (meter.read(struck, rings) for meter in (here, there))
        if max(mine.clarity, other.clarity) > 1e-6:  # else it is chance how they round
            assert (mine.hz, mine.clarity) == pytest.approx((other.hz, other.clarity), rel=1e-6, abs=1e-9)
        found.append(mine.hz > 0.0)
    assert sum(found) > len(found) // 4


@given(
    st.lists(st.floats(-1.0, 1.0, width=32), min_size=9, max_size=80),
    st.floats(0.05, 0.47),
    st.integers(2, 12),
    st.floats(0.3, 0.95),
)
def test_the_period_of_any_window_is_found_alike(samples, part, least, share):
    window = np.array(samples, dtype=np.float64)
    most = max(1, int(part * len(window)))
    period, clarity = kernel.PeriodKernel(most, least).find(window, most, share)
    likeness = [
        2.0 * np.dot(first, second) / max(np.dot(first, first) + np.dot(second, second), 1e-12)
        for first, second in ((window[: len(window) - lag], window[lag:]) for lag in range(most))
    ]
    below = [lag for lag in range(most) if likeness[lag] < 0.0]
    start = max(below[0], least) if below else most
    peaks = [
        lag
        for lag in range(start + 1, most - 1)
        if likeness[lag - 1] < likeness[lag] >= likeness[lag + 1] and likeness[lag] > 0.0
    ]
    if not period:
        assert clarity == 0.0
    assert bool(period) == bool(peaks and most - start >= 4) or min(abs(one) for one in likeness[1:]) < 1e-9
    if period and peaks:
        assert abs(period - min(peaks, key=lambda lag: abs(lag - period))) <= 1.0


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize("zones", ["one", "two"])
@pytest.mark.parametrize("seed", range(4))
def test_hops_are_alike(without, rate, zones, seed):
    samples = sound(seed, rate)
    channels = samples if zones == "two" else samples[:, :1]
    here = HitListener({"zones": zones}, rate)
    there = without(lambda: HitListener({"zones": zones}, rate))
    assert here._kernel is not None and there._kernel is None
    ours = [here._kernel.process(block) for block in cut(channels, seed)]
    theirs = [there.hops(block) for block in cut(channels, seed + 1)]
    for mine, other in zip(zip(*ours, strict=True), zip(*theirs, strict=True), strict=True):
        assert_alike(np.concatenate(mine), np.concatenate(other))


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 10_000), st.sampled_from(["hits", "pitch"]), st.sampled_from(RATES[1:]))
def test_notes_are_the_same(seed, kind, rate):
    samples = sound(seed, rate)
    there = kernel.is_there
    here = listener(kind, {}, rate)
    try:
        kernel.is_there = lambda: False
        other = listener(kind, {}, rate)
    finally:
        kernel.is_there = there
    heard = []
    for one, by in ((here, seed), (other, seed + 1)):
        events = [event for block in cut(samples, by) for event in one.process(block)]
        heard.append(sorted(events, key=lambda event: (event.time, event.status, event.data1)))  # ends lie ahead
    assert heard[0] == heard[1]


def test_it_takes_what_is_no_number_and_nothing_at_all():
    heard = HitListener({}, 48_000)
    for block in (np.zeros((0, 1)), np.full((300, 1), np.nan), np.full((300, 1), np.inf), np.zeros((48_000, 1))):
        assert heard.process(block) == []
    assert all(heard._bands[0].kernel._kept["floor"] < -100.0)


@pytest.mark.parametrize("hertz", [5.0, 40.0, 900.0])
def test_filters_are_those_of_scipy(hertz, monkeypatch):
    b, a = highpass(hertz, 6000.0)
    wanted = scipy.signal.butter(2, hertz, "highpass", fs=6000.0)
    assert np.allclose(b, wanted[0], atol=1e-12) and np.allclose(a, wanted[1], atol=1e-12)
    for taps, share in ((48, 0.225), (33, 0.9)):
        assert np.allclose(smoothing(taps, share), scipy.signal.firwin(taps, share), atol=1e-12)
    noise = np.random.default_rng(1).standard_normal(3000)
    whole = scipy.signal.lfilter(*wanted, noise)
    for channels in (0, 2):
        filtering = Filter((b, a), channels)
        stream = np.stack([noise, -noise], axis=1) if channels else noise
        found = np.concatenate([filtering.process(piece) for piece in np.array_split(stream, 7)])
        assert np.allclose(found if not channels else found[:, 0], whole, atol=1e-9)
    monkeypatch.setattr(kernel, "is_there", lambda: False)
    assert np.allclose(Filter((b, a)).process(noise), whole, atol=1e-9)


def test_where_it_was_compiled_nothing_of_scipy_is_loaded():
    code = (
        "import sys, numpy as np\nfrom arpegon.listen.listeners import listener\n"
        "from arpegon.processors.registry import LISTENINGS\nfrom arpegon.listen import filters\nfilters.load()\n"
        "for kind in LISTENINGS:\n    listener(kind, {}, 48_000).process(np.zeros((4800, 1)))\n"
        "print(sorted(name for name in sys.modules if name.startswith('scipy')))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"
