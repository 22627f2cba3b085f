"""The level of an audio input."""

from __future__ import annotations

import pytest
from gestures import INK, pixels

from arpegon.ui.controls.input_meter import InputMeter
from arpegon.ui.look import theme


@pytest.fixture
def meter(shown):
    made = shown(InputMeter(INK), 340, 34)
    made.tick(0.0)
    return made


@pytest.mark.parametrize(
    ("peak", "words"),
    [(0.0, "silent"), (0.01, "−40 dB too soft"), (0.25, "−12 dB"), (0.98, "−0 dB too loud"), (1.0, "clips: turn down")],
)
def test_it_says_whether_the_level_will_do(meter, peak, words):
    meter.take(peak, 0.0)
    meter.tick(0.02)
    assert meter.words() == words


def test_the_bar_falls_and_the_peak_is_held_for_a_while(meter):
    meter.take(0.5, 0.0)
    meter.tick(0.01)
    high = pixels(meter)
    for step in range(1, 11):
        meter.tick(0.1 * step)
    assert pixels(meter) < high and meter.words() == "−6 dB"
    meter.tick(2.0)
    assert meter.words().endswith("too soft")


def test_clipping_is_seen_for_some_seconds(meter):
    assert pixels(meter, theme.theme().warning) == 0
    meter.take(1.2, 0.0)
    meter.tick(0.02)
    assert meter.clipped and pixels(meter, theme.theme().warning) > 40
    meter.tick(3.5)
    assert not meter.clipped
