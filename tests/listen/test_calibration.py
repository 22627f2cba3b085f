"""Calibration: it sets the pad by what it hears, and says when it cannot."""

from __future__ import annotations

import numpy as np
import pytest
from tools.stand_ins import RATE, Crate

from arpegon.core.processing.parameters import check_params
from arpegon.listen.calibration import TRIAL, calibrate, strokes_in, surely
from arpegon.listen.listeners import listener
from arpegon.processors.sources.listening import Hits


def strike(strengths, seed=1, level=0.7, bounce=0.0):
    """What a pad hears of strokes, with calibration's own values."""
    draw = np.random.default_rng(seed)
    pad = Crate(draw)
    sound = np.zeros(int((0.4 + 0.4 * len(strengths)) * RATE))
    for place, strength in enumerate(strengths):
        at = int((0.2 + 0.4 * place) * RATE)
        knock = level * pad.stroke(strength)
        sound[at : at + len(knock)] += knock
        if bounce:
            later = at + int(0.045 * RATE)
            sound[later : later + len(knock)] += bounce * knock
    sound += 0.0005 * draw.standard_normal(len(sound))
    one = listener("hits", TRIAL, RATE)
    for start in range(0, len(sound), 256):
        one.process(sound[start : start + 256])
    return one.marks, sound


SOFT, HARD = (0.1, 0.12, 0.09, 0.11, 0.1), (0.8, 0.9, 1.0, 0.85, 0.95)


@pytest.mark.parametrize("level", [0.7, 0.2])
def test_soft_strokes_become_soft_and_hard_ones_loud_whatever_the_level(level):
    soft, _ = strike(SOFT, level=level)
    hard, sound = strike(HARD, level=level)
    found = calibrate(-63.0, soft, hard)
    values = check_params(Hits.params, found.values, "calibration")
    assert found.sure > 0.6 and surely(found.sure) in ("sure", "fairly sure")
    one = listener("hits", values, RATE)
    one.process(sound)
    assert len(one.marks) == len(HARD) and min(mark.velocity for mark in one.marks) > 90
    again = listener("hits", values, RATE)
    again.process(strike(SOFT, level=level)[1])
    assert len(again.marks) == len(SOFT) and max(mark.velocity for mark in again.marks) < 45


def test_a_pad_that_bounces_gets_a_longer_retrigger():
    soft, _ = strike(SOFT, bounce=0.3)
    hard, _ = strike(HARD, bounce=0.3)
    strokes, bounced = strokes_in(hard)
    assert len(strokes) == len(HARD) and 0.03 < bounced < 0.06
    assert calibrate(-63.0, soft, hard).values["retrigger_ms"] > calibrate(-63.0, *plain()).values["retrigger_ms"]


def plain():
    return strike(SOFT)[0], strike(HARD)[0]


def test_it_says_when_it_cannot():
    soft, hard = plain()
    assert calibrate(-60.0, soft[:1], hard).values == {} and "soft" in calibrate(-60.0, soft[:1], hard).words
    assert calibrate(-60.0, soft, []).values == {} and "hard" in calibrate(-60.0, soft, []).words
    same = calibrate(-60.0, hard, hard)
    assert same.values == {} and "hardly different" in same.words and same.sure == 0.0
