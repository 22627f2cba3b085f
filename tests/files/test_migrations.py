"""Files of every earlier version open: each step has a file of the version before it."""

from __future__ import annotations

import json

import pytest

from arpegon.core.errors import FileError
from arpegon.files.migrations import STEPS, newest
from arpegon.files.presets import parse_preset
from arpegon.files.project import format_project, parse_project

VERSION_1 = {
    "format": "arpegon-project",
    "version": 1,
    "title": "Tide",
    "instruments": [{"id": "bells", "sound": "glass-bells"}],
    "strands": [
        {
            "id": "harbour",
            "name": "Harbour",
            "sources": [{"kind": "surface"}, {"kind": "steps", "id": "out"}],
            "stages": [{"id": "in", "kind": "humanize"}, {"id": "in-1", "kind": "scale"}],
        },
        {"id": "in", "name": "Lamp", "sources": [{"kind": "strand", "strand": "harbour", "after": "in"}]},
    ],
    "hookups": [{"id": "h1", "control": "cc", "number": 20, "target": "in", "param": "low"}],
    "sections": [{"id": "calm", "name": "Calm", "bars": 4, "holds": [{"target": "in", "param": "high", "value": 90}]}],
}


def test_version_1_names_of_taps_become_free_and_whatever_names_the_stage_follows():
    project = parse_project(json.dumps(VERSION_1).encode())
    harbour, lamp = project.strands
    assert [stage.id for stage in harbour.stages] == ["in-2", "in-1"]
    assert harbour.sources[1].id == "out-1"
    assert lamp.id == "in", "strands may be called so"
    assert lamp.sources[0].after == "in-2"
    assert project.hookups[0].target == "in-2" and project.sections[0].holds[0].target == "in-2"


def test_what_was_migrated_is_written_in_the_newest_version_and_read_again():
    project = parse_project(json.dumps(VERSION_1).encode())
    written = format_project(project)
    assert json.loads(written)["version"] == newest("arpegon-project") == 4
    assert parse_project(written) == project


def test_a_project_of_version_1_without_such_names_is_as_it_was():
    plain = {**VERSION_1, "strands": [{"id": "a", "name": "A", "stages": [{"id": "s", "kind": "scale"}]}]}
    plain |= {"hookups": [], "sections": []}
    project = parse_project(json.dumps(plain).encode())
    assert [stage.id for stage in project.strands[0].stages] == ["s"] and project.title == "Tide"


@pytest.mark.parametrize("held", ["stage", "strand"])
def test_a_preset_of_version_1_opens(held):
    stage = {"id": "in", "kind": "humanize", "params": {"low": 60}}
    content = {"stage": stage} if held == "stage" else {"strand": {"id": "s", "name": "S", "stages": [stage]}}
    preset = parse_preset(json.dumps({"format": "arpegon-preset", "version": 1, "name": "Soft", **content}).encode())
    read = preset.stage if held == "stage" else preset.strand.stages[0]
    assert read.id == "in-1" and read.params["low"] == 60


VERSION_2 = {
    "format": "arpegon-project",
    "version": 2,
    "instruments": [{"id": "bells", "sound": "glass-bells"}],
    "strands": [
        {
            "id": "a",
            "name": "A",
            "stages": [
                {"id": "up", "kind": "arpeggiator", "params": {"octaves": 2}},
                {"id": "both", "kind": "arpeggiator", "params": {"octaves": 2, "octave_way": "both"}},
                {"id": "move", "kind": "transpose", "params": {"octaves": 2}},
            ],
        }
    ],
    "hookups": [
        {"id": "h1", "number": 20, "target": "bells", "param": "level_db"},
        {"id": "h2", "number": 21, "target": "bells", "param": "level_db", "out_low": -20.0, "out_high": 0.0},
        {"id": "h3", "number": 22, "target": "both", "param": "octaves"},
        {"id": "h4", "number": 23, "target": "up", "param": "octaves"},
    ],
    "sections": [{"id": "calm", "name": "Calm", "holds": [{"target": "both", "param": "octaves", "value": 3}]}],
}


def test_version_2_sounds_as_it_did():
    project = parse_project(json.dumps(VERSION_2).encode())
    up, both, move = project.strands[0].stages
    assert up.params == {"octaves": 2, "gather_ms": 0} and both.params["octaves"] == 3 and move.params == {"octaves": 2}
    ranges = [(hookup.out_low, hookup.out_high) for hookup in project.hookups]
    assert ranges == [(-60.0, 6.0), (-20.0, 0.0), (1, 7), (None, None)]
    assert project.sections[0].holds[0].value == 5


def test_an_arpeggio_in_a_preset_of_version_2_sounds_as_it_did():
    stage = {"id": "x", "kind": "arpeggiator", "params": {"octaves": 4, "octave_way": "both"}}
    for content in ({"stage": stage}, {"strand": {"id": "s", "name": "S", "stages": [stage]}}):
        whole = {"format": "arpegon-preset", "version": 2, "name": "Gulls", **content}
        preset = parse_preset(json.dumps(whole).encode())
        read = preset.stage if "stage" in content else preset.strand.stages[0]
        assert read.params["octaves"] == 7 and read.params["gather_ms"] == 0


@pytest.mark.parametrize("version", [0, 5, 99, "2", None, True, 1.5])
def test_a_version_that_is_not_known_is_said(version):
    with pytest.raises(FileError, match="this Arpegon reads versions 1 to 4"):
        parse_project(json.dumps({**VERSION_1, "version": version}).encode())


@pytest.mark.parametrize("format", STEPS)
@pytest.mark.parametrize("junk", [[], {"strands": 5}, {"strands": [7, {"stages": "x", "sources": [3, {"id": 4}]}]}])
def test_steps_leave_what_they_do_not_understand(format, junk):
    tree = {"format": format, **(junk if isinstance(junk, dict) else {"sections": junk})}
    for step in STEPS[format]:
        assert step(dict(tree)) == tree


def test_a_stage_cannot_be_called_as_an_end_of_its_strand():
    with pytest.raises(FileError, match="names an end of its strand"):
        parse_project(json.dumps({**VERSION_1, "version": 2}).encode())


def test_takes_of_seconds_lie_on_beats():
    """Version 4: a take had seconds and one tempo."""
    event = [1.5, 144, 60, 90, ""]
    take = {
        "id": "t",
        "name": "Fog",
        "seconds": 3.0,
        "tempo": 80.0,
        "meter": [3, 4],
        "parts": [
            {
                "strand": "a",
                "name": "A",
                "played": [event, [2.25, 128, 60, 64, ""]],
                "generated": [event, [2.25, 128, 60, 64, ""]],
                "doubtful": [[1.5, 60]],
            }
        ],
    }
    old = {"format": "arpegon-project", "version": 3, "takes": [take]}
    (found,) = parse_project(json.dumps(old).encode()).takes
    assert found.beats == 4.0 and found.seconds == 3.0 and not found.course.tied
    assert found.course.tempi == ((0.0, 80.0),) and found.course.meters == ((0.0, (3, 4), 1),)
    part = found.parts[0]
    assert [one.time for one in part.played] == [2.0, 3.0] and part.doubtful == ((2.0, 60),)
    assert [one.time for one in found.in_seconds(part.generated)] == [1.5, 2.25]


@pytest.mark.parametrize("junk", [{"tempo": "x"}, {"seconds": None}, {"parts": [7]}, {"parts": [{"played": [[]]}]}])
def test_a_damaged_take_of_before_is_said(junk):
    take = {"id": "t", "name": "Fog", "seconds": 3.0, "tempo": 80.0, "parts": [], **junk}
    with pytest.raises(FileError):
        parse_project(json.dumps({"format": "arpegon-project", "version": 3, "takes": [take]}).encode())
