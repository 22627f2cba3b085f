"""Every declaration of every stage: what it allows is taken, what it does not is refused with a sentence."""

from __future__ import annotations

import json
import re

import jsonschema
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from arpegon.core.document.model import Stage
from arpegon.core.errors import ArpegonError, ParameterError
from arpegon.core.processing.parameters import (
    Choice,
    Flags,
    KeyThreads,
    NoteKey,
    NoteValue,
    Number,
    Points,
    check_params,
    with_defaults,
)
from arpegon.core.processing.processor import Context
from arpegon.files.project import format_project, parse_project
from arpegon.files.schema import project_schema
from arpegon.processors import WORKS, processor_class
from arpegon.processors.facts import stage_facts
from building import project, working
from strategies import ALL_KINDS, value_of

DECLARED = [(kind, param) for kind, processor in WORKS.items() for param in processor.params]
NAMES = [f"{kind}.{param.name}" for kind, param in DECLARED]


def unlike(declared):
    """Declarations of which no two have the same rules: they differ in more than name, words and default."""
    found = {}
    for kind, param in declared:
        said = {name: getattr(param, name) for name in param.__struct_fields__}
        rules = {name: value for name, value in said.items() if name not in ("key", "label", "help", "default")}
        found.setdefault((type(param).__name__, repr(rules)), (kind, param))
    return list(found.values())


ONE_OF_MANY = re.compile(r"\b1 (steps|keys|voices|notes|bars|hits|values|events|rings|lanes)\b")
UNLIKE = unlike(DECLARED)

JUNK = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=True) | st.text(max_size=6),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=4), inner, max_size=3),
    max_leaves=5,
)


@pytest.mark.parametrize(("kind", "param"), DECLARED, ids=NAMES)
def test_a_default_is_allowed_and_in_normal_form(kind, param):
    assert param.check(param.default) == param.default
    assert param.text(param.default) is not None
    assert param.label and param.help.endswith((".", ")")) and param.range_text


@pytest.mark.parametrize("kind", sorted({kind for kind, _ in UNLIKE}))
def test_what_is_allowed_has_one_normal_form_and_fits_its_schema(kind):
    declared = {param.name: param for of, param in UNLIKE if of == kind}
    fits = {name: jsonschema.Draft202012Validator(param.schema()).validate for name, param in declared.items()}

    @given(st.fixed_dictionaries({name: value_of(param) for name, param in declared.items()}))
    def holds(values):
        for name, value in values.items():
            param = declared[name]
            checked = param.check(value)
            assert param.check(checked) == checked, name
            fits[name](checked)
            assert isinstance(param.text(checked), str), name

    holds()


@settings(max_examples=200)
@given(JUNK)
def test_junk_is_refused_with_a_sentence_or_is_allowed(value):
    for kind, param in UNLIKE:
        where = f"{value!r} for {kind}.{param.name}"
        try:
            checked = param.check(value)
        except ParameterError as error:
            assert str(error).endswith(".") and param.name in str(error), where
        else:
            assert param.check(checked) == checked, where


@given(st.sampled_from(sorted(ALL_KINDS)).flatmap(lambda kind: st.tuples(st.just(kind), ALL_KINDS[kind])))
def test_any_stage_is_saved_and_read_back(pair):
    kind, values = pair
    checked = check_params(WORKS[kind].params, values, "here")
    before = project(working(kind, checked))
    assert parse_project(format_project(before)) == before


@pytest.mark.parametrize("kind", sorted(ALL_KINDS))
def test_any_stage_has_words_for_its_bar_and_facts_for_the_path_check(kind):
    @given(ALL_KINDS[kind])
    def holds(values):
        processor = processor_class(kind)
        checked = check_params(processor.params, values, "here")
        caption = processor.caption(with_defaults(processor.params, checked))
        assert caption and len(caption) < 70 and not ONE_OF_MANY.search(caption)
        facts = stage_facts(Stage(id="s", kind=kind, params=checked))
        assert facts.label == processor.label
        processor(checked, Context())

    holds()


@pytest.fixture(scope="module")
def fits_schema():
    """Validates a project as it stands in a file."""
    jsonschema.Draft202012Validator.check_schema(project_schema())
    return jsonschema.Draft202012Validator(project_schema()).validate


@pytest.mark.parametrize("kind", sorted(WORKS))
def test_the_schema_of_projects_knows_every_stage(kind, fits_schema):
    fits_schema(json.loads(format_project(project(working(kind, {})))))


def test_names_in_files_and_labels_are_each_their_own():
    for processor in WORKS.values():
        keys = [param.name for param in processor.params]
        labels = [param.label for param in processor.params]
        assert len(set(keys)) == len(keys) and len(set(labels)) == len(labels)


def make(cls, **more):
    return cls(name="x", label="X", help="X.", **more)


@pytest.mark.parametrize(
    ("param", "good", "normal"),
    [
        (make(NoteKey, default=60), "Eb3", 51),
        (make(NoteKey, default=60), 0, 0),
        (make(NoteValue, default="1/8"), " 1/16t", "1/16T"),
        (make(Flags, default=[], options={"a": "A", "b": "B"}), ["b", "a", "b"], ["a", "b"]),
        (make(Points, default=[], low=0, high=9), [[1, 2], [3, 0]], [[1, 2], [3, 0]]),
        (make(KeyThreads, default={}), {"C4": ["E4", "C4", 60]}, {"60": [64, 60, 60]}),
        (make(KeyThreads, default={}), {"D4": [], "C4": ["C4"]}, {"60": [60], "62": []}),
        (make(Number, default=1.0, low=0.0, high=2.0, step=0.1), 1, 1.0),
    ],
)
def test_normal_forms(param, good, normal):
    assert param.check(good) == normal


@pytest.mark.parametrize(
    ("param", "bad"),
    [
        (make(NoteKey, default=60), "C99"),
        (make(NoteKey, default=60), True),
        (make(NoteValue, default="1/8"), "soon"),
        (make(NoteValue, default="1/8"), 8),
        (make(Flags, default=[], options={"a": "A"}), ["z"]),
        (make(Flags, default=[], options={"a": "A"}), "a"),
        (make(Points, default=[], low=0, high=9), [[3, 0], [1, 2]]),
        (make(KeyThreads, default={}), {"C4": "C4"}),
        (make(KeyThreads, default={}), {"C4": ["C44"]}),
        (make(Number, default=1, low=0, high=2), 1.5),
        (make(Number, default=1, low=0, high=2), float("nan")),
        (make(Choice, default="a", options={"a": "A"}), ["a"]),
    ],
)
def test_what_is_refused_says_what_is_taken(param, bad):
    with pytest.raises(ArpegonError) as caught:
        param.check(bad)
    assert "X" in str(caught.value)


@pytest.mark.parametrize("param", [param for _, param in UNLIKE if isinstance(param, Number)], ids=lambda one: one.name)
def test_a_whole_number_is_written_alike_however_files_and_controls_bring_it(param):
    for value in (param.low, param.default, param.high):
        assert param.text(float(value)) == param.text(param.check(value))
