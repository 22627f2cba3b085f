"""What a screen reader learns of every editor: nothing that takes keys is without a role, a name and what it shows."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QAbstractSpinBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QScrollArea,
    QTextEdit,
    QWidget,
)

from arpegon.core.document import edits
from arpegon.core.document.model import Stage
from arpegon.processors import GENERATORS, WORKS
from arpegon.processors.registry import LISTENINGS
from arpegon.ui.look.painted import PaintedParts
from arpegon.ui.model.session import fresh_audio

STAGES = [kind for kind in WORKS if kind not in GENERATORS and kind not in LISTENINGS]
KNOWN = (QAbstractButton, QAbstractItemView, QAbstractSlider, QAbstractSpinBox, QComboBox, QLabel, QLineEdit, QTextEdit)
"""What Qt tells a screen reader the role of."""


def all_of_it(root):
    """All widgets of a part of the window; the lists of boxes are windows of their own."""
    return [one for one in root.findChildren(QWidget) if one.window() is root.window()]


def assert_read(found, but=()):
    """A screen reader learns the role, the name and the parts of all that takes keys."""
    controls = [one for one in found if one.focusPolicy() != Qt.FocusPolicy.NoFocus and not one.focusProxy()]
    assert [
        type(one).__name__
        for one in controls
        if not isinstance(one, (*KNOWN, QScrollArea)) and type(one).__name__ not in but
    ] == []
    named = [one for one in controls if isinstance(one, KNOWN)]
    nameless = [one for one in named if not (one.accessibleName() or getattr(one, "text", str)() or one.isHidden())]
    assert [(type(one).__name__, one.toolTip()) for one in nameless] == []
    several = [one for one in found if isinstance(one, PaintedParts)]
    for one in several:
        one.tell()
        words = [one.model().index(row, 0).data() for row in range(one.model().rowCount())]
        assert words == [part.words for part in one.parts()] and all(words)
        assert one.accessibleName()
        chosen = one.chosen_part()
        assert one.currentIndex().row() == (-1 if chosen is None else chosen)


@pytest.mark.parametrize("kind", [*STAGES, *GENERATORS, *LISTENINGS])
def test_all_that_takes_keys_in_an_editor_has_a_role_a_name_and_what_it_shows(window, strand, kind):
    session = window.session
    if kind in STAGES:
        session.edit("x", edits.set_strand(session.project, strand, stages=(Stage(id="c", kind=kind),)))
        session.select_stage("c")
    else:
        made = edits.fresh_generator(session.project, kind) if kind in GENERATORS else fresh_audio(session, kind)
        session.edit("x", edits.set_source(session.project, strand, 0, made))
        session.select_source(strand, 0)
    found = all_of_it(window.bench.editor)
    assert_read(found)


def test_all_that_takes_keys_anywhere_in_the_window_has_a_role_and_a_name(window, strand):
    window.session.piece.add()
    assert_read(all_of_it(window), but=("Board",))
