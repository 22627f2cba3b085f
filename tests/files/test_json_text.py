"""JSON as people read it says exactly what the tree says."""

from __future__ import annotations

import json

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.document.model import ClipSource, Project, Strand
from arpegon.core.errors import FileError
from arpegon.files import json_text
from arpegon.files.json_text import format_json
from arpegon.files.project import format_project, parse_project

names = st.one_of(
    st.text(max_size=12), st.sampled_from(("bass [ 120 bpm ].mid", "[", '["\\', "a,  b", "[\n 1 ]", "{ [ }"))
)
leaves = st.one_of(st.none(), st.booleans(), st.integers(), st.floats(allow_nan=False, allow_infinity=False), names)
trees = st.recursive(leaves, lambda one: st.one_of(st.lists(one, max_size=6), st.dictionaries(names, one, max_size=5)))


@given(trees)
def test_what_is_read_is_what_was_written(tree):
    assert json.loads(format_json(tree)) == tree


@given(names, names)
def test_names_with_brackets_and_blanks_come_back_as_they_were(title, clip):
    strand = Strand(id="a", name=title or "x", sources=(ClipSource(file=clip or "x.mid"),))
    project = Project(title=title, strands=(strand,))
    read = parse_project(format_project(project))
    assert (read.title, read.strands[0].name, read.strands[0].sources) == (title, strand.name, strand.sources)


def test_short_lists_of_plain_values_stand_on_one_line_and_others_do_not():
    tree = {"short": [1, 2.5, "a"], "pairs": [[0, 1], [2, 3]], "long": [10**9] * 12, "none": [], "empty": {}}
    text = format_json(tree)
    assert '  "short": [1, 2.5, "a"],\n  "pairs": [\n    [0, 1],\n    [2, 3]\n  ],\n' in text
    assert text.count("1000000000,\n") == 11 and '"none": []' in text and '"empty": {}' in text


@pytest.mark.parametrize("value", [float("inf"), float("nan")])
def test_what_json_cannot_say_is_not_written(value):
    with pytest.raises(ValueError):
        format_json({"a": [value]})


@pytest.mark.parametrize(
    ("text", "word"),
    [
        ('"tempo": 1e400', "1e400"),
        ('"tempo": -Infinity', "Infinity"),
        ('"tempo": NaN', "NaN"),
        ('"tempo": 100.0, "tempo": 90.0', "tempo"),
        ('"tempo": 120.0, "title": "\\ud83d"', "half a character"),
    ],
)
def test_what_would_be_lost_is_said_instead(text, word):
    content = format_project(Project()).decode().replace('"title": "Untitled",', "").replace('"tempo": 120.0', text)
    with pytest.raises(FileError, match=word):
        parse_project(content.encode(), "x.arpegon")


def test_many_brackets_cost_no_more_than_other_letters():
    """Its cost once grew with the square: 4,000 blanks took 20 seconds, and the test its time limit."""
    project = msgspec.structs.replace(Project(), title="[" + " " * 400_000)
    assert parse_project(format_project(project)).title == project.title


@given(st.lists(st.lists(leaves, min_size=0, max_size=5), min_size=1, max_size=8))
def test_rows_written_in_one_go_are_written_as_one_by_one(rows):
    whole = format_json({"rows": rows})
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(json_text, "_rows", lambda value, indent: "")
        assert format_json({"rows": rows}) == whole
