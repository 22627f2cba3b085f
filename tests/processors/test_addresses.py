"""Addresses: everything that can be turned has one, and a value set there is found there, and nowhere else."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from arpegon.core.document.hookup_values import HOOKABLE
from arpegon.core.document.model import (
    ClipSource,
    Held,
    InstrumentDestination,
    PortDestination,
    Section,
    SurfaceSource,
)
from arpegon.core.errors import ParameterError
from arpegon.core.processing.parameters import check_params, with_defaults
from arpegon.engine.simulation import Engine
from arpegon.files.project import format_project, parse_project
from arpegon.processors import WORKS
from arpegon.processors.targets import param_at, params_of, part_names, value_now, with_value
from building import BELLS, Recording, pitches, project, stage, strand, working
from strategies import ALL_KINDS, value_of

PIECE = project(
    strand(
        sources=(SurfaceSource(low_key=40), ClipSource(file="a.mid", more=("b.mid", "c.mid"))),
        destinations=(InstrumentDestination(instrument="bells", channel=0), PortDestination(port="Synth")),
    ),
    sections=(
        Section(
            id="calm",
            name="Calm",
            holds=(Held(target="bells", param="pan", value=0.5), Held(param="tempo", value=90)),
        ),
    ),
    meter=(3, 4),
)

VALUES = [
    (("", "tempo"), 120.0, 90.0),
    (("", "key_root"), "C", "Eb"),
    (("", "meter_beats"), 3, 17),
    (("", "meter_unit"), "4", "8"),
    (("bells", "sound"), BELLS.sound, "bowed-wires"),
    (("bells", "channel"), 0, 5),
    (("bells", "level_db"), BELLS.level_db, -96.0),
    (("a", "muted"), False, True),
    (("a", "plays_on"), False, True),
    (("a", "along"), False, True),
    (("a", "sources.1.low_key"), 40, 50),
    (("a", "sources.1.high_velocity"), 127, 90),
    (("a", "sources.2.channel"), 0, 16),
    (("a", "sources.2.choice"), 1, 3),
    (("a", "destinations.1.channel"), 1, 0),
    (("a", "destinations.2.muted"), False, True),
    (("calm", "bars"), 8, 12),
    (("calm", "then"), "on", "again"),
    (("calm", "holds.1"), 0.5, -0.5),
    (("calm", "holds.2"), 90, 144.0),
]


@pytest.mark.parametrize(("target", "before", "after"), VALUES, ids=lambda value: str(value))
def test_a_value_is_set_where_it_belongs_and_nowhere_else(target, before, after):
    param = param_at(PIECE, target)
    assert isinstance(param, HOOKABLE) and value_now(PIECE, *target) == before
    param.check(after)
    turned = with_value(PIECE, target, after)
    assert value_now(turned, *target) == after and with_value(turned, target, before) == PIECE
    for other, _, _ in VALUES:
        if other != target:
            assert value_now(turned, *other) == value_now(PIECE, *other)


@pytest.mark.parametrize(
    "target",
    [
        *(
            ("a", key)
            for key in ("sources.3.low_key", "sources.0.low_key", "sources.1", "sources", "sources.x.channel")
        ),
        *(("a", key) for key in ("sources.1.choice", "sources.2.file", "destinations.1.port", "sources.1.low_key.2")),
        *(("calm", key) for key in ("holds", "holds.3", "holds.0", "holds.1.2", "name")),
        *(("bells", key) for key in ("id", "pan.1", "", ".", "..")),
        *(("", key) for key in ("title", "tempo.1", "meter", "meter_beats.1")),
        ("gone", "muted"),
    ],
    ids=str,
)
def test_an_address_that_leads_nowhere_says_so_and_changes_nothing(target):
    assert param_at(PIECE, target) is None and with_value(PIECE, target, 5) == PIECE
    with pytest.raises(KeyError):
        value_now(PIECE, *target)


@settings(max_examples=150, deadline=None)
@given(st.data(), st.sampled_from(sorted(ALL_KINDS)))
def test_every_whole_parameter_of_every_stage_has_an_address(data, kind):
    document = project(working(kind, data.draw(ALL_KINDS[kind])))
    name = next(stage.id for _, stage in document.stages() if stage.kind == kind)
    for key, param in params_of(document, name).items():
        value = data.draw(value_of(param))
        turned = with_value(document, (name, key), value)
        assert param_at(document, (name, key)) == param and value_now(turned, name, key) == value
        assert {
            one for one in params_of(document, name) if value_now(turned, name, one) != value_now(document, name, one)
        } <= {key}


@settings(max_examples=120, deadline=None)
@given(st.data(), st.sampled_from(sorted(ALL_KINDS)))
def test_every_part_of_every_stage_has_an_address(data, kind):
    document = project(working(kind, data.draw(ALL_KINDS[kind])))
    stage = next(stage for _, stage in document.stages() if stage.kind == kind)
    names = list(part_names(document, stage.id))
    assert len(names) == len(set(names))
    values = with_defaults(WORKS[kind].params, stage.params)
    for name in data.draw(st.lists(st.sampled_from(names), max_size=4, unique=True)) if names else ():
        param = param_at(document, (stage.id, name))
        now = value_now(document, stage.id, name)
        param.check(now)
        head = name.partition(".")[0]
        same = with_value(document, (stage.id, name), now).find_stage(stage.id)[1]
        assert with_defaults(WORKS[kind].params, same.params).keys() == values.keys()
        assert value_now(with_value(document, (stage.id, name), now), stage.id, name) == now
        if isinstance(param, HOOKABLE):
            value = data.draw(value_of(param))
            turned = with_value(document, (stage.id, name), value)
            assert value_now(turned, stage.id, name) == value
            after = with_defaults(WORKS[kind].params, turned.find_stage(stage.id)[1].params)
            assert {key for key in values if values[key] != after[key]} <= {head}
            assert param.label.count(",") >= 1 or param.label.startswith(("value ", "point "))


def test_what_a_step_of_a_lane_plays_and_a_note_of_a_key_map_are_parts_that_stay_in_their_places():
    one = project(
        strand(
            stage("keymap", "k", threads={"60": [64, 67]}),
            stage("arpeggiator", "p", patterns=[[{"play": "next"}, {"play": 2}]]),
        )
    )
    assert list(part_names(one, "k")) == ["threads.60.1", "threads.60.2"]
    for note in (67, 60, 72):  # its neighbour, the key itself, past its neighbour
        turned = parse_project(format_project(with_value(one, ("k", "threads.60.1"), note)))
        assert turned.find_stage("k")[1].params["threads"] == {"60": [note, 67]}
    for word, played in (("5", 5), ("rest", "rest"), ("all", "all")):
        turned = parse_project(format_project(with_value(one, ("p", "patterns.1.1.play"), word)))
        assert turned.find_stage("p")[1].params["patterns"] == [[{"play": played}, {"play": 2}]]


def test_files_presets_and_the_short_cut_of_a_knob_take_parts_by_their_addresses():
    steps = WORKS["steps"].params
    given = {"patterns.1.2.note": 72, "rate": "1/8", "patterns": [[{"note": 60}, {"note": 62}]]}
    whole = {"patterns": [[{"note": 60}, {"note": 72}]], "rate": "1/8"}
    assert check_params(steps, given, "x") == whole
    now = {"patterns": [[{"note": 50}, {"note": 52}]]}
    assert check_params(steps, {"patterns.1.1.note": "C4"}, "x", now)["patterns"] == [[{"note": 60}, {"note": 52}]]
    for bad, words in (("patterns.9.1.note", "has no part"), ("pattern_.1", "no parameter"), ("rate.1", "has no part")):
        with pytest.raises(ParameterError, match=words):
            check_params(steps, {bad: 1}, "x")
    with pytest.raises(ParameterError, match="cannot be 400"):
        check_params(steps, {"patterns.1.1.note": 400}, "x")
    out = Recording()
    engine = Engine(out)
    engine.apply(project(working("steps", {"patterns": now["patterns"], "rate": "1/4", "in_scale": False})), {}, 0.0)
    engine.set_params("s", {"patterns.1.2.note": 72})
    engine.play(0.0, 0.0)
    engine.run(0.6)
    assert pitches(out.out) == [50, 72]
