"""A take on paper: scrolled, zoomed, played from, chosen and edited; by mouse and keyboard."""

from __future__ import annotations

import pytest
from gestures import LEFT, collect, drawn, wheel
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu

from arpegon.core.events import CONTROL, control
from arpegon.core.notes.sheet import Line, Note, Sheet
from arpegon.ui.take.paper import TakePaper
from arpegon.ui.take.span import Span
from arpegon.ui.take.take_roll import FOOT, GUTTER, LANE

CTRL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)
KEY = Qt.Key
NOTES = (Note(1.0, 2.0, 60, 90), Note(3.0, 4.0, 64, 40), Note(5.0, 6.0, 60, 70, doubtful=True))


@pytest.fixture
def span():
    made = Span()
    made.length, made.pixels, made.low, made.high = 60.0, 30.0, 48, 71
    return made


@pytest.fixture
def paper(shown, span):
    """A paper 24 keys wide, 10 pixels a key, on which every edit is shown as the window does it."""
    made = shown(TakePaper(span), 240 + GUTTER + LANE, 300 + FOOT)
    made.show_sheet(Sheet(NOTES, (control(1.5, 0, 11, 64),)), 0)
    made.edited.connect(lambda label, sheet, goes_on: made.show_sheet(sheet, 0))
    span.start = 0.0
    return made


def spot(paper, beat, note):
    return QPoint(round(paper.x_of(note)), round(paper.y_of(beat)))


def drag(paper, start, end, modifiers=Qt.KeyboardModifier.NoModifier):
    QTest.mousePress(paper, LEFT, modifiers & ~SHIFT, start)
    QTest.mouseMove(paper, (start + end) / 2)
    event_drag(paper, (start + end) / 2, modifiers)
    event_drag(paper, end, modifiers)
    QTest.mouseRelease(paper, LEFT, modifiers, end)


def event_drag(paper, place, modifiers):
    """A move with the button down; QTest's own moves bear no modifiers."""
    where = QPointF(place)
    paper.mouseMoveEvent(QMouseEvent(QEvent.Type.MouseMove, where, where, Qt.MouseButton.NoButton, LEFT, modifiers))


def rows(paper):
    return [(note.start, note.end, note.note) for note in paper.notes]


def test_it_shows_what_was_recorded(paper):
    assert rows(paper) == [(1.0, 2.0, 60), (3.0, 4.0, 64), (5.0, 6.0, 60)] and drawn(paper)


def test_the_wheel_scrolls_and_stops_at_both_ends(paper):
    scrolled = collect(paper.scrolled)
    wheel(paper)
    assert paper.span.start == pytest.approx(40 / 30) and len(scrolled) == 1
    wheel(paper, up=False)
    wheel(paper, up=False)
    assert paper.span.start == -0.4
    for _ in range(200):
        wheel(paper)
    assert paper.span.start == pytest.approx(61.0 - 10.0)


def test_zoom_keeps_the_beat_under_the_pointer_and_has_bounds(paper):
    paper.span.start = 20.0
    where = QPointF(100, 100)
    under = paper.beat_of(where.y())
    wheel(paper, place=where, modifiers=CTRL)
    assert paper.span.pixels == pytest.approx(36.0) and paper.beat_of(where.y()) == pytest.approx(under)
    for up, bound in ((True, 400.0), (False, 4.0)):
        for _ in range(40):
            wheel(paper, up=up, modifiers=CTRL)
        assert paper.span.pixels == bound


def test_it_scrolls_from_the_keyboard_while_nothing_is_chosen(paper):
    seen = []
    for key in (KEY.Key_Up, KEY.Key_Down, KEY.Key_PageUp, KEY.Key_End, KEY.Key_Home):
        QTest.keyClick(paper, key)
        seen.append(round(paper.span.start, 2))
    assert seen == [1.33, 0.0, 9.0, 51.0, -0.4]
    QTest.keyClick(paper, KEY.Key_Plus)
    assert paper.span.pixels == pytest.approx(36.0)


def test_the_left_edge_plays_from_there_and_return_from_the_cursor(paper):
    pointed = collect(paper.pointed)
    QTest.mouseClick(paper, LEFT, pos=QPoint(10, 180))
    assert pointed == [pytest.approx(4.0)] and paper.span.cursor == 4.0
    QTest.mouseClick(paper, LEFT, pos=spot(paper, 7.1, 55))
    QTest.keyClick(paper, KEY.Key_Return)
    assert pointed[1] == 7.0


def test_a_drag_along_the_left_edge_is_played_again_and_again(paper):
    pointed = collect(paper.pointed)
    drag(paper, QPoint(10, round(paper.y_of(2.1))), QPoint(10, round(paper.y_of(5.9))))
    assert paper.span.loop == (2.0, 6.0) and len(pointed) == 1
    QTest.mouseClick(paper, LEFT, pos=QPoint(10, 180))
    assert paper.span.loop is None and len(pointed) == 2


def test_a_line_is_taken_out_or_made_another_controller(paper):
    menu = QMenu()
    paper._offer_line(menu, Line(CONTROL, 11), 9.0)
    texts = [action.text() for action in menu.actions()]
    assert texts == [
        "Remove it",
        "Straighten it",
        "Thin it",
        "Remove it from the line to here",
        "Straighten it from the line to here",
        "Thin it from the line to here",
        "As another controller",
    ]
    menu.actions()[-1].menu().actions()[74].trigger()
    assert [event.data1 for event in paper.sheet_shown.others] == [74]
    menu.clear()
    paper._offer_line(menu, Line(CONTROL, 74), 1.0)
    menu.actions()[3].trigger()
    assert len(paper.sheet_shown.others) == 1, "it lies past that span"
    menu.actions()[0].trigger()
    assert paper.sheet_shown.others == ()


def test_notes_are_chosen_by_click_frame_likeness_and_all(paper):
    QTest.mouseClick(paper, LEFT, pos=spot(paper, 1.5, 60))
    assert paper.chosen == {0}
    QTest.mouseClick(paper, LEFT, SHIFT, spot(paper, 3.5, 64))
    assert paper.chosen == {0, 1}
    QTest.mouseClick(paper, LEFT, pos=spot(paper, 8.0, 55))
    assert paper.chosen == set()
    drag(paper, spot(paper, 2.5, 58), spot(paper, 5.5, 66))
    assert paper.chosen == {1, 2}
    QTest.mouseClick(paper, LEFT, pos=spot(paper, 1.5, 60))
    QTest.keyClick(paper, KEY.Key_L)
    assert paper.chosen == {0, 2}
    QTest.keyClick(paper, KEY.Key_A, CTRL)
    assert paper.chosen == {0, 1, 2}
    QTest.keyClick(paper, KEY.Key_Escape)
    assert paper.chosen == set()


def test_a_drag_moves_onto_lines_shift_leaves_them_and_ctrl_copies(paper):
    heard = collect(paper.sounded)
    edits = collect(paper.edited)
    drag(paper, spot(paper, 1.5, 60), spot(paper, 2.6, 62))
    assert rows(paper)[0] == (2.0, 3.0, 62)
    assert [(label, goes_on) for label, _, goes_on in edits] == [("Move notes", False)], "one edit for a drag"
    assert heard and heard[-1][0] == 62
    drag(paper, spot(paper, 2.5, 62), spot(paper, 2.8, 62), SHIFT)
    assert rows(paper)[0][0] == pytest.approx(2.3, abs=0.02)
    QTest.mouseClick(paper, LEFT, pos=spot(paper, 3.5, 64))
    drag(paper, spot(paper, 3.5, 64), spot(paper, 7.5, 64), CTRL)
    assert [row for row in rows(paper) if row[2] == 64] == [(3.0, 4.0, 64), (7.0, 8.0, 64)]
    assert paper.chosen == {3}


def test_ends_stretch_and_alt_strikes_harder(paper):
    top = spot(paper, 2.0, 60) + QPoint(0, 2)
    drag(paper, top, top - QPoint(0, 15))
    assert rows(paper)[0] == (1.0, 2.5, 60)
    foot = spot(paper, 1.0, 60) - QPoint(0, 2)
    drag(paper, foot, foot + QPoint(0, 15))
    assert rows(paper)[0] == (0.5, 2.5, 60)
    drag(paper, spot(paper, 3.5, 64), spot(paper, 3.5, 64) + QPoint(30, 0), ALT)
    assert paper.notes[1].velocity == 60 and rows(paper)[1] == (3.0, 4.0, 64)


def test_the_lane_beside_the_paper_sets_velocities(paper):
    edge = paper.width() - LANE
    QTest.mouseClick(paper, LEFT, pos=QPoint(edge + 3 + round((LANE - 6) * 100 / 127), round(paper.y_of(3.0))))
    assert paper.notes[1].velocity in range(97, 104)
    QTest.mouseClick(paper, LEFT, pos=QPoint(edge + 10, round(paper.y_of(4.5))))
    assert [note.velocity for note in paper.notes][::2] == [90, 70]


def test_double_click_draws_and_keys_split_join_remove_and_double(paper):
    QTest.mouseDClick(paper, LEFT, pos=spot(paper, 8.1, 55))
    assert rows(paper)[-1] == (8.0, 8.25, 55) and paper.chosen == {3}
    QTest.keyClick(paper, KEY.Key_Delete)
    assert len(paper.notes) == 3
    QTest.mouseClick(paper, LEFT, pos=spot(paper, 1.5, 60))
    QTest.keyClick(paper, KEY.Key_S)
    assert rows(paper)[:2] == [(1.0, 1.5, 60), (1.5, 2.0, 60)] and paper.chosen == {0, 1}
    QTest.keyClick(paper, KEY.Key_J)
    assert rows(paper)[0] == (1.0, 2.0, 60)
    QTest.keyClick(paper, KEY.Key_D, CTRL)
    assert rows(paper)[:2] == [(1.0, 2.0, 60), (2.0, 3.0, 60)] and paper.chosen == {1}
    paper.span.cursor = 9.0
    QTest.keyClick(paper, KEY.Key_N)
    assert rows(paper)[-1][0] == 9.0


def test_arrows_move_stretch_and_strike_what_is_chosen(paper):
    QTest.mouseClick(paper, LEFT, pos=spot(paper, 1.5, 60))
    QTest.keyClick(paper, KEY.Key_Up)
    QTest.keyClick(paper, KEY.Key_Right)
    QTest.keyClick(paper, KEY.Key_Up, SHIFT)
    QTest.keyClick(paper, KEY.Key_Right, ALT)
    assert rows(paper)[0] == (1.25, 2.5, 61) and paper.notes[0].velocity == 94
    QTest.keyClick(paper, KEY.Key_Left, CTRL)
    assert rows(paper)[0][2] == 49


def test_tab_goes_from_one_doubtful_note_to_the_next_return_keeps_del_drops(paper):
    paper.setFocus()
    QTest.keyClick(paper, KEY.Key_Tab)
    assert paper.chosen == {2}
    QTest.keyClick(paper, KEY.Key_Return)
    assert not any(note.doubtful for note in paper.notes) and len(paper.notes) == 3
    paper.show_sheet(Sheet(NOTES), 0)
    paper.choose(set())
    QTest.keyClick(paper, KEY.Key_Tab)
    QTest.keyClick(paper, KEY.Key_Delete)
    assert len(paper.notes) == 2


def test_a_line_is_drawn_freely_and_straight(paper):
    paper.line = Line(CONTROL, 11)
    wide = paper.width() - GUTTER - LANE - 6

    def at(beat, value):
        return QPoint(round(GUTTER + 3 + value / 127 * wide), round(paper.y_of(beat)))

    drag(paper, at(2.0, 0), at(6.0, 127), ALT)
    values = [(event.time, event.data2) for event in paper.sheet_shown.others if event.time > 1.9]
    assert values[0][1] <= 1 and values[-1][1] >= 126 and values == sorted(values)
    assert rows(paper) == [(1.0, 2.0, 60), (3.0, 4.0, 64), (5.0, 6.0, 60)]


def test_a_line_is_moved_straightened_thinned_and_taken_out_by_keys_in_the_span(paper):
    line = paper.line = Line(CONTROL, 11)
    wave = tuple(control(beat / 8, 0, 11, 40 + beat * beat % 23) for beat in range(64))
    paper.show_sheet(Sheet(NOTES, wave), 0)
    paper.span.loop = (2.0, 4.0)

    def values(begin, end):
        return [event.data2 for event in paper.sheet_shown.lines.get(line, ()) if begin <= event.time <= end]

    before, outside = values(2.0, 4.0), values(0.0, 1.99) + values(4.01, 8.0)
    QTest.keyClick(paper, KEY.Key_Right)
    assert values(2.0, 4.0) == [value + 4 for value in before]
    QTest.keyClick(paper, KEY.Key_Left, SHIFT)
    assert values(2.0, 4.0) == [value + 3 for value in before]
    QTest.keyClick(paper, KEY.Key_T)
    assert 1 < len(values(2.0, 4.0)) < len(before)
    first, last = values(2.0, 4.0)[0], values(2.0, 4.0)[-1]
    QTest.keyClick(paper, KEY.Key_S)
    straight = values(2.0, 4.0)
    assert straight == sorted(straight, reverse=first > last) and (straight[0], straight[-1]) == (first, last)
    QTest.keyClick(paper, KEY.Key_Delete)
    assert not values(2.0, 4.0) and values(0.0, 1.99) + values(4.01, 8.0) == outside
    assert paper.notes == NOTES, "notes are left alone while a line is chosen"


def test_a_drag_with_ctrl_moves_the_whole_line_where_no_span_is_set(paper):
    line = paper.line = Line(CONTROL, 11)
    paper.show_sheet(Sheet(NOTES, (control(1.0, 0, 11, 20), control(3.0, 0, 11, 60))), 0)
    wide = paper.width() - GUTTER - LANE - 6
    drag(paper, QPoint(100, 100), QPoint(100 + round(wide * 30 / 127), 100), CTRL)
    low, high = (event.data2 for event in paper.sheet_shown.lines[line])
    assert abs(low - 50) <= 1 and high - low == 40


def test_what_a_remedy_would_do_is_shown(paper):
    plain = paper.grab().toImage()
    paper.ghosts = (NOTES[:1], (Note(2.0, 3.0, 66, 90),))
    paper.update()
    assert paper.grab().toImage() != plain


def test_a_short_take_stands_at_the_foot(shown):
    span = Span()
    span.length = 1.0
    short = shown(TakePaper(span), 300, 318)
    wheel(short)
    assert span.start == -0.4
