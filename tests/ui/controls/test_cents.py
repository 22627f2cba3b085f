"""The note that is heard, and how far off it is."""

from __future__ import annotations

import pytest
from gestures import INK, pixels

from arpegon.ui.controls.cents import CentsView

SAID = [(60.0, "C4 +0"), (64.12, "E4 +12"), (63.6, "E4 \N{MINUS SIGN}40"), (21.0, "A0 +0"), (None, "\N{EN DASH}")]


@pytest.mark.parametrize(("pitch", "words"), SAID)
def test_it_says_the_nearest_note_and_the_cents(shown, pitch, words):
    view = shown(CentsView(INK), 300, 38)
    view.show_pitch(pitch)
    assert view.words == words
    assert (pixels(view) > 40) == (pitch is not None)
