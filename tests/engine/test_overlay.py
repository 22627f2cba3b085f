"""What stands over the document: until the document changes it itself, or it is taken back."""

from __future__ import annotations

import pytest

from arpegon.core.document import edits
from arpegon.core.document.model import Project
from arpegon.engine.performance.overlay import Overlay
from building import project, stage, strand

LOW, HIGH, TEMPO = ("h", "low"), ("h", "high"), ("", "tempo")


class AtWork:
    """A document at work, and what was done to it."""

    now = 5.0

    def __init__(self):
        self.project = project(strand(stage("humanize", "h", low=40, high=90)))
        self.done = []
        self.overlay = Overlay(self, self, self.go_on, lambda target: None)
        self.overlay.use(self.project)

    def find(self, stage_id):
        return None

    def go_on(self, now: Project, targets, time):
        self.project = now
        self.done.append((list(targets), time))

    def edit(self, document):
        """As the engine takes over a document."""
        self.project = self.overlay.laid_over(document)
        self.overlay.use(document)

    def value(self, key):
        return self.project.strands[0].stages[0].params.get(key)


@pytest.fixture
def work():
    return AtWork()


def test_what_is_put_holds_over_edits_elsewhere(work):
    work.overlay.put(LOW, 60)
    assert work.value("low") == 60 and work.done == [([LOW], 5.0)]
    work.edit(edits.set_params(work.overlay.document, "h", {"high": 95}))
    assert (work.value("low"), work.value("high")) == (60, 95)


def test_the_document_has_the_last_word_on_what_it_changes(work):
    work.overlay.put(LOW, 60)
    work.edit(edits.set_params(work.overlay.document, "h", {"low": 30}))
    assert work.value("low") == 30
    work.edit(edits.set_params(work.overlay.document, "h", {"high": 95}))
    assert work.value("low") == 30


def test_a_document_that_was_refused_changes_nothing_of_what_stands_over_it(work):
    work.overlay.put(LOW, 60)
    work.overlay.laid_over(
        edits.set_params(work.overlay.document, "h", {"low": 30})
    )  # and then it cannot be worked out
    work.edit(work.overlay.document)
    assert work.value("low") == 60


def test_a_section_lays_all_at_once_and_takes_back_what_it_no_longer_holds(work):
    work.overlay.lay({LOW: 10, HIGH: 20, TEMPO: 90.0}, [], 8.0)
    assert (work.value("low"), work.value("high"), work.project.tempo) == (10, 20, 90.0)
    assert work.done == [([LOW, HIGH, TEMPO], 8.0)]
    work.overlay.lay({HIGH: 30}, [LOW, TEMPO], 9.0)
    assert (work.value("low"), work.value("high"), work.project.tempo) == (40, 30, 120.0)


def test_what_is_taken_back_of_a_stage_that_is_gone_is_passed_over(work):
    work.overlay.lay({LOW: 10}, [], 8.0)
    work.edit(edits.remove_stage(work.overlay.document, "h"))
    work.overlay.lay({}, [LOW], 9.0)
    assert work.project.strands[0].stages == ()


def test_a_knob_that_is_dragged_does_not_move_what_stands_over_it(work):
    work.overlay.put(LOW, 60)
    assert work.overlay.over("h", {"low": 41, "high": 91}) == {"low": 60, "high": 91}
    assert work.overlay.done == {("", LOW): (60, False)}
