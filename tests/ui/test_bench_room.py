"""Room on the bench: the readout gets what it was given, what is turned seldom is folded, nothing is cut in half."""

from __future__ import annotations

import pytest
from gestures import drag, kept_settings
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from arpegon.core.document import edits
from arpegon.core.document.model import Stage
from arpegon.processors import GENERATORS, WORKS
from arpegon.processors.registry import LISTENINGS
from arpegon.ui.controls.fold import Fold
from arpegon.ui.controls.more_edge import MoreEdge
from arpegon.ui.look.plain import Label
from arpegon.ui.model.session import fresh_audio

LEFT = Qt.MouseButton.LeftButton
STAGES = [kind for kind in WORKS if kind not in GENERATORS and kind not in LISTENINGS]


@pytest.fixture
def chord(window, strand, qtbot):
    session = window.session
    session.edit("chord", edits.set_strand(session.project, strand, stages=(Stage(id="c", kind="chord"),)))
    session.select_stage("c")
    qtbot.waitUntil(lambda: not window.bench.fits_soon)
    return window.bench


def test_the_divider_gives_the_readout_room_that_is_remembered(window, chord, qtbot):
    before = chord.readout.height()
    middle = QPointF(chord.divider.rect().center())
    drag(chord.divider, middle, middle - QPointF(0, 60), middle - QPointF(0, 90))
    assert chord.readout.height() == pytest.approx(before + 90, abs=2)
    assert kept_settings(window.session).readout == chord.readout.height()
    assert chord._area.height() + chord.readout.height() < chord.height()
    # Down as far as it goes: one row, the last event.
    drag(chord.divider, middle, middle + QPointF(0, 400))
    assert chord.readout.fold.isChecked() and chord.readout.height() == chord.readout.min_height
    assert chord.readout.rect().contains(chord.readout.rows.geometry()), "its one row is seen whole"
    assert kept_settings(window.session).readout_folded
    QTest.mouseDClick(chord.divider, LEFT)
    assert not chord.readout.fold.isChecked() and chord.readout.height() == pytest.approx(before + 90, abs=2)
    chord.divider.setFocus()
    QTest.keyClick(chord.divider, Qt.Key.Key_Up)
    assert chord.readout.height() == pytest.approx(before + 116, abs=2)
    QTest.keyClick(chord.divider, Qt.Key.Key_Return)
    assert chord.readout.fold.isChecked()


@pytest.mark.parametrize("kind", STAGES)
def test_the_wide_bench_shows_every_editor_whole(window, strand, qtbot, kind):
    window.resize(1280, 800)
    session = window.session
    session.edit("x", edits.set_strand(session.project, strand, stages=(Stage(id="c", kind=kind),)))
    window.bench.wide.setChecked(True)
    session.select_stage("c")
    bar = window.bench._area.verticalScrollBar()
    qtbot.waitUntil(lambda: bar.maximum() == 0, timeout=3000)


@pytest.mark.parametrize("kind", [*GENERATORS, *LISTENINGS])
def test_the_wide_bench_shows_every_source_whole(window, strand, qtbot, kind):
    window.resize(1280, 800)
    session = window.session
    made = edits.fresh_generator(session.project, kind) if kind in GENERATORS else fresh_audio(session, kind)
    session.edit("x", edits.set_source(session.project, strand, 0, made))
    session.select_source(strand, 0)
    window.bench.wide.setChecked(True)  # from narrow to wide, as it is on the bench
    bar = window.bench._area.verticalScrollBar()
    qtbot.waitUntil(lambda: bar.maximum() == 0, timeout=3000)


def test_what_is_turned_seldom_is_folded_and_stays_as_it_was_left(window, strand, qtbot):
    session = window.session
    source = edits.fresh_generator(session.project, "steps")
    session.edit("x", edits.set_source(session.project, strand, 0, source))
    session.select_source(strand, 0)
    folds = {fold.head.text(): fold for fold in window.bench.editor.findChildren(Fold)}
    assert {"What a toss may change", "Starts", "Tempo", "Keys"} <= folds.keys()
    assert not any(fold.body.isVisible() for fold in folds.values())
    folds["Starts"].head.setFocus()
    QTest.keyClick(folds["Starts"].head, Qt.Key.Key_Return)
    assert folds["Starts"].body.isVisibleTo(window.bench)
    session.select_part(strand, "strand", "", 0)
    session.select_source(strand, 0)
    again = {fold.head.text(): fold for fold in window.bench.editor.findChildren(Fold)}
    qtbot.waitUntil(lambda: again["Starts"].isVisible())
    assert again["Starts"].body.isVisibleTo(window.bench) and not again["Keys"].body.isVisibleTo(window.bench)
    assert kept_settings(window.session).opened == ("steps: Starts",)


def test_the_edge_of_a_list_hides_what_would_be_cut_and_says_that_more_follows(qtbot):
    area, holder = QScrollArea(), QWidget()
    qtbot.addWidget(area)
    area.setWidgetResizable(True)
    box = QVBoxLayout(holder)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(4)
    for _ in range(12):
        row = Label("row")
        row.setFixedHeight(30)
        row.setStyleSheet("background: #ff00ff")
        box.addWidget(row)
    area.setWidget(holder)
    edge = MoreEdge(area)
    area.resize(200, 160)
    area.show()
    qtbot.waitExposed(area)
    top, bottom = edge._covers

    def rows(image):
        """Heights in pixels of the rows that are seen."""
        seen = [image.pixelColor(20, y) == QColor("#ff00ff") for y in range(image.height())]
        runs, last = [], False
        for one in seen:
            if one and not last:
                runs.append(0)
            if one:
                runs[-1] += 1
            last = one
        return runs

    for place in (0, 7, 15, 100, area.verticalScrollBar().maximum()):
        area.verticalScrollBar().setValue(place)
        assert top.isVisible() == (place > 0) and bottom.isVisible() == (place < area.verticalScrollBar().maximum())
        found = rows(area.grab().toImage())
        assert found and all(height >= 30 - 14 for height in found), (place, found)
    assert not bottom.isVisible()


def test_a_notice_lies_over_what_is_there_and_moves_nothing(window, qtbot):
    before = window.board.mapTo(window, QPoint(0, 0))
    window.session.notice("edit", "This is a sentence.")
    bar = window.notices
    assert bar.isVisible() and window.board.mapTo(window, QPoint(0, 0)) == before
    assert bar.geometry().top() > window.header.geometry().bottom() and bar.height() >= 24
    height = bar.height()
    window.session.notice("file", "And another one that is so long that it needs more than one line. " * 6)
    assert bar.height() > height + 24 and bar.width() <= window.width()
    window.resize(1000, 640)
    qtbot.waitUntil(lambda: bar.geometry().right() < 1000)
    window.session.notice("edit", "")
    window.session.notice("file", "")
    assert not bar.isVisible()
