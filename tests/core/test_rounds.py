"""Rounds that are recorded over a take: each is added, or takes the place of what was there, and can be dropped."""

from __future__ import annotations

from pathlib import Path

from arpegon.core.document import take_edits
from arpegon.core.document.model import Project
from arpegon.core.events import CONTROL, control
from arpegon.core.notes.course import Course
from arpegon.core.notes.sheet import Note, Sheet
from arpegon.core.notes.takes import Take, TakePart
from arpegon.files.project import format_project, parse_project
from building import pitches


def _sheet(*rows):
    return Sheet(tuple(Note(start, end, note, 90) for start, end, note in rows))


def _over(*rows, values=()):
    events = Sheet(_sheet(*rows).notes, tuple(values)).events()
    return TakePart(strand="a", name="A", played=events, generated=events)


_BASE = Take(id="t", name="T", beats=8.0, parts=(_over((0.0, 1.0, 60), (2.0, 3.0, 62), (5.0, 6.0, 64)),))


def _recorded(take, *rounds, span=None):
    project = Project(takes=(take,))
    for one in rounds:
        project = take_edits.record_round(project, "t", [one], span)
    return project


def test_a_round_is_dropped_whatever_came_after_it():
    first, second = _over((1.0, 1.5, 70), values=[control(1.0, 0, 1, 9)]), _over((1.0, 1.5, 72), (4.0, 4.5, 70))
    project = _recorded(_BASE, first, second)
    assert [one.number for one in project.take("t").rounds] == [1, 2]
    project = take_edits.drop_round(project, "t", 1)
    take = project.take("t")
    assert pitches(take.parts[0].generated) == [60, 72, 62, 70, 64] and [one.number for one in take.rounds] == [2]
    assert not any(event.kind == CONTROL for event in take.parts[0].played)
    assert take_edits.drop_round(project, "t", 2).take("t") == _BASE
    assert take_edits.drop_round(project, "t", 9) == project


def test_what_a_round_took_the_place_of_comes_back_with_it():
    project = _recorded(_BASE, _over((1.0, 1.5, 70)), span=(1.0, 4.0))
    assert pitches(project.take("t").parts[0].played) == [60, 70, 64]
    assert take_edits.drop_round(project, "t", 1).take("t") == _BASE
    # Where nothing was played nothing goes.
    assert _recorded(_BASE, _over(), span=(1.0, 4.0)).take("t") == _BASE


def test_what_was_moved_since_stays_and_what_lies_on_other_beats_is_found():
    project = _recorded(_BASE, _over((1.0, 1.5, 70), (3.0, 3.5, 71)))
    sheet = Sheet.of(project.take("t").parts[0].generated, 8.0)
    moved = sheet.moved({place for place, note in enumerate(sheet.notes) if note.note == 71}, 0.25)[0]
    project = take_edits.set_version(project, "t", "a", "generated", moved)
    project = take_edits.set_course(project, "t", Course(tempi=((0.0, 90.0),)))
    take = take_edits.drop_round(project, "t", 1).take("t")
    assert pitches(take.parts[0].generated) == [60, 62, 71, 64] and pitches(take.parts[0].played) == [60, 62, 64]


def test_rounds_are_kept_in_the_project_file():
    project = _recorded(_BASE, _over((1.0, 1.5, 70)), span=(1.0, 4.0))
    assert parse_project(format_project(project), Path("x")) == project


def test_what_a_dropped_round_brought_does_not_come_back_with_a_later_one():
    project = _recorded(_BASE, _over((1.0, 1.5, 70)), _over((1.2, 1.4, 71)), span=(1.0, 4.0))
    project = take_edits.drop_round(take_edits.drop_round(project, "t", 1), "t", 2)
    assert pitches(project.take("t").parts[0].played) == [60, 62, 64]


def test_a_note_that_a_round_cut_is_whole_again_without_it():
    project = _recorded(_BASE, _over((2.5, 2.75, 62)))
    notes = Sheet.of(project.take("t").parts[0].played, 8.0).notes
    assert next(note.end for note in notes if note.note == 62) == 2.5
    assert take_edits.drop_round(project, "t", 1).take("t") == _BASE
