"""What a roll remembers, without a screen."""

from __future__ import annotations

import random

import pytest
from PyQt6.QtWidgets import QApplication, QWidget

from arpegon.core.events import control, note_off, note_on
from arpegon.core.notes.taps import Passage
from arpegon.ui.board.chain import Chain
from arpegon.ui.board.printing import BeatRuler
from arpegon.ui.board.trail import TrailMark
from arpegon.ui.look import theme
from arpegon.ui.model.paper import KEPT_SECONDS, MAX_BARS, Paper, RollLine
from building import notes


def test_what_is_in_sight_is_what_sounds_or_ended_of_late():
    line = RollLine()
    line.add([note_on(0.0, 0, 40, 90)])
    for place in range(60):
        line.add([note_on(1.0 + place, 0, 60, 90), note_off(1.5 + place, 0, 60)])
    assert sorted(bar.start for bar in line.in_sight(58.9)) == [0.0, 59.0, 60.0]
    line.add([note_off(61.0, 0, 40)])
    assert [bar.note for bar in line.in_sight(60.9)] == [40]
    assert [bar.start for bar in line.begun(59.0)] == [59.0, 60.0] and {bar.note for bar in line.begun(0.0)} == {40, 60}
    line.prune(120.0)
    assert line.is_blank


def test_what_begins_at_once_stands_in_the_order_in_which_it_passed():
    line = RollLine()
    for note in (50, 74, 62):
        line.add([note_on(1.0, 0, note, 90), note_off(1.0, 0, note)])
    line.add([note_on(1.0, 0, 40, 90), note_on(1.0, 0, 38, 90)])
    assert [bar.note for bar in line.begun(0.0)] == [50, 74, 62, 40, 38]
    assert [bar.note for bar in line.in_sight(1.0)] == [50, 74, 62, 40, 38]


def test_rolls_pair_strikes_and_forget_the_past():
    line = RollLine()
    line.add([*notes(60, 62), note_on(1.0, 0, 64, 9), control(1.0, 0, 11, 50)])
    assert [(bar.note, bar.end) for bar in line.begun(0.0)] == [(60, 0.4), (62, 0.9), (64, None)]
    assert line.sounding == {64} and line.moves(500.0, 1.0)
    line.add([note_off(2.0, 0, 64)])
    assert not line.sounding and not line.moves(500.0, 1.0)
    line.prune(100.0)
    assert line.is_blank


def test_however_many_notes_come_and_go_it_knows_which_were_there_of_late():
    line, draw = RollLine(), random.Random(4)
    line.add([note_on(0.0, 1, 3, 9)])
    ended = {}
    for place in range(2 * MAX_BARS):
        note, now = draw.randrange(4, 128), 0.05 * place
        line.add([note_on(now, 0, note, 9), note_off(now + 0.005, 0, note)])
        ended[note] = now + 0.005
        if place % 700 == 0:
            line.prune(now, draw.uniform(1.0, KEPT_SECONDS))
            late = {note for note, time in ended.items() if time >= now - KEPT_SECONDS}
            assert line.heard.keys() == late | {3}, "what still sounds is there"
            assert len(line.ended) <= MAX_BARS
    line.prune(1e6)
    assert line.heard.keys() == {3}


@pytest.mark.parametrize(("stages", "kept"), [(0, 45.0), (1, 34.0), (3, 17.0), (12, 15.0)])
def test_the_more_rolls_share_the_height_of_a_strand_the_less_each_keeps_but_the_range_stays(stages, kept):
    paper = Paper()
    places = ("in", *map(str, range(stages)), "out")
    for second in range(60):
        note = 90 if second < 30 else 60
        paper.add(Passage("a", places, [note_on(second, 0, note, 9), note_off(second + 0.5, 0, note)]))
    paper.prune(60.0)
    assert {line.begun(0.0)[0].start for line in paper.lines.values()} == {float(int(60.0 - kept))}
    while paper.ease(0.5):
        pass
    assert (paper.low, paper.high) == (58, 92)


def test_of_a_controller_that_goes_on_only_what_is_on_the_paper_is_kept():
    line = RollLine()
    for place in range(100):
        line.add([control(float(place), 0, 11, place)])
    line.prune(99.5)
    (pen,) = line.pens.values()
    assert [time for time, _ in pen] == [float(place) for place in range(int(99.5 - KEPT_SECONDS), 100)]


def test_the_paper_fits_the_range_that_is_played():
    paper = Paper()
    paper.line("in").add(notes(40, 90))
    paper.prune(1.0)
    while paper.ease(0.5):
        pass
    assert (paper.low, paper.high) == (38, 92)


def test_papers_are_found_by_the_place_whatever_is_put_in_above_them():
    paper = Paper()
    paper.add(Passage("a", ("s", "out"), [note_on(0.0, 0, 60, 9)]))
    paper.add(Passage("a", ("s",), [note_off(1.0, 0, 60)]))
    assert not paper.line("s").sounding and paper.line("out").sounding == {60}


def test_the_paper_of_a_stage_that_is_gone_is_kept_while_anything_is_on_it():
    paper = Paper()
    paper.add(Passage("a", ("gone",), notes(60)))
    paper.prune(10.0)
    assert "gone" in paper.lines
    paper.prune(100.0)
    assert "gone" not in paper.lines


def test_beat_rules_lie_on_beats_and_bars():
    ruler = BeatRuler()
    ruler.beat, ruler.seconds_per_beat, ruler.beats_per_bar = 5.5, 0.5, 4.0
    assert ruler.lines(1.0) == [(0.25, False), (0.75, True)]


def a_chain(qtbot, places):
    """A chain of rolls with no stages on a window of its own; its paper, ruler, window and itself."""
    window, paper, ruler = QWidget(), Paper(), BeatRuler()
    qtbot.addWidget(window)
    window.resize(220, 400)
    chain = Chain(paper, places, [], ruler, 1, window)
    chain.setGeometry(20, 10, 180, 360)
    window.show()
    qtbot.waitExposed(window)
    return chain, paper, ruler, window


def seen(chain, window):
    """What of it stands on the screen."""
    QApplication.processEvents()
    return window.screen().grabWindow(int(window.winId())).toImage().copy(chain.geometry())


@pytest.mark.parametrize("seed", range(4))
def test_what_was_scrolled_is_what_would_be_printed_anew(qapp, qtbot, monkeypatch, seed):
    """Strikes, ends, controllers and beats over three seconds of frames that come now early, now late."""
    draw = random.Random(seed)
    chain, paper, ruler, window = a_chain(qtbot, ["in", "out"])
    now, sounding = 100.0, set()
    printed = []
    whole = chain.printing.draw
    monkeypatch.setattr(chain.printing, "draw", lambda *args: (printed.append(args[-1] - args[-2]), whole(*args)))
    while now < 103.0:
        now += draw.uniform(0.005, 0.06)
        ruler.now, ruler.beat, ruler.seconds_per_beat = now, (now - 100.0) * 2.0, 0.5
        note = draw.randrange(48, 60)
        late = now - draw.uniform(0.0, 0.05)
        events = [control(late, 0, 11, draw.randrange(128))] if draw.random() < 0.3 else []
        events.append(note_off(late, 0, note) if note in sounding else note_on(late, 0, note, draw.randrange(1, 128)))
        sounding ^= {note}
        paper.line("in").add(events)
        if draw.random() < 0.5:
            paper.line("out").add(events)
        chain.tick(True)
        QApplication.processEvents()
    assert sum(height < 20 for height in printed) > 0.9 * len(printed), "a frame prints what came out at the top"
    shown = seen(chain, window)
    anew = chain.grab().toImage().convertToFormat(shown.format())
    assert shown.size() == anew.size()
    apart = sum(shown.pixel(x, y) != anew.pixel(x, y) for x in range(shown.width()) for y in range(shown.height()))
    # Where a controller's line crosses a seam its edge may be smoothed a little otherwise, and shadows lie at the top.
    assert apart < 0.02 * shown.width() * shown.height(), apart
    for roll in chain.rolls:
        level = roll.geometry().top() + 90
        assert len({shown.pixel(x, level) for x in range(10, 170)}) > 2, "something is on it"


def test_a_mark_stands_still_on_paper_that_moves(qapp, qtbot):
    chain, _, ruler, window = a_chain(qtbot, ["in", "out"])
    ruler.now = 100.0
    chain.tick(True)
    QApplication.processEvents()
    chain.show_marks([TrailMark("C4")])
    tag = chain.rolls[0].geometry().adjusted(0, chain.rolls[0].height() - 26, 0, 0)
    before = seen(chain, window).copy(tag)
    for _ in range(20):
        ruler.now += 0.04
        ruler.beat += 0.001  # no beat passes
        chain.tick(True)
        QApplication.processEvents()
    assert seen(chain, window).copy(tag) == before
    chain.show_marks([])
    assert seen(chain, window).copy(tag) != before


def test_between_the_rolls_lies_the_paper_of_the_strand(qapp, qtbot):
    chain, _, _, window = a_chain(qtbot, ["in"])
    shown, paper = seen(chain, window), theme.color(theme.theme().paper).rgb()
    assert {shown.pixel(x, y) for x in (0, 5, 174, 179) for y in (0, 100, 359)} == {paper}
    assert shown.pixel(90, 100) != paper


def test_another_theme_another_size_and_another_range_print_all_anew(qapp, qtbot):
    chain, paper, ruler, window = a_chain(qtbot, ["in", "out"])
    paper.line("in").add([note_on(99.0, 0, 60, 90), note_off(99.5, 0, 60)])
    ruler.now = 100.0
    chain.tick(True)
    day = seen(chain, window)
    try:
        theme.use("night")
        night = seen(chain, window)
        assert night != day and night == chain.grab().toImage().convertToFormat(night.format())
    finally:
        theme.use("day")
    assert seen(chain, window) == day
    paper.low, paper.high = 40.0, 70.0
    ruler.now += 0.001
    chain.tick(True)
    ranged = seen(chain, window)
    assert ranged != day and ranged == chain.grab().toImage().convertToFormat(ranged.format())
    chain.resize(140, 300)
    narrow = seen(chain, window)
    assert narrow == chain.grab().toImage().convertToFormat(narrow.format())


def test_before_it_is_laid_out_nothing_is_drawn(qapp, qtbot):
    chain = Chain(Paper(), ["in"], [], BeatRuler(), 1)
    qtbot.addWidget(chain)
    assert chain.tick(True) is True
