"""Parameters, edits, history, routing, the path check."""

from __future__ import annotations

from pathlib import Path

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.document import edits
from arpegon.core.document.history import History, PackedStep
from arpegon.core.document.model import (
    ClipSource,
    ClockSettings,
    Music,
    PortDestination,
    Section,
    SectionClock,
    StrandDestination,
    StrandSource,
    SurfaceSource,
)
from arpegon.core.document.path_check import check_paths
from arpegon.core.document.routing import topological_order
from arpegon.core.errors import DocumentError, ParameterError
from arpegon.core.notes.takes import Take, TakePart
from arpegon.core.processing.parameters import Choice, Number, Numbers, check_params, with_defaults
from arpegon.files.project import format_project, parse_project
from arpegon.processors import PROCESSORS, WORKS
from arpegon.processors.facts import stage_facts
from building import BELLS, notes, project, stage, strand


@pytest.mark.parametrize("processor", WORKS.values())
def test_defaults_pass_their_own_checks_and_say_what_they_are(processor):
    for param in processor.params:
        assert param.check(param.default) == param.default
        assert param.label and param.help.endswith(".") and param.range_text
        assert param.text(param.default) or isinstance(param, Numbers)
        assert param.schema()
    assert processor.caption(with_defaults(processor.params, {}))


BAD = [
    ("humanize", {"low": 0}),
    ("humanize", {"low": 128}),
    ("humanize", {"low": 1.5}),
    ("humanize", {"low": "loud"}),
    ("humanize", {"low": True}),
    ("humanize", {"mode": "wild"}),
    ("humanize", {"colour": 3}),
    ("scale", {"root": "H"}),
    ("scale", {"root": "D4"}),
    ("scale", {"scale": "greek"}),
    ("scale", {"targets": ["C"]}),
    ("scale", {"follow_key": 1}),
    ("chord", {"offsets": [37]}),
    ("chord", {"offsets": list(range(9))}),
    ("chord", {"offsets": [1.5]}),
    ("chord", {"offsets": 7}),
    ("chord", {"levels": [float("nan")]}),
    ("chord", {"levels": [-0.1]}),
]


@pytest.mark.parametrize(("kind", "params"), BAD)
def test_bad_values_are_refused_in_a_sentence_that_names_them(kind, params):
    with pytest.raises(ParameterError, match=next(iter(params))) as caught:
        check_params(PROCESSORS[kind].params, params, "here")
    assert str(caught.value).startswith("here: ") and str(caught.value).endswith(".")


def test_values_come_out_in_one_normal_form():
    checked = check_params(PROCESSORS["scale"].params, {"root": "e♭", "scale": "major"}, "here")
    assert checked == {"root": "Eb", "scale": "ionian"}
    assert check_params(PROCESSORS["scale"].params, {"root": 3}, "")["root"] == "Eb"
    nothing = {"targets": [None] * 12}
    assert check_params(PROCESSORS["scale"].params, nothing, "") == {"targets": []}


def test_numbers_clamp_and_read_well():
    param = Number(name="x", label="X", help="X.", default=-6.0, low=-12.0, high=0.0, step=0.5, unit="dB")
    assert param.clamp(5) == 0.0 and param.text(-6.0) == "−6 dB"
    choice = Choice(name="c", label="C", help="C.", default="a", options={"a": "A"})
    assert choice.text("a") == "A"


def test_edits_leave_what_they_were_given():
    before = project(strand(stage("scale"), stage("chord")))
    copy = msgspec.json.decode(msgspec.json.encode(before), type=type(before))
    moved = edits.move_stage(before, "chord", "a", 0)
    assert [one.id for one in moved.strands[0].stages] == ["chord", "scale"]
    assert edits.remove_stage(before, "scale").strands[0].stages == before.strands[0].stages[1:]
    assert edits.set_params(before, "chord", {"offsets": [5]}).find_stage("chord")[1].params == {"offsets": [5]}
    added, stage_id = edits.add_stage(before, "a", "scale", 1)
    assert stage_id == "scale-2" and added.strands[0].stages[1].id == stage_id
    assert before == copy


def test_a_new_strand_sounds_by_itself_and_takes_its_instrument_along_when_it_goes():
    now, first = edits.add_strand(project(), "Bells", "glass-bells")
    now, second = edits.add_strand(now, "Bells", "glass-bells")
    assert [one.name for one in now.strands] == ["Bells", "Bells 2"]
    assert not check_paths(now, stage_facts)
    assert len(edits.remove_strand(now, second).instruments) == 2  # the suite's own one, and the first strand's
    assert edits.remove_strand(now, first).strand(second)


def test_an_instrument_that_another_strand_uses_stays():
    now = project(strand(strand_id="a"), strand(strand_id="b"))
    assert edits.remove_strand(now, "a").instruments == (BELLS,)


def test_a_drag_is_one_step_of_undo():
    history = History(project())
    for tempo in (90.0, 91.0, 92.0):
        history.do("Tempo", edits.set_project(history.project, tempo=tempo), "tempo")
    history.settle()
    history.do("Tempo", edits.set_project(history.project, tempo=99.0), "tempo")
    assert history.undo() == "Tempo" and history.project.tempo == 92.0
    assert history.undo() == "Tempo" and history.project.tempo == 120.0
    assert history.undo() is None
    assert history.redo() and history.redo() and history.project.tempo == 99.0
    assert history.redo() is None


def test_only_real_changes_are_steps_and_undo_to_the_saved_state_is_clean():
    history = History(project())
    assert not history.do("Nothing", edits.set_project(history.project, tempo=120.0))
    history.do("Title", edits.set_project(history.project, title="Fog"))
    assert history.dirty
    history.undo()
    assert not history.dirty


def test_strands_are_worked_out_after_those_that_feed_them():
    now = project(
        strand(strand_id="c", sources=(StrandSource(strand="b"),)),
        strand(strand_id="b", sources=()),
        strand(strand_id="a", destinations=(StrandDestination(strand="b"),)),
    )
    assert [one.id for one in topological_order(now)] == ["a", "b", "c"]


def test_a_loop_is_refused_with_the_names_in_it():
    now = project(
        strand(strand_id="tide", sources=(StrandSource(strand="fog"),)),
        strand(strand_id="fog", sources=(StrandSource(strand="tide"),)),
    )
    with pytest.raises(DocumentError, match=r"Tide.*Fog|Fog.*Tide"):
        topological_order(now)


acts = st.sampled_from(["edit", "tempo", "clip", "take", "drop", "undo", "redo"])


@given(st.lists(st.tuples(acts, st.integers(0, 5)), max_size=150))
def test_the_way_back_leads_over_the_same_documents_packed_or_not(acts):
    """A plain list of documents beside the history."""
    history = History(project(strand(stage("chord", "c"))))
    documents, place = [history.project], 0
    for number, (act, value) in enumerate(acts):
        now = history.project
        if act in ("edit", "tempo", "clip", "take", "drop"):
            if act == "tempo":  # a whole number comes back as another kind of number
                made = edits.set_project(now, tempo=60 + value)
            elif act == "clip":
                clips = [ClipSource(id=f"c{number}", music=music_of_notes(number)), *now.strands[0].sources]
                made = edits.set_strand(now, "a", sources=tuple(clips[: value + 1]))
            elif act == "edit":
                made = edits.set_params(now, "c", {"offsets": [value], "strum_ms": number % 50})
            elif act == "take":
                part = TakePart(strand="a", name="A", played=tuple(notes(60 + value)))
                take = Take(id=f"t{number}", name="T", beats=1.0, parts=(part,))
                made = msgspec.structs.replace(now, takes=(take, *now.takes))
            else:
                made = msgspec.structs.replace(now, takes=now.takes[1:])
            if history.do(act, made):
                documents, place = [*documents[: place + 1], made], place + 1
        elif act == "undo" and history.undo() is not None:
            place -= 1
        elif act == "redo" and history.redo() is not None:
            place += 1
        assert history.project == documents[place]
    while history.undo() is not None:
        place -= 1
        assert history.project == documents[place]
    assert place == 0
    for document in documents[1:]:
        history.redo()
        assert history.project == document


def music_of_notes(length):
    return Music(name="M", beats=1.0 + length, events=tuple(notes(*[60] * length)))


def test_what_lies_far_back_takes_little_room():
    clip = ClipSource(id="clip", music=music_of_notes(400))
    history = History(project(strand(stage("chord", "c"), sources=(clip, SurfaceSource()))))
    part = TakePart(strand="a", name="A", played=tuple(notes(*[60] * 400)))
    take = Take(id="t", name="T", beats=1.0, parts=(part,))
    history.do("take", msgspec.structs.replace(history.project, takes=(take,)))
    for number in range(200):
        history.do("turn", edits.set_params(history.project, "c", {"strum_ms": number % 50}))
    packed = [step for step in history._back if isinstance(step, PackedStep)]
    assert len(packed) == len(history._back) - 1 and len(history._back) == 201
    assert all(len(step.project) < 200 for step in packed)
    assert len({id(one) for step in packed for one in step.takes}) == 1, "a take is packed once for all"
    assert len({id(one) for step in packed for one in step.music}) == 1, "and the music of a clip"
    history.undo(), history.undo(), history.undo()
    assert history.project.strands[0].sources == (clip, SurfaceSource())
    assert history.project.strands[0].sources[0].music is clip.music


def test_the_way_back_makes_no_second_copy_of_a_take():
    history = History(project())
    part = TakePart(strand="a", name="A", played=tuple(notes(60)))
    kept, dropped = (Take(id=name, name=name, beats=1.0, parts=(part,)) for name in ("kept", "dropped"))
    history.do("takes", msgspec.structs.replace(history.project, takes=(kept, dropped)))
    for number in range(20):
        history.do("tempo", edits.set_project(history.project, tempo=60.0 + number))
    history.do("drop", msgspec.structs.replace(history.project, takes=(kept,)))
    del dropped
    for _ in range(20):
        history.undo()
    assert history.project.takes[0] is kept
    before = history.project.takes[1]
    history.undo()
    assert history.project.takes[1] is before, "one that nobody had any more comes back once"


def test_an_output_of_our_own_is_renamed_wherever_it_is_named():
    bells, out = PortDestination(port="own:Bells"), PortDestination()
    clocked = Section(id="s", name="S", clocks=(SectionClock(port="own:Bells"),))
    one = project(
        strand(destinations=(bells, out)),
        strand(strand_id="b", destinations=(bells,)),
        clock=ClockSettings(send=("", "own:Bells")),
        sections=(clocked,),
    )
    assert edits.own_outputs(one) == ["own:Bells"]
    renamed = edits.rename_output(one, "own:Bells", "Fog: low")
    assert edits.own_outputs(renamed) == ["own:Fog: low"] and renamed.clock.send == ("", "own:Fog: low")
    assert [[to.port for to in made.destinations] for made in renamed.strands] == [
        ["own:Fog: low", ""],
        ["own:Fog: low"],
    ]
    assert renamed.sections[0].clocks[0].port == "own:Fog: low"
    assert parse_project(format_project(renamed), Path("x")) == renamed
