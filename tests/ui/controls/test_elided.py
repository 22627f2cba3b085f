"""Text that is shortened where it has no room."""

from __future__ import annotations

from arpegon.ui.controls.elided import Elided


def test_a_long_name_is_shortened_and_kept_whole(shown):
    label = shown(Elided("The Lamplighter climbs the stair once more"), 90, 20)
    assert label.full.endswith("once more") and label.text().endswith("…")
    label.resize(600, 20)
    assert label.text() == label.full
