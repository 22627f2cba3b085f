"""A span whose ends do not pass one another."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent

from arpegon.ui.controls.two_ends import end_of_key, with_end

VALUE = st.integers(0, 127)


@given(VALUE, VALUE, st.sampled_from([0, 1]), st.integers(-500, 500))
def test_one_end_moves_within_bounds_and_up_to_the_other(one, other, end, value):
    span = (min(one, other), max(one, other))
    moved = with_end(span, end, value, 0, 127)
    assert 0 <= moved[0] <= moved[1] <= 127 and moved[1 - end] == span[1 - end]
    if span[0] <= value <= span[1]:
        assert moved[end] == value


@pytest.mark.parametrize(("key", "end"), [(Qt.Key.Key_Home, 0), (Qt.Key.Key_End, 1), (Qt.Key.Key_Left, None)])
def test_home_and_end_choose_an_end(key, end):
    assert end_of_key(QKeyEvent(QEvent.Type.KeyPress, key, Qt.KeyboardModifier.NoModifier)) == end


def test_no_key_chooses_none():
    assert end_of_key(None) is None
