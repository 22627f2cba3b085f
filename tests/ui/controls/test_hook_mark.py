"""The marks at the corner of a control."""

from __future__ import annotations

import pytest
from gestures import pixels
from PyQt6.QtWidgets import QPushButton, QWidget

from arpegon.ui.controls.hook_mark import SIZE, HookMark
from arpegon.ui.look import theme


@pytest.fixture(params=[42, 24])
def mark(request, shown):
    holder = shown(QWidget(), 200, 60)
    control = QPushButton("", holder)
    control.setFixedSize(160, request.param)
    control.show()
    yield HookMark(control)
    holder.hide()


def test_it_is_seen_only_where_there_is_something_to_mark(mark):
    assert mark.isHidden()
    mark.show_marks(["Wind"], False)
    assert not mark.isHidden() and pixels(mark, theme.theme().ink) > 10
    assert pixels(mark, theme.theme().warning) == 0, "red is for what is wrong"
    mark.show_marks([], False)
    assert mark.isHidden()


def test_it_stands_at_the_right_end_of_its_control(mark):
    mark.show_marks(["Wind"], True)
    assert mark.geometry().right() == 159 and mark.height() == SIZE


def test_what_a_section_holds_has_a_mark_of_its_own(mark):
    mark.show_marks([], True)
    assert pixels(mark, theme.theme().warning) == 0 and pixels(mark, theme.theme().ink) > 5
