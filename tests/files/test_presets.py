"""Presets, the clipboard they make, and key maps as CSV."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.document import edits
from arpegon.core.document.model import Instrument, InstrumentDestination, Stage, StrandSource, SurfaceSource
from arpegon.core.errors import FileError
from arpegon.files.keymap_csv import format_keymap, load_keymap, parse_keymap, save_keymap
from arpegon.files.presets import (
    factory_presets,
    format_preset,
    of_stage,
    of_strand,
    own_folder,
    own_presets,
    parse_preset,
    remove_preset,
    save_preset,
    searched,
)
from arpegon.files.validation import validated
from arpegon.processors import WORKS
from arpegon.processors.stages.keymap import all_threads, only
from building import project, stage, strand
from strategies import KINDS

PADS = stage("chord", way="pads", pads=[{"trigger": 36, "root": "Eb", "quality": "m7"}])


def test_every_kind_of_stage_has_a_factory_preset_and_strands_have_some():
    kinds = {preset.kind for preset in factory_presets()}
    assert kinds == {*WORKS, "strand"}
    assert all(preset.about for preset in factory_presets())


@given(st.sampled_from(sorted(KINDS)).flatmap(lambda kind: st.tuples(st.just(kind), KINDS[kind])))
def test_any_stage_comes_back_from_its_preset(pair):
    kind, values = pair
    checked = validated(project(strand(stage(kind, **values)))).strands[0].stages[0]
    assert parse_preset(format_preset(of_stage(checked, "Mine"))).stage == checked


def test_a_strand_takes_its_zone_its_pads_and_its_instruments_along():
    here = project(strand(PADS, sources=(SurfaceSource(low_key=36, high_key=51),), ink=3))
    preset = parse_preset(format_preset(of_strand(here, here.strands[0], "Pads")))
    assert preset.strand == here.strands[0] and preset.instruments == here.instruments
    there, made = edits.insert_strand(here, preset.strand, preset.instruments)
    assert len({one.id for one in there.strands}) == 2 and len({one.id for one in there.instruments}) == 2
    assert there.strand(made).name == "A 2" and validated(there)
    end = there.strand(made).destinations[0]
    assert there.instrument(end.instrument).sound == "glass-bells" and end.instrument != "bells"


def test_a_strand_pasted_elsewhere_forgets_strands_that_are_not_there():
    here = project(strand(), strand(strand_id="b", sources=(StrandSource(strand="a"), SurfaceSource())))
    bundle = of_strand(here, here.strands[1], "b")
    there, made = edits.insert_strand(project(), bundle.strand, bundle.instruments)
    assert there.strand(made).sources == (SurfaceSource(),)
    again, copy = edits.insert_strand(here, bundle.strand, bundle.instruments, 1)
    assert again.strands[1].id == copy and again.strand(copy).sources[0] == StrandSource(strand="a")


def test_stages_are_inserted_under_fresh_ids():
    now, made = edits.insert_stage(
        project(strand(stage("scale", "scale-2"))), "a", Stage(id="scale-2", kind="scale"), 0
    )
    assert [one.id for one in now.strands[0].stages] == [made, "scale-2"] and made == "scale"


def test_own_presets_are_kept_found_replaced_and_taken_away():
    save_preset(of_stage(PADS, "Foghorn", "low"))
    save_preset(of_stage(PADS, "Foghorn", "lower"))
    (mine,), wrong = own_presets()
    assert (mine.name, mine.about, mine.stage.params, wrong) == ("Foghorn", "lower", PADS.params, [])
    assert searched([mine, *factory_presets()], "foghorn chord") == [mine]
    assert searched([mine], "foghorn", kind="scale") == []
    remove_preset(mine)
    assert own_presets() == ([], [])


def test_presets_that_cannot_be_read_are_said_and_left(tmp_path):
    own_folder().mkdir(parents=True)
    (own_folder() / "bad.arpegon-preset").write_text("{")
    presets, wrong = own_presets()
    assert presets == [] and "bad.arpegon-preset" in wrong[0]
    assert (own_folder() / "bad.arpegon-preset").read_text() == "{"
    with pytest.raises(FileError, match="needs a name"):
        save_preset(of_stage(PADS, "  "))


GOOD = json.loads(format_preset(of_stage(PADS, "Good")))


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"version": 4}, "version 4"),
        ({"format": "something"}, "is not a preset"),
        ({"colour": "red"}, "unknown key “colour”"),
        ({"strand": {}}, "a stage or a strand"),
        ({"name": None}, "has a name"),
        ({"stage": {"id": "x", "kind": "wobble"}}, "wobble"),
        ({"stage": {"id": "x", "kind": "scale", "params": {"root": "H"}}}, "Root"),
        ({"stage": "text"}, "at strands"),
    ],
)
def test_bad_presets_get_a_sentence(change, words):
    with pytest.raises(FileError, match=words):
        parse_preset(json.dumps(GOOD | change).encode(), "x")


def test_the_instruments_of_a_preset_keep_their_channel():
    one = Instrument(id="bells", sound="tin-kit", channel=9)
    here = edits.set_project(project(strand()), instruments=(one,))
    text = format_preset(of_strand(here, here.strands[0], "Kit"))
    assert json.loads(text)["instruments"][0]["channel"] == 10
    assert parse_preset(text).instruments == (one,)
    assert isinstance(parse_preset(text).strand.destinations[0], InstrumentDestination)


@given(st.dictionaries(st.integers(0, 127), st.lists(st.integers(0, 127), max_size=4), max_size=8))
def test_a_key_map_comes_back_from_csv(targets):
    threads = only(targets)
    table = all_threads({"threads": threads, "octave": False})
    assert parse_keymap(format_keymap(table)) == threads


def test_csv_rows_may_be_names_numbers_comments_and_empty():
    text = "key,plays\n# the quay\n\nC4,C4 E4 G4\n61,\n62,62\n"
    assert parse_keymap(text) == {"60": [60, 64, 67], "61": []}


def test_wrong_rows_are_named_by_their_lines(tmp_path):
    text = "key,plays\nC4,H5\nC4,C4\n200,1\nD4,D4,D4\nD#4,1\nD#4,2\nX,\n"
    with pytest.raises(FileError) as caught:
        parse_keymap(text, "map.csv")
    said = str(caught.value)
    assert all(f"line {number}:" in said for number in (2, 4, 5)) and "map.csv" in said and "more)" in said
    save_keymap(all_threads({"threads": {}, "octave": False}), tmp_path / "map.csv")
    assert load_keymap(tmp_path / "map.csv") == {}
    (tmp_path / "map.csv").write_bytes(b"\xff\xfe")
    with pytest.raises(FileError, match="UTF-8"):
        load_keymap(tmp_path / "map.csv")


@pytest.mark.parametrize("end", ["\n", "\r\n", "\r"])
@pytest.mark.parametrize("comma", [",", ";", "\t"])
def test_key_maps_of_other_programs_are_read_whatever_parts_their_cells_and_lines(comma, end):
    rows = ("# from a spreadsheet", f"key{comma}plays", f"C4{comma}C4 E4", f"61{comma}", "")
    assert parse_keymap(end.join(rows)) == {"60": [60, 64], "61": []}


@pytest.mark.parametrize("cell", ["²", "--5", "9" * 5000, "x" * 200_000, "C" + "9" * 5000, "a\0b", "C²"])
def test_a_cell_that_is_no_key_is_named_shortly(cell):
    with pytest.raises(FileError, match=r"map\.csv") as caught:
        parse_keymap(f"key,plays\nC4,{cell}\n", "map.csv")
    assert str(caught.value).endswith(".") and len(str(caught.value)) < 300
