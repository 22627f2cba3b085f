"""Parts of the window that need no engine: the look, controls, rolls."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QFontDatabase
from PyQt6.QtTest import QTest

from arpegon.core.events import control, note_on
from arpegon.core.parameters import Number
from arpegon.ui import theme
from arpegon.ui.board.roll_view import BeatRuler
from arpegon.ui.controls.choices import Segments, Switch
from arpegon.ui.controls.keyboard import key_rects
from arpegon.ui.controls.pitch_ring import PitchRing
from arpegon.ui.controls.slider import Slider
from arpegon.ui.rolls import Paper, RollLine
from building import notes


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


PARAM = Number(key="x", label="X", help="X.", default=10, low=0, high=100)


@pytest.fixture
def slider(qtbot):
    made = Slider(PARAM, theme.ink(0))
    qtbot.addWidget(made)
    made.resize(214, 42)
    made.show()
    return made


def test_a_slider_takes_mouse_keys_and_typing(slider, qtbot):
    moved = []
    slider.moved.connect(moved.append)
    QTest.mouseClick(slider, Qt.MouseButton.LeftButton, pos=QPoint(107, 31))
    assert slider.value() == 50
    QTest.keyClick(slider, Qt.Key.Key_Right)
    assert slider.value() == 51
    QTest.keyClick(slider, Qt.Key.Key_Return)
    slider._typing.setText("73")
    QTest.keyClick(slider._typing, Qt.Key.Key_Return)
    assert slider.value() == 73
    QTest.keyClick(slider, Qt.Key.Key_F2)
    slider._typing.setText("much")
    QTest.keyClick(slider._typing, Qt.Key.Key_Return)
    assert slider.value() == 73
    QTest.keyClick(slider, Qt.Key.Key_End)
    assert slider.value() == 100
    QTest.mouseDClick(slider, Qt.MouseButton.LeftButton, pos=QPoint(107, 31))
    assert slider.value() == 10
    assert moved[-1] == 10.0


def test_segments_and_switches_take_mouse_and_keys(qtbot):
    segments = Segments({"a": "Alpha", "b": "Beta"})
    qtbot.addWidget(segments)
    segments.resize(200, 28)
    segments.show()
    with qtbot.waitSignal(segments.chosen) as caught:
        QTest.mouseClick(segments, Qt.MouseButton.LeftButton, pos=QPoint(180, 14))
    assert caught.args == ["b"]
    QTest.keyClick(segments, Qt.Key.Key_Right)
    assert segments.value() == "a"
    switch = Switch("On")
    qtbot.addWidget(switch)
    switch.show()
    QTest.mouseClick(switch, Qt.MouseButton.LeftButton, pos=QPoint(10, 10))
    assert switch.value()


def test_the_ring_is_clicked_by_pitch_class(qtbot):
    ring = PitchRing(theme.ink(0))
    qtbot.addWidget(ring)
    ring.resize(ring.sizeHint())
    clicked = []
    ring.clicked.connect(clicked.append)
    for pitch_class in range(12):
        QTest.mouseClick(ring, Qt.MouseButton.LeftButton, pos=ring._place(pitch_class).toPoint())
    QTest.mouseClick(ring, Qt.MouseButton.LeftButton, pos=ring.rect().center())
    assert clicked == list(range(12))


def test_keys_lie_as_on_a_piano():
    rects = key_rects(36, 96, 360.0, 70.0)
    assert len(rects) == 61
    assert rects[36][0] == 0 and rects[96][0] + rects[96][2] == pytest.approx(360.0)
    assert rects[37][3] < rects[36][3] and rects[36][0] < rects[37][0] < rects[38][0]


def test_rolls_pair_strikes_and_forget_the_past():
    line = RollLine()
    line.add([*notes(60, 62), note_on(1.0, 0, 64, 9), control(1.0, 0, 11, 50)])
    assert [(bar.note, bar.end) for bar in line.bars] == [(60, 0.4), (62, 0.9), (64, None)]
    assert line.sounding == {64} and line.moves(500.0, 1.0)
    line.let_go(2.0)
    assert not line.sounding and not line.moves(500.0, 1.0)
    line.prune(100.0)
    assert not line.bars and not line.pens


def test_the_paper_fits_the_range_that_is_played():
    paper = Paper()
    paper.line(0).add(notes(40, 90))
    paper.prune(1.0)
    while paper.ease(0.5):
        pass
    assert (paper.low, paper.high) == (38, 92)


@pytest.mark.parametrize(
    ("after", "ended", "place"),
    [("hxsc", set(), {0: 0, 1: 1, 2: 3, 3: 4}), ("hc", {2, 3}, {0: 0, 1: 1, 2: 2}), ("shc", {1, 2, 3}, {0: 0, 3: 3})],
)
def test_rolls_go_on_where_the_chain_above_them_stays(after, ended, place):
    paper = Paper()
    lines = [paper.line(roll) for roll in range(4)]
    for line in lines:
        line.add([note_on(0.0, 0, 60, 9)])
    paper.restructure("hsc", after, 1.0)
    assert {roll for roll, line in enumerate(lines) if not line.sounding} == ended
    assert all(paper.lines[new] is lines[old] for old, new in place.items())


def test_beat_rules_lie_on_beats_and_bars():
    ruler = BeatRuler()
    ruler.beat, ruler.seconds_per_beat, ruler.beats_per_bar = 5.5, 0.5, 4.0
    assert ruler.lines(1.0) == [(0.25, False), (0.75, True)]
