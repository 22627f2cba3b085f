"""A document is taken whole or not at all."""

from __future__ import annotations

import pytest

from arpegon.core.document import edits
from arpegon.core.document.model import Hookup, Stage, StrandDestination, StrandSource, SurfaceSource
from arpegon.core.errors import DocumentError
from arpegon.core.events import NOTE_ON, control, note_off, note_on
from arpegon.core.processing.processor import Context
from arpegon.engine.simulation import Engine
from arpegon.processors.stages.scale import ScaleStage
from building import Recording, assert_whole, generator, pitches, project, stage, strand

GOOD = project(strand(stage("scale", "s", root="C"), stage("chord", "c", offsets=[7])), strand(strand_id="b"))


def bad_documents():
    scale = Stage(id="s", kind="scale", params={"scale": "of fish"})
    yield "a value that cannot be", edits.set_params(GOOD, "s", {"scale": "of fish"})
    yield "a value of another type", edits.set_params(GOOD, "c", {"offsets": "seven"})
    added, _ = edits.add_stage(GOOD, "a", "scale", 0)
    yield "a new stage that cannot be", edits.replace_params(added, "scale", scale.params)
    yield "no such processor", project(strand(Stage(id="x", kind="fog")), strand(strand_id="b"))
    steps = generator("steps", params={"patterns": 5})
    yield "a generator that cannot be", edits.set_source(GOOD, "b", 0, steps)
    looped = edits.set_source(GOOD, "a", 0, StrandSource(strand="b"))
    yield "a loop", edits.set_destination(looped, "a", 1, StrandDestination(strand="b"))
    zone = edits.set_source(edits.remove_stage(GOOD, "c"), "b", 0, SurfaceSource(low_key=100))
    yield "much else besides", edits.set_params(zone, "s", {"root": "H"})


@pytest.mark.parametrize(
    ("what", "bad"), list(bad_documents()), ids=lambda value: value if isinstance(value, str) else ""
)
def test_what_cannot_be_worked_out_leaves_everything_at_work(what, bad):
    out = Recording()
    engine = Engine(out)
    engine.apply(GOOD, {}, 0.0, revision=1)
    engine.feed("surface", note_on(0.1, 0, 61, 90))
    engine.run(0.1)
    before, sounding = list(out.out), engine.graph.sounding
    with pytest.raises(DocumentError, match=r"\.$"):
        engine.apply(bad, {}, 0.2, revision=2)
    assert out.out == before, "nothing was let go of"
    assert engine.graph.project is GOOD and engine.graph.sounding == sounding and engine.overlay.document is GOOD
    engine.feed("surface", note_on(0.3, 0, 62, 90))
    engine.feed("surface", note_off(0.4, 0, 61))
    engine.feed("surface", note_off(0.5, 0, 62))
    engine.run(1.0)
    assert sorted(pitches(out.out[len(before) :])) == [62, 69], "both strands at work; what both begin at once is one"
    assert engine.graph.sounding == 0
    assert_whole(out.out)


def test_values_that_a_knob_brings_and_that_cannot_be_leave_the_stage_as_it_was():
    made = ScaleStage({"root": "D"}, Context())
    with pytest.raises(KeyError):
        made.configure({"root": "D", "scale": "of fish"}, Context())
    events = []
    made.process([note_on(0.0, 0, 61, 90)], events)
    assert made.values["root"] == "D" and pitches(events)


def test_what_hookups_have_set_outlives_a_document_that_was_refused():
    hooked, _ = edits.add_hookup(GOOD, Hookup(id="", control="cc", number=20, target="b", param="muted"))
    engine = Engine(Recording())
    engine.apply(hooked, {}, 0.0)
    engine.feed("surface", control(0.1, 0, 20, 127))
    engine.run(0.1)
    assert engine.graph.project.strand("b").muted
    with pytest.raises(DocumentError):
        engine.apply(edits.set_params(hooked, "s", {"scale": "of fish"}), {}, 0.2)
    engine.apply(edits.set_strand(hooked, "a", name="Lamp"), {}, 0.3)
    assert engine.graph.project.strand("b").muted


def test_what_runs_at_a_tempo_of_its_own_goes_by_the_transport_still_when_a_document_is_refused():
    steps = generator("steps", "g", rate="1/4", patterns=[[{"note": 40}]], own_tempo="ratio", own_ratio=150.0)
    out = Recording()
    engine = Engine(out)
    engine.apply(project(strand(sources=(steps,))), {}, 0.0)
    engine.play(0.0)
    engine.run(1.0)
    bad = project(strand(sources=(steps,), plays_on=True), strand(Stage(id="x", kind="fog"), strand_id="b"))
    with pytest.raises(DocumentError):
        engine.apply(bad, {}, 1.0)
    engine.run(1.9)
    engine.set_tempo(2.0, 60.0)
    engine.run(3.9)
    begun = [event.time for event in out.out if event.kind == NOTE_ON]
    assert begun == pytest.approx([place / 3.0 for place in range(7)] + [2.0 + place / 1.5 for place in range(1, 3)])
