"""A document as it is in a section: seen with what it holds, edited there, and otherwise as it was."""

from __future__ import annotations

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.document import edits
from arpegon.core.document.model import Held, Section
from arpegon.processors.holding import differences, edited_within, within
from arpegon.processors.targets import value_now, with_value
from building import BELLS, generator, project, stage, strand

WALK = generator("steps", "walk", params={"stride": 3})


def document(*holds):
    section = Section(id="b", name="B", holds=holds)
    return project(
        strand(stage("transpose", "up", semitones=2), sources=(WALK,)),
        strand(strand_id="c"),
        sections=(Section(id="a", name="A"), section),
        tempo=100.0,
    )


VALUES = {
    ("", "tempo"): [90.0, 140.0],
    ("", "key_root"): ["D", "Eb"],
    ("walk", "stride"): [1, 5],
    ("walk", "bypass"): [True, False],
    ("walk", "swing"): [50, 60],
    ("up", "semitones"): [2, 7],
    ("up", "octaves"): [0, 1],
    ("a", "muted"): [True, False],
    ("c", "solo"): [True, False],
    (BELLS.id, "level_db"): [-6.0, -20.0],
}
PAIRS = st.dictionaries(st.sampled_from(list(VALUES)), st.integers(0, 1)).map(
    lambda drawn: {target: VALUES[target][which] for target, which in drawn.items()}
)


def holding(values):
    return document(*(Held(target=target, param=param, value=value) for (target, param), value in values.items()))


def put(one, values):
    for target, value in values.items():
        one = with_value(one, target, value)
    return one


@given(PAIRS, PAIRS, st.booleans())
def test_what_is_edited_in_a_section_is_seen_there_and_what_it_holds_stays_as_it_was_elsewhere(held, wanted, hold_all):
    one = holding(held)
    view = within(one, one.section("b"))
    for target, value in held.items():
        assert value_now(view, *target) == value
    edited = put(view, wanted)
    made = edited_within(one, one.section("b"), edited, hold_all)
    assert differences_of(within(made, made.section("b")), edited) == set()
    elsewhere = set() if hold_all else set(wanted) - set(held)
    assert differences_of(one, made) <= elsewhere
    for target in elsewhere:
        assert value_now(made, *target) == wanted[target]


def differences_of(one, other):
    return set(differences(one, other))


@given(PAIRS)
def test_an_edit_of_nothing_leaves_the_document_as_it_was(held):
    one = holding(held)
    assert edited_within(one, one.section("b"), within(one, one.section("b")), True) == one


def test_without_a_section_an_edit_is_an_edit():
    one = document()
    assert within(one, None) is one and edited_within(one, None, put(one, {("", "tempo"): 50.0})).tempo == 50.0


def test_a_value_left_out_is_left_out_again_and_what_is_gone_stays_held():
    one = document(Held(target="walk", param="swing", value=60), Held(target="gone", param="low", value=1))
    view = within(one, one.section("b"))
    made = edited_within(one, one.section("b"), edits.set_project(view, title="Other"))
    assert made == msgspec.structs.replace(one, title="Other")
    assert "swing" not in made.find_stage("walk")[1].params


def test_what_is_taken_out_and_put_in_goes_into_the_document():
    one = document(Held(target="up", param="octaves", value=1))
    view = within(one, one.section("b"))
    made = edited_within(one, one.section("b"), edits.remove_stage(view, "up"), True)
    assert made.find_stage("up") is None and len(made.section("b").holds) == 1
    added, stage_id = edits.add_stage(view, "a", "scale")
    made = edited_within(one, one.section("b"), added, True)
    assert made.find_stage(stage_id) is not None and len(made.section("b").holds) == 1
    assert made.find_stage("up")[1].params == {"semitones": 2}


@pytest.mark.parametrize("hold_all", [True, False])
def test_an_edit_of_the_section_itself_is_kept(hold_all):
    one = document(Held(param="tempo", value=90.0))
    view = within(one, one.section("b"))
    made = edited_within(one, one.section("b"), edits.hold(view, "b", Held(param="tempo", value=77.0)), hold_all)
    assert (made.tempo, within(made, made.section("b")).tempo) == (100.0, 77.0)
    made = edited_within(one, one.section("b"), edits.let_go(view, "b", "", "tempo"), hold_all)
    assert made.tempo == 100.0 and made.section("b").holds == ()
    made = edited_within(one, one.section("b"), edits.remove_section(view, "b"), hold_all)
    assert made.tempo == 100.0 and len(made.sections) == 1
