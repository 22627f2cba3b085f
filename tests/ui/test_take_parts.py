"""A take of several strands: all of them in sight, a remedy in all, all dragged out; and its beats tapped."""

from __future__ import annotations

from pathlib import Path

import pytest
from gestures import LEFT, drag
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from arpegon.core.document import edits, take_edits
from arpegon.core.document.model import AudioSource
from arpegon.core.events import control
from arpegon.core.notes.course import Course
from arpegon.core.notes.sheet import Note, Sheet
from arpegon.core.notes.takes import Take, TakePart
from arpegon.core.time import studio
from arpegon.files.midi import read_midi
from arpegon.processors import PROCESSORS
from building import note_ons, project, strand

KEY = Qt.Key


def sheet(*rows):
    return Sheet(tuple(Note(start, end, note, 90) for start, end, note in rows))


WAVE = tuple(control(beat / 4, 0, 1, beat) for beat in range(16))
TAKE = Take(
    id="t",
    name="Tide",
    beats=8.0,
    course=Course(tempi=((0.0, 120.0), (4.0, 60.0))),
    parts=(
        TakePart(strand="a", name="A", played=(), generated=sheet((0.1, 0.9, 60), (4.1, 5.9, 62)).events()),
        TakePart(
            strand="b",
            name="B",
            played=(),
            generated=sorted((*WAVE, *sheet((1.1, 1.9, 80)).events()), key=lambda event: event.time),
        ),
    ),
)


@pytest.fixture
def view(window):
    window.session.load(take_edits.add_take(project(strand(), strand(strand_id="b")), TAKE), None)
    window.show_view("Take")
    return window.takes


def test_the_other_strands_lie_beneath_and_a_click_on_their_notes_shows_them(view):
    roll = view.versions["generated"].roll
    assert view.strand_id == "a" and not roll.beside and view.span.high < 80
    QTest.mouseClick(view.bar.others, LEFT)
    assert [one.strand for one in roll.beside] == ["b"] and view.span.high >= 80
    spot = roll.box_of(roll.beside[0].notes[0]).center()
    assert roll.at(spot) is None and roll.other_at(spot) == "b"
    QTest.mouseClick(roll, LEFT, pos=spot.toPoint())
    assert view.strand_id == "b" and [one.strand for one in roll.beside] == ["a"]
    assert roll.at(spot) == 0
    roll.grab()  # all of it is painted


def test_a_remedy_is_done_in_all_strands_as_one_step(view):
    panel = view.remedies
    view.versions["generated"].roll.choose({1})
    panel.choose("grid")
    panel._values["grid"] = {"rate": "1/4", "ends": True}
    panel.everywhere.set_value(True)
    panel.look()
    assert panel.words.text() == "A: 2 notes change\nB: 1 note changes"
    QTest.mouseClick(panel.do, LEFT)
    begins = [[event.time for event in note_ons(part.generated)] for part in view.take.parts]
    assert begins == [[0.0, 4.0], [1.0]]
    view.session.undo()
    assert view.session.project.take("t") == TAKE
    # Where only the other strand is changed, it is done too.
    panel._values["grid"] = {"rate": "1/4", "onsets": False, "controllers": True}
    panel.look()
    assert panel.words.text().startswith("B: ") and panel.do.isEnabled()


def test_what_is_dragged_out_holds_controllers_and_every_tempo(view):
    view.show_strand("b")
    pane = view.versions["generated"]
    pane.roll.choose(set())
    data = pane.drag.data()
    file = Path(data.urls()[0].toLocalFile())
    found = read_midi(file)
    assert [event.at(round(event.time, 3)) for event in found.events if event.kind == 0xB0] == list(WAVE)
    assert found.tempo_map.second_at(8.0) == pytest.approx(6.0)
    pane.drag.copy()
    view.show_strand("a")
    view.span.cursor = 4.0
    view.versions["generated"].roll.setFocus()
    QTest.keyClick(view.versions["generated"].roll, KEY.Key_V, Qt.KeyboardModifier.ControlModifier)
    pasted = view.take.part("a").generated
    assert [event.time for event in pasted if event.kind == 0xB0] == [4.0 + event.time for event in WAVE]
    assert [event.time for event in note_ons(pasted) if event.data1 == 80] == [pytest.approx(5.1, abs=1e-3)]


def test_beats_are_tapped_while_it_plays(view, qtbot):
    view.acts.tapped.emit()
    pad = view.taps.pad
    assert pad.hasFocus() and not view.taps.lay.isEnabled()
    qtbot.waitUntil(lambda: view.playing.on)
    told = []
    for _ in range(4):
        after = told[-1] if told else 0.0
        # What is heard now, as a tap takes it: what was told last may be older by any time.
        qtbot.waitUntil(lambda after=after: (view.playing.heard_second(studio.now()) or 0.0) > after + 0.25)
        QTest.keyClick(pad, KEY.Key_T)
        told.append(view.taps.taps[-1])
    assert len(view.span.taps) == 4 and view.taps.words.text().startswith("at ")
    seconds = [view.take.course.second_at(event.time) for event in note_ons(view.take.parts[0].generated)]
    QTest.mouseClick(view.taps.lay, LEFT)
    take = view.take
    beats = [take.course.beat_at(second) for second in told]
    assert [beat - beats[0] for beat in beats] == pytest.approx([0, 1, 2, 3], abs=1e-2)
    assert beats[0] % 4 == pytest.approx(0.0, abs=1e-2) or beats[0] % 4 == pytest.approx(4.0, abs=1e-2)
    again = [take.course.second_at(event.time) for event in note_ons(take.parts[0].generated)]
    assert again == pytest.approx(seconds), "it sounds as before"
    assert not view.taps.on and view.span.taps == () and view.session.history.undo_label == "Lay take on taps"


def test_what_lies_beyond_the_string_is_offered_to_be_cleaned(view):
    string = AudioSource(id="p", listen="pitch", file="stand-in:plucked-line", params={"lowest": 62})
    view.session.edit("x", edits.set_strand(view.session.project, "a", sources=(string,)))
    view.show_strand("a")
    view.remedies.choose("clean")
    assert (view.remedies.values["lowest"], view.remedies.values["highest"]) == (62, 76)
    view.remedies.look()
    assert view.remedies.words.text() == "1 note goes"
    view.show_strand("b")
    view.remedies.choose("clean")
    assert (view.remedies.values["lowest"], view.remedies.values["highest"]) == (0, 127)


def test_tapping_can_be_left_and_begun_again(view):
    view.tap_along()
    view.taps.tap(1.0, 0.0)
    view.taps.tap(1.1, 0.0)
    assert "no tempo" in view.taps.words.text() and not view.taps.lay.isEnabled()
    QTest.mouseClick(view.taps.again, LEFT)
    assert view.taps.taps == [] and view.taps.on
    view.taps.leave()
    assert not view.taps.on and view.take == TAKE


def test_a_drag_over_paper_frames_notes_of_the_strand_at_work_only(view):
    QTest.mouseClick(view.bar.others, LEFT)
    roll = view.versions["generated"].roll
    drag(roll, QPointF(40, 20), QPointF(roll.width() - 60, roll.height() - 40))
    assert roll.chosen == {0, 1}


def test_every_stage_is_offered_and_says_what_it_would_do(view):
    panel = view.remedies
    for kind in PROCESSORS:
        panel.choose(f"stage:{kind}")
        assert panel.which.value() == f"stage:{kind}" and panel.plan is not None and panel.words.text()
    panel.choose("")
