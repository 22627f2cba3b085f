"""The look: contrast and fonts."""

from __future__ import annotations

import pytest
from PyQt6.QtGui import QFontDatabase

from arpegon.ui.look import theme


@pytest.mark.parametrize("name", theme.THEMES)
def test_text_meets_wcag_aa_in_both_themes(name):
    t = theme.THEMES[name]
    for text, grounds in (
        (t.ink, (t.paper, t.roll, t.desk, t.field)),
        (t.second, (t.paper, t.roll)),
        (theme.mix(t.second, t.ink, 0.4), (t.desk, t.paper)),
        (t.bar_text, (t.bar,)),
        (t.bar_second, (t.bar,)),
    ):
        for ground in grounds:
            assert theme.contrast(text, ground) >= 4.5, (text, ground)
    for ground in (*theme.INKS, t.warning, t.bar):
        assert theme.contrast(theme.text_on(ground), ground) >= 3.9


def test_contrast_is_that_of_wcag():
    assert theme.contrast("#000000", "#FFFFFF") == pytest.approx(21.0)
    assert theme.contrast("#777777", "#FFFFFF") == pytest.approx(4.48, abs=0.01)


def test_our_fonts_are_there(qapp):
    for family in (theme.SERIF, theme.SANS, theme.MONO):
        assert family in QFontDatabase.families()
    assert theme.font(theme.SANS, 5).pixelSize() == 11


@pytest.mark.parametrize("number", range(8))
def test_inks_are_drawn_as_they_are_by_day_and_lifted_by_night(number):
    ink = theme.ink(number)
    assert theme.DAY.drawn(ink) == ink
    assert theme.contrast(theme.NIGHT.drawn(ink), theme.NIGHT.roll) > theme.contrast(ink, theme.NIGHT.roll)
