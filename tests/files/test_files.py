"""Files: what is written is read back, damage is named, nothing on disk is lost."""

from __future__ import annotations

import json
import os
import stat
from pathlib import Path

import mido
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from arpegon.core.document.model import (
    AudioSource,
    ClipSource,
    MidiSource,
    PortDestination,
    Project,
    StrandSource,
    SurfaceSource,
)
from arpegon.core.errors import FileError
from arpegon.core.events import NOTE_ON, Event, note_on
from arpegon.core.notes.course import Course
from arpegon.core.notes.takes import Take, TakePart
from arpegon.core.theory.scales import Key
from arpegon.files import atomic
from arpegon.files.assets import CLIPS, SOUNDS
from arpegon.files.atomic import write_atomic
from arpegon.files.autosave import Autosave, forget
from arpegon.files.collect import take_clips_along
from arpegon.files.midi import Track, format_midi, read_midi, write_midi
from arpegon.files.places import DEMO
from arpegon.files.project import format_project, load_project, parse_project, save_project
from building import assert_whole, notes, project, stage, strand

FULL = project(
    strand(
        stage("humanize", low=80, high=90),
        stage("scale", root="Eb", scale="dorian"),
        stage("chord", offsets=[3, 7], levels=[0.5, 1.0]),
        sources=(
            SurfaceSource(low_key=48, high_key=84, channel=0),
            MidiSource(port="Harbour keys", low_velocity=20),
            ClipSource(file="tide.mid", loop=False),
        ),
        destinations=(PortDestination(channel=15, muted=True),),
    ),
    strand(strand_id="b", sources=(StrandSource(strand="a", after="scale"),)),
    title="Ebbe & Flut ♭",
    takes=(
        Take(
            id="t",
            name="Take 1",
            beats=3.2,
            course=Course(first=0.5, tempi=((0.0, 96.0), (2.0, 48.0)), keys=((0.0, Key("D", "dorian")),), tied=True),
            parts=(TakePart(strand="a", name="A", played=tuple(notes(60)), generated=tuple(notes(60, 64))),),
        ),
    ),
)


def test_a_project_is_read_back_as_it_was():
    assert parse_project(format_project(FULL)) == FULL


def test_people_read_channels_from_one_and_keys_by_name():
    tree = json.loads(format_project(FULL))
    source = tree["strands"][0]["sources"][0]
    assert source == {"kind": "surface", "channel": 1, "low_key": "C3", "high_key": "C6"}
    assert tree["strands"][0]["destinations"][0]["channel"] == 16
    assert tree["format"] == "arpegon-project" and tree["version"] == 4


def test_what_people_write_is_read():
    text = """{"format": "arpegon-project", "version": 1, "title": "Tide",
      "tempo": 96, "key": {"root": "D", "scale": "minor"},
      "instruments": [{"id": "bells", "sound": "glass-bells"}],
      "strands": [{"id": "s", "name": "S", "sources": [{"kind": "surface", "low_key": "Eb3", "high_key": 72}],
        "stages": [{"id": "x", "kind": "scale", "params": {"root": "e♭", "scale": "major"}}],
        "destinations": [{"kind": "instrument", "instrument": "bells"}]}]}"""
    read = parse_project(text.encode())
    assert read.key.scale == "aeolian"
    assert (read.strands[0].sources[0].low_key, read.strands[0].sources[0].high_key) == (51, 72)
    assert read.strands[0].stages[0].params == {"root": "Eb", "scale": "ionian"}


def changed(**changes):
    tree = json.loads(format_project(FULL))
    tree.update(changes)
    return json.dumps(tree)


def broken_strand(**changes):
    tree = json.loads(format_project(FULL))
    tree["strands"][0].update(changes)
    return json.dumps(tree)


DAMAGE = [
    ("", "line 1"),
    ("{", "line 1"),
    (format_project(FULL).decode()[:400], "damaged at line"),
    ("[]", "not an Arpegon project"),
    ('{"format": "song"}', "not an Arpegon project"),
    (changed(version=5), "version 5"),
    (changed(version="x"), "version “x”"),
    (changed(colour="red"), "unknown key “colour”"),
    (changed(tempo=0), "tempo"),
    (changed(tempo="fast"), "tempo"),
    (changed(tempo=1e300), "tempo"),
    (changed(meter=[4, 3]), "meter"),
    (changed(key={"root": "H", "scale": "dorian"}), "H"),
    (changed(key={"root": "C", "scale": "greek"}), "greek"),
    (changed(instruments=[{"id": "x", "sound": "kazoo"}]), "kazoo"),
    (changed(instruments=[{"id": "x", "sound": "glass-bells"}] * 2), "stands twice"),
    (changed(strands=[{"name": "no id"}]), "“id” is missing"),
    (changed(strands=7), "strands"),
    (changed(hookups=[{}]), "hookups"),
    (broken_strand(stages=[{"id": "s", "kind": "wobble"}]), "wobble"),
    (broken_strand(stages=[{"id": "s", "kind": "humanize", "params": {"low": 999}}]), "low"),
    (broken_strand(stages=[{"id": "s", "kind": "humanize", "params": {"lowest": 9}}]), "lowest"),
    (broken_strand(stages=[{"id": "s", "kind": "scale"}, {"id": "s", "kind": "chord"}]), "stands twice"),
    (broken_strand(sources=[{"kind": "surface", "low_key": "H9"}]), "H9"),
    (broken_strand(sources=[{"kind": "radio"}]), "radio"),
    (broken_strand(sources=[{"kind": "surface", "channel": 17}]), "17"),
    (broken_strand(sources=[{"kind": "surface", "channel": 0}]), "channel"),
    (broken_strand(sources=[{"kind": "strand", "strand": "b"}]), "loop"),
    (broken_strand(muted="no"), "muted"),
    ("[" * 100_000, "cannot be made sense of"),
    ('{"format": "arpegon-project", "version": 1, "tempo": NaN}', "is not finite"),
    ('{"format": "arpegon-project", "version": 1, "takes": [{"id": 3}]}', "takes"),
]


@pytest.mark.parametrize(("text", "words"), DAMAGE)
def test_damage_is_named_in_one_sentence(text, words, tmp_path):
    file = tmp_path / "broken.arpegon"
    file.write_text(text)
    with pytest.raises(FileError) as caught:
        load_project(file)
    sentence = str(caught.value)
    assert words in sentence and sentence.endswith(".") and "\n" not in sentence and "broken.arpegon" in sentence
    assert file.read_text() == text


@given(st.binary(max_size=300))
def test_any_bytes_are_a_project_or_a_sentence(content):
    try:
        assert isinstance(parse_project(content), Project)
    except FileError as error:
        assert str(error)


@settings(max_examples=200)
@given(st.data())
def test_a_project_with_any_value_changed_is_read_or_refused(data):
    """Hostile files: any node of the tree replaced by anything."""
    tree = json.loads(format_project(FULL))
    node = tree
    for _ in range(data.draw(st.integers(0, 6))):
        keys = list(node) if isinstance(node, dict) else list(range(len(node)))
        if not keys:
            break
        key = data.draw(st.sampled_from(keys))
        if isinstance(node[key], (dict, list)) and node[key] and data.draw(st.booleans()):
            node = node[key]
            continue
        node[key] = data.draw(
            st.one_of(
                st.none(), st.booleans(), st.integers(), st.floats(), st.text(max_size=5), st.just([]), st.just({})
            )
        )
        break
    try:
        parse_project(json.dumps(tree).encode())
    except FileError as error:
        assert str(error).endswith(".")


def test_the_demo_is_sound():
    demo = load_project(DEMO)
    assert len(demo.strands) >= 2 and demo.title == "The Lamplighter’s Tide"
    for one in demo.strands:
        for source in one.sources:
            if isinstance(source, ClipSource):
                assert read_midi(DEMO.parent / source.file).events


def test_a_file_is_replaced_whole_or_not_at_all(tmp_path, monkeypatch):
    file = tmp_path / "tide.arpegon"
    save_project(FULL, file)
    before = file.read_bytes()

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(atomic.os, "fsync", full)
    with pytest.raises(FileError, match="disk is full"):
        save_project(project(), file)
    assert file.read_bytes() == before
    assert os.listdir(tmp_path) == ["tide.arpegon"]


def test_folders_that_cannot_be_written_to_are_said(tmp_path):
    blocked = tmp_path / "file"
    blocked.write_text("")
    with pytest.raises(FileError, match=r"not a folder|no permission"):
        write_atomic(blocked / "x.arpegon", b"")
    (tmp_path / "dir.arpegon").mkdir()
    with pytest.raises(FileError, match="folder"):
        write_atomic(tmp_path / "dir.arpegon", b"")
    with pytest.raises(FileError, match="no such file"):
        load_project(tmp_path / "none.arpegon")


def test_permissions_of_a_file_stay(tmp_path):
    file = tmp_path / "x"
    file.write_text("")
    file.chmod(0o600)
    write_atomic(file, b"new")
    assert stat.S_IMODE(file.stat().st_mode) == 0o600


def test_midi_files_are_type_1_at_960_with_a_tempo_track(tmp_path):
    file = tmp_path / "out.mid"
    write_midi(file, [Track("Harbour", notes(60, 62)), Track("Fög ♭", [])], 96.0, (3, 4), "Tide")
    midi = mido.MidiFile(file, charset="utf-8")
    assert (midi.type, midi.ticks_per_beat, len(midi.tracks)) == (1, 960, 3)
    assert [track.name for track in midi.tracks] == ["Tide", "Harbour", "Fög ♭"]
    assert midi.tracks[0][1].tempo == 625_000
    assert midi.tracks[1][2].time == round(0.4 * 96 / 60 * 960)


@given(
    st.lists(
        st.tuples(st.integers(0, 20_000), st.integers(0, 127), st.integers(1, 127)),
        max_size=30,
        unique_by=lambda row: row[:2],
    )
)
def test_midi_files_are_read_back_to_the_tick(tmp_path_factory, rows):
    tempo = 120.0
    written = sorted((note_on(tick / 1920, 0, note, velocity) for tick, note, velocity in rows), key=lambda e: e.time)
    file = tmp_path_factory.mktemp("midi") / "x.mid"
    file.write_bytes(format_midi([Track("x", written)], tempo))
    clip = read_midi(file)
    begun = [event for event in clip.events if event.kind == NOTE_ON]
    assert [round(event.time * 960) for event in begun] == [round(event.time * 1920) for event in written]
    assert [event.data1 for event in begun] == [event.data1 for event in written]
    assert clip.beats % 4 == 0
    read = [event for event in clip.seconds() if event.kind == NOTE_ON]
    assert all(abs(a.time - b.time) < 1e-6 for a, b in zip(read, written, strict=True))


def test_tempo_changes_in_a_played_file_are_followed(tmp_path):
    midi = mido.MidiFile(ticks_per_beat=480)
    track = mido.MidiTrack()
    midi.tracks.append(track)
    track.append(mido.MetaMessage("set_tempo", tempo=500_000, time=0))
    track.append(mido.Message("note_on", note=60, velocity=5, time=480))
    track.append(mido.MetaMessage("set_tempo", tempo=1_000_000, time=0))
    track.append(mido.Message("note_off", note=60, time=480))
    midi.save(tmp_path / "x.mid")
    clip = read_midi(tmp_path / "x.mid")
    assert [event.time for event in clip.seconds()] == [0.5, 1.5]
    assert [event.time for event in clip.seconds(60.0)] == [1.0, 2.0]


def test_system_exclusive_survives_a_file(tmp_path):
    event = Event(0.5, 0xF0, payload=bytes([0xF0, 0x7D, 1, 2, 0xF7]))
    write_midi(tmp_path / "x.mid", [Track("x", [event])], 120.0)
    assert read_midi(tmp_path / "x.mid").events[0].payload == event.payload


@pytest.mark.parametrize(
    "content", [b"", b"hello", b"MThd", b"MThd\0\0\0\6\0\1\0\1\0\0", b"MThd\0\0\0\6\0\1\0\1\3\xc0MTrk\0\0\0\x20\0"]
)
def test_what_is_no_midi_file_is_said(tmp_path, content):
    file = tmp_path / "x.mid"
    file.write_bytes(content)
    with pytest.raises(FileError, match=r"x\.mid.*\.$"):
        read_midi(file)


def test_autosave_is_found_after_a_crash_and_not_while_its_window_lives(tmp_path):
    mine, other = Autosave(tmp_path), Autosave(tmp_path)
    mine.write(FULL, Path("/music/tide.arpegon"))
    assert mine.written and other.leftovers() == []
    mine.lock.release()  # as the system does when the process ends
    (found,) = other.leftovers()
    assert found.project == FULL and found.origin == Path("/music/tide.arpegon")
    forget(found)
    assert not mine.written and other.leftovers() == []


def test_what_cannot_be_read_of_a_crash_stays_where_it_is(tmp_path):
    mine = Autosave(tmp_path)
    broken = tmp_path / "autosave" / "999999999-3-1.autosave"
    broken.parent.mkdir()
    broken.write_text("broken")
    (found,) = mine.leftovers()
    assert "cannot be made sense of" in found.unread and found.project is None and not found.played
    forget(found, but_unread=True)
    assert broken.exists()
    forget(found)
    assert not broken.exists() and mine.leftovers() == []


def test_what_an_earlier_version_kept_is_found(tmp_path):
    mine = Autosave(tmp_path)
    mine.write(FULL, None)
    mine.file.rename(mine.file.with_name("999999998-3.autosave"))
    (found,) = mine.leftovers()
    assert found.project == FULL


def test_clips_go_along_to_another_folder(tmp_path):
    old, new = tmp_path / "old", tmp_path / "new"
    old.mkdir()
    write_midi(old / "tide.mid", [Track("x", notes(60))], 120.0)
    assert take_clips_along(FULL, old, new) == []
    assert_whole(read_midi(new / "tide.mid").events)
    (sentence,) = take_clips_along(FULL, tmp_path / "nowhere", tmp_path / "third")
    assert "was not copied" in sentence


def test_only_music_goes_along(tmp_path):
    old, new = tmp_path / "old", tmp_path / "new"
    (old / ".config").mkdir(parents=True)
    (old / "notes.txt").write_text("what the lamplighter saw")
    write_midi(old / ".config" / "tide.mid", [Track("x", notes(60))], 120.0)
    sources = tuple(ClipSource(file=file) for file in ("notes.txt", ".config/tide.mid", "/etc/hostname", "../x.mid"))
    listens = strand(sources=(AudioSource(id="h", listen="hits", file="notes.txt"),), strand_id="b")
    said = take_clips_along(project(strand(sources=sources), listens), old, new)
    assert len(said) == 3 and "hidden" in said[1] and "not a MIDI file" in said[0] and "as audio" in said[2]
    assert not new.exists()


@pytest.mark.parametrize(
    ("place", "value"),
    [
        (("course", "tempi"), [[0.0, 0.0]]),
        (("course", "tempi"), [[0.0, -3]]),
        (("course", "tempi"), []),
        (("course", "tempi"), [[4.0, 90.0], [0.0, 80.0]]),
        (("course", "meters"), [[0.0, [4, 0], 1]]),
        (("course", "meters"), [[0.0, [4, 4], 1e300]]),
        (("course", "keys"), [[0.0, {"root": "H", "scale": "ionian"}]]),
        (("course", "first"), -1.0),
        (("beats",), 1e300),
        (("beats",), 10**400),
        (("parts", 0, "generated", 0), [1e308, 144, 60, 90]),
        (("parts", 0, "generated", 0), [-1.0, 144, 60, 90]),
        (("parts", 0, "generated", 0), [0.0, 999999, 60, 90]),
        (("parts", 0, "played", 0), [0.0, 144, -60, 90]),
        (("parts", 0, "played", 0), [0.0, 144, 60, 128]),
        (("parts", 0, "played", 0), [0.0, 240, 0, 0, ""]),
        (("parts", 0, "doubtful"), [[1e300, 60]]),
        (("parts", 0, "doubtful"), [[0.0, 200]]),
    ],
)
def test_takes_of_a_project_are_checked_as_all_else_in_it(place, value):
    event = note_on(0.5, 0, 60, 90)
    part = TakePart(strand="a", name="A", played=(event,), generated=(event,), doubtful=((0.5, 60),))
    course = Course(first=0.25, tempi=((0.0, 90.0), (2.0, 80.0)))
    whole = Project(takes=(Take(id="t", name="Tide", beats=1.5, course=course, parts=(part,)),))
    tree = json.loads(format_project(whole))
    assert parse_project(json.dumps(tree).encode()) == whole
    *way, last = ("takes", 0, *place)
    holder = tree
    for step in way:
        holder = holder[step]
    holder[last] = value
    with pytest.raises(FileError, match=r"^“tide” ?.*\.$") as caught:
        parse_project(json.dumps(tree).encode(), "tide")
    assert len(str(caught.value)) < 300


@pytest.mark.parametrize("key", ["tempo", "count_in"])
def test_numbers_beyond_all_bounds_are_said(key):
    tree = json.loads(format_project(Project())) | {key: 10**400}
    with pytest.raises(FileError, match=r"\.$"):
        parse_project(json.dumps(tree).encode(), "tide")


def test_an_autosave_with_a_bad_byte_is_left_where_it_is(tmp_path):
    mine = Autosave(tmp_path)
    broken = tmp_path / "autosave" / "999999999-3-1.autosave"
    broken.parent.mkdir()
    broken.write_bytes(b'{"origin": "\xff", "saved_at": 1, "project": {}}')
    (found,) = mine.leftovers()
    assert found.unread.endswith(".") and broken.exists()


@pytest.mark.parametrize(
    ("place", "value", "words"),
    [
        (("on_stop",), "x", "at on_stop: 'x' is none of what may stand here: “start”, “stay”."),
        (("strands", 0, "sources", 0, "kind"), "x", "“surface”, “midi”, “clip”"),
        (("strands", 0, "name"), 5, "at strands[0].name: text belongs here, not a whole number."),
        (("strands",), {}, "at strands: a list belongs here, not an object in braces."),
        (("meter",), [4], "at meter: a list of 2 belongs here, and there are 1."),
        (("tempo",), None, "at tempo: a number belongs here, not null."),
    ],
)
def test_a_value_of_another_kind_is_said_in_our_words(place, value, words):
    tree = json.loads(format_project(project(strand(), on_stop="start", tempo=90.0, meter=(3, 4))))
    holder = tree
    for key in place[:-1]:
        holder = holder[key]
    holder[place[-1]] = value
    with pytest.raises(FileError) as caught:
        parse_project(json.dumps(tree).encode())
    assert words in str(caught.value)


@pytest.mark.parametrize("file", ["a\0b.mid", "x" * 5000, "/dev/zero", ".", "a/b/c", "\udcff.mid", "pipe"])
def test_what_no_project_should_name_is_missing_and_holds_nothing_up(tmp_path, file):
    os.mkfifo(tmp_path / "pipe")
    listens = strand(sources=(AudioSource(id="h", file=file),), strand_id="b")
    one = project(strand(sources=(ClipSource(file=file),)), listens)
    for kind in (CLIPS, SOUNDS):
        found, missing = kind.load(one, tmp_path)
        assert found == {} and list(missing) == [file] and missing[file].endswith(".") and "\0" not in missing[file]
