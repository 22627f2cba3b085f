"""What a screen reader learns of controls that show several things: what they are, which is chosen, what is on."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from arpegon.ui.controls.basin import Basin, Wall
from arpegon.ui.controls.lane_cells import LaneCells
from arpegon.ui.controls.pitch_ring import PitchRing
from arpegon.ui.controls.step_ring import RingStep, StepRing


@pytest.fixture
def ring(shown):
    made = shown(StepRing("#0F7B78"), 340, 264)
    made.show_ring(
        [RingStep("C4", "play"), RingStep("·", "rest"), RingStep("E4", "play")],
        [0, 1, 2],
        closed=True,
        title="",
        words="",
    )
    made.tell()
    return made


def read(control):
    """What a screen reader reads, and what is chosen."""
    model = control.model()
    words = [model.index(row, 0).data() for row in range(model.rowCount())]
    return words, control.currentIndex().row()


def test_it_learns_what_there_is_and_what_is_chosen(ring):
    assert read(ring) == (["Step 1: C4", "Step 2: rest", "Step 3: E4"], 0)
    QTest.keyClick(ring, Qt.Key.Key_Right)
    ring.tell()
    assert read(ring)[1] == 1
    ring.show_ring([RingStep("C4", "tie")], [0], closed=True, title="", words="")
    ring.tell()
    assert read(ring) == (["Step 1: tied"], 0)


def test_it_is_told_soon_after_something_changed(ring, qtbot):
    QTest.keyClick(ring, Qt.Key.Key_Right)
    qtbot.waitUntil(lambda: read(ring)[1] == 1)


def test_it_chooses(ring):
    picked = []
    ring.picked.connect(picked.append)
    ring.setCurrentIndex(ring.model().index(2, 0))
    assert picked == [2] and ring.chosen == 2


def test_it_presses_what_is_on_or_off(shown):
    basin = shown(Basin("#0F7B78"), 340, 290)
    silenced = []
    basin.silenced.connect(silenced.append)
    basin.show_walls([Wall("C4", False), Wall("E4", True)])
    basin.tell()
    states = [basin.model().item(row).checkState() for row in range(2)]
    assert states == [Qt.CheckState.Checked, Qt.CheckState.Unchecked] and silenced == []
    basin.model().item(1).setCheckState(Qt.CheckState.Checked)
    assert silenced == [1]


def test_what_is_told_is_not_taken_for_what_was_asked(shown):
    ring = shown(PitchRing("#0F7B78", playable=True), 184, 184)
    clicked = []
    ring.clicked.connect(clicked.append)
    for shape in ((0, 4, 7), (2, 5, 9), ()):
        ring.show_state(shape=shape)
        ring.tell()
        on = [row for row in range(12) if ring.model().item(row).checkState() == Qt.CheckState.Checked]
        assert on == list(shape)
    assert clicked == []


def test_it_is_a_bare_widget_to_hands_and_eyes(ring):
    assert not ring.viewport().isVisible()
    chosen = ring._spot(2).toPoint()
    top = ring.window().windowHandle()
    QTest.mouseClick(top, Qt.MouseButton.LeftButton, pos=ring.mapTo(ring.window(), chosen))
    assert ring.chosen == 2
    assert ring.visualRect(ring.model().index(2, 0)).contains(chosen)
    # Its ground is that of what lies beneath, to the corner.
    beneath = ring.grab().toImage().pixelColor(QPoint(2, 2))
    assert beneath == ring.palette().window().color()


def test_what_a_reader_was_told_of_and_is_gone_lies_nowhere_and_cannot_be_pressed(shown):
    cells = shown(LaneCells("#0F7B78"), 340, 30)
    cells.show_steps([{"play": "next"}, {"play": 3}])
    cells.tell()
    last = cells.model().index(1, 0)
    chosen = []
    cells.choose_part = chosen.append
    cells.show_steps([{"play": "next"}])
    cells.setCurrentIndex(last)
    assert cells.visualRect(last).isNull() and chosen == []
    assert not cells.visualRect(cells.model().index(0, 0)).isNull()


def test_words_say_what_signs_mean(shown):
    cells = shown(LaneCells("#0F7B78"), 340, 30)
    cells.show_steps([{"play": "next"}, {"play": 3}, {"play": "all"}, {"play": "rest"}])
    cells.tell()
    assert read(cells)[0] == ["Step 1: the next note", "Step 2: held note 3", "Step 3: all notes", "Step 4: rest"]
