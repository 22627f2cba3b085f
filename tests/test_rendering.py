"""Renders: what sounds leaves, on its bars, until the last thing has ended."""

from __future__ import annotations

import subprocess
import sys

import mido
import numpy as np
import pytest
import soundfile

from arpegon import rendering
from arpegon.core.document import edits
from arpegon.core.document.model import (
    ClickSource,
    Held,
    Instrument,
    InstrumentDestination,
    PortDestination,
    Section,
)
from arpegon.core.errors import ArpegonError
from arpegon.core.events import control, note_off, note_on
from arpegon.core.notes.course import Course
from arpegon.engine import offline
from arpegon.files.midi import Track, format_song, read_midi, write_midi
from arpegon.files.project import save_project
from arpegon.files.song import Wish
from arpegon.files.take_file import course_of_clip
from arpegon.rendering import render_project
from arpegon.sounding import RATE, SoundAlong, all_known, render_audio
from building import generator, project, stage, strand

KEYS = [note_on(0.0, 0, 60, 90), note_off(1.0, 0, 60)]


@pytest.fixture
def rendered(tmp_path):
    """Renders a project, with what is played from a file at 120; what was written."""

    def render(one, keys=KEYS, **wish):
        save_project(one, tmp_path / "p.arpegon")
        if keys is not None:
            write_midi(tmp_path / "keys.mid", [Track("keys", keys)], 120.0)
            wish.setdefault("midi_in", tmp_path / "keys.mid")
        said = list(render_project(Wish(project=tmp_path / "p.arpegon", midi_out=tmp_path / "out.mid", **wish)))
        render.said = [line.text for line in said]
        return mido.MidiFile(tmp_path / "out.mid", charset="utf-8")

    return render


def notes_in(file):
    """By track name, beats and notes of its note ons, and whether every one ends."""
    found = {}
    for track in file.tracks[1:]:
        beat, rows, down = 0.0, [], 0
        for message in track:
            beat += message.time / 960
            if message.type == "note_on":
                rows.append((round(beat, 3), message.note))
                down += 1
            down -= message.type == "note_off"
        assert down == 0, f"notes hang in {track.name}"
        found[track.name] = rows
    return found


BELLS = InstrumentDestination(instrument="bells", channel=2)
PORT = PortDestination(port="Synth", channel=4)


def test_what_is_muted_soloed_or_switched_off_does_not_leave(rendered):
    one = project(
        strand(strand_id="a", destinations=(BELLS, PORT)),
        strand(strand_id="b", muted=True),
        strand(strand_id="c", destinations=(BELLS, PortDestination(port="Off", muted=True))),
    )
    found = notes_in(rendered(one))
    assert found == {
        "A · Glass bells": [(0.0, 60)],
        "A · Synth": [(0.0, 60)],
        "C": [(0.0, 60)],
    }
    everything = notes_in(rendered(one, everything=True))
    assert everything == {name: [(0.0, 60)] for name in "ABC"}
    solo = project(*one.strands[:2], strand(strand_id="c", solo=True))
    assert list(notes_in(rendered(solo))) == ["C"]


def test_channels_ports_and_instruments_are_those_of_the_destinations(rendered):
    one = project(strand(destinations=(BELLS, PORT)))
    file = rendered(one)
    channels = {track.name: {m.channel for m in track if not m.is_meta} for track in file.tracks[1:]}
    assert channels == {"A · Glass bells": {2}, "A · Synth": {4}}
    metas = {m.type: getattr(m, "name", "") for track in file.tracks for m in track if m.is_meta}
    assert metas["device_name"] == "Synth" and metas["instrument_name"] == "Glass bells"


def test_by_port_and_by_instrument(rendered):
    one = project(
        strand(strand_id="a", destinations=(PORT,)),
        strand(stage("transpose", "t", semitones=12), strand_id="b", destinations=(PORT, BELLS)),
        strand(strand_id="c", destinations=(PortDestination(port="Synth", channel=5),)),
    )
    assert notes_in(rendered(one, by="port")) == {
        "Synth": [(0.0, 60), (0.0, 72), (0.0, 60)],
        "Glass bells": [(0.0, 72)],
    }
    assert notes_in(rendered(one, by="instrument")) == {
        "Synth, channel 5": [(0.0, 60), (0.0, 72)],
        "Synth, channel 6": [(0.0, 60)],
        "Glass bells": [(0.0, 72)],
    }
    assert rendered(one, single=True).type == 0


def test_a_section_that_mutes_holds_in_the_file_too_and_stands_there_as_a_marker(rendered):
    quiet = (Held(target="a", param="muted", value=True),)
    one = project(
        strand(sources=(generator("steps", "s", rate="1/4", patterns=[[{"note": 60}]], in_scale=False),)),
        sections=(Section(id="x", name="Fog", bars=1), Section(id="y", name="Tide", bars=1, holds=quiet)),
    )
    file = rendered(one, keys=None)
    assert notes_in(file) == {"A": [(beat, 60) for beat in (0.0, 1.0, 2.0, 3.0)]}
    assert [m.text for m in file.tracks[0] if m.type == "marker"] == ["Fog", "Tide"]
    assert [m.key for m in file.tracks[0] if m.type == "key_signature"] == ["C"]


def test_a_strand_that_is_early_lies_where_it_is_meant(rendered):
    one = project(strand(offset_ms=-100.0), strand(strand_id="b", destinations=(PORT,)))
    found = notes_in(rendered(one, keys=[note_on(1.0, 0, 60, 90), note_off(1.5, 0, 60)]))
    assert found == {"A": [(1.8, 60)], "B": [(2.0, 60)]}


TAILS = [
    (stage("grid", "g", rate="1 bar", catch=0), 2.0, [4.0]),
    (stage("echo", "e", repeats=3, rate="1/4"), 1.6, [0.2, 1.2, 2.2, 3.2]),
    (stage("length", "l", unit="ms", ms=3000), 3.0, [0.2]),
]


@pytest.mark.parametrize(("one", "least", "beats"), TAILS)
def test_it_ends_when_the_last_thing_has_ended(rendered, one, least, beats):
    file = rendered(project(strand(one)), keys=[note_on(0.1, 0, 60, 90), note_off(0.2, 0, 60)])
    (rows,) = notes_in(file).values()
    assert [beat for beat, _ in rows] == beats and file.length >= least


def test_values_on_their_way_arrive(rendered):
    keys = [control(0.0, 0, 1, 0), control(0.1, 0, 1, 127)]
    file = rendered(project(strand(stage("smooth", "s", up_ms=1000))), keys=keys)
    values = [m.value for track in file.tracks for m in track if m.type == "control_change"]
    assert values[-1] == 127 and len(values) > 10


@pytest.mark.parametrize("stages", [(), (stage("transpose", "t", semitones=1),), (stage("humanize", "h"),)])
def test_a_key_that_is_never_let_go_gets_its_end(rendered, stages):
    (rows,) = notes_in(
        rendered(project(strand(*stages)), keys=[note_on(0.5, 0, 60, 90), note_off(9.0, 0, 61)])
    ).values()
    assert len(rows) == 1


def test_what_would_go_on_for_ever_ends_with_the_rest(rendered):
    latched = project(strand(stage("arpeggiator", "p", latch=True, rate="1/8")))
    file = rendered(latched)
    (rows,) = notes_in(file).values()
    assert 2 <= len(rows) <= 6 and file.length < 3.0
    wave = project(strand(stage("lfo", "l", starts="free", to_number=20), stage("echo", "e", rate="1/4", repeats=2)))
    file = rendered(wave)
    values = sum(m.type == "control_change" for track in file.tracks for m in track)
    assert 0 < values < 200 and file.length < 4.0


def test_a_project_of_generators_asks_how_long(rendered):
    one = project(strand(sources=(generator("steps", "s"),)))
    with pytest.raises(ArpegonError, match="--bars or --seconds"):
        rendered(one, keys=None)
    assert notes_in(rendered(one, keys=None, bars=1))


SLOWER = (
    Section(id="x", name="A", bars=1, holds=(Held(param="tempo", value=120.0),)),
    Section(id="y", name="B", bars=3, holds=(Held(param="tempo", value=60.0),)),
)
QUARTERS = [event for beat in range(8) for event in (note_on(beat / 2, 0, 60, 90), note_off(beat / 2 + 0.2, 0, 60))]


def test_midi_in_lies_on_the_beats_of_the_piece_or_keeps_its_own_seconds(rendered):
    one = project(strand(), sections=SLOWER)
    assert [beat for beat, _ in notes_in(rendered(one, keys=QUARTERS))["A"]] == [float(beat) for beat in range(8)]
    kept = [beat for beat, _ in notes_in(rendered(one, keys=QUARTERS, keep_tempo=True))["A"]]
    assert kept == [0.0, 1.0, 2.0, 3.0, 4.0, 4.5, 5.0, 5.5]


def test_midi_in_may_lead_tempo_and_meter(rendered, tmp_path):
    course = Course(tempi=((0.0, 90.0), (3.0, 180.0)), meters=((0.0, (3, 4), 1), (6.0, (4, 4), 3)))
    keys = [one for beat in range(10) for one in (note_on(float(beat), 0, 60, 90), note_off(beat + 0.5, 0, 60))]
    (tmp_path / "own.mid").write_bytes(format_song([Track("k", keys)], course))
    file = rendered(project(strand()), keys=None, midi_in=tmp_path / "own.mid", take_tempo=True)
    assert [beat for beat, _ in notes_in(file)["A"]] == [float(beat) for beat in range(10)]
    head = file.tracks[0]
    assert [round(mido.tempo2bpm(m.tempo)) for m in head if m.type == "set_tempo"] == [90, 180]
    assert [(m.numerator, m.denominator) for m in head if m.type == "time_signature"] == [(3, 4), (4, 4)]
    assert read_midi(tmp_path / "out.mid").meters == ((0.0, (3, 4)), (6.0, (4, 4)))


def test_every_meter_of_midi_in_holds_for_metronomes_and_what_counts_bars(rendered, tmp_path):
    """4/4 until the first meter is said, after the standard; a metronome strikes each bar of the file."""
    course = Course(tempi=((0.0, 120.0), (7.0, 60.0)), meters=((0.0, (4, 4), 1), (4.0, (3, 4), 2), (10.0, (5, 8), 4)))
    keys = [note_on(0.0, 0, 60, 90), note_off(14.9, 0, 60)]
    file = format_song([Track("k", keys)], course)
    (tmp_path / "own.mid").write_bytes(file)
    clicks = project(strand(sources=(ClickSource(),)))
    notes = notes_in(rendered(clicks, keys=None, midi_in=tmp_path / "own.mid", take_tempo=True))["A"]
    bars = [beat for beat, note in notes if note == 76]
    assert bars == [0.0, 4.0, 7.0, 10.0, 12.5]
    assert read_midi(tmp_path / "out.mid").meters == read_midi(tmp_path / "own.mid").meters
    with_sections = edits.set_project(clicks, sections=SLOWER)
    assert notes_in(rendered(with_sections, keys=None, midi_in=tmp_path / "own.mid", take_tempo=True))["A"]


def test_a_meter_that_comes_late_is_four_four_before(rendered, tmp_path):
    late = mido.MidiFile(ticks_per_beat=480)
    late.tracks.append(mido.MidiTrack([mido.MetaMessage("time_signature", numerator=3, denominator=4, time=8 * 480)]))
    keys = [mido.Message("note_on", note=60, time=0), mido.Message("note_off", note=60, time=14 * 480)]
    late.tracks.append(mido.MidiTrack(keys))
    late.save(tmp_path / "late.mid")
    rendered(project(strand(sources=(ClickSource(),))), keys=None, midi_in=tmp_path / "late.mid", take_tempo=True)
    assert read_midi(tmp_path / "out.mid").meters == ((0.0, (4, 4)), (8.0, (3, 4)))
    assert course_of_clip(read_midi(tmp_path / "late.mid")).meters == ((0.0, (4, 4), 1), (8.0, (3, 4), 3))


def test_stems_and_the_mix(rendered, tmp_path):
    other = Instrument(id="wires", sound="bowed-wires")
    one = project(strand(), strand(strand_id="b", destinations=(InstrumentDestination(instrument="wires"),)))
    one = edits.set_project(one, instruments=(*one.instruments, other))
    rendered(one, wav_out=tmp_path / "mix.flac", stems=True, normalize=True)
    mix, bells, wires = (soundfile.read(tmp_path / f"mix{name}.flac")[0] for name in ("", "-bells", "-wires"))
    assert 0.97 < abs(mix).max() <= 0.99
    assert bells.any() and wires.any() and np.allclose(bells + wires, mix, atol=1e-5), "stems add up to the mix"


@pytest.mark.parametrize(
    ("wish", "words"),
    [
        ({"keep_tempo": True, "take_tempo": True}, "not both"),
        ({"stems": True}, "--wav"),
        ({"bars": 1.0, "seconds": 1.0}, "not both"),
    ],
)
def test_what_cannot_be_wished_together_is_said_and_nothing_is_written(rendered, tmp_path, wish, words):
    with pytest.raises(ArpegonError, match=words):
        rendered(project(strand()), **wish)
    assert not (tmp_path / "out.mid").exists()


def test_tempo_of_nothing_is_said(rendered):
    with pytest.raises(ArpegonError, match="--midi-in"):
        rendered(project(strand()), keys=None, keep_tempo=True)


def test_overlaps_of_strands_on_one_port_are_one_note_there(rendered):
    one = project(strand(strand_id="a", destinations=(PORT,)), strand(strand_id="b", destinations=(PORT,)))
    assert notes_in(rendered(one, by="port")) == {"Synth": [(0.0, 60)]}
    assert sorted(notes_in(rendered(one))) == ["A", "B"]


FULL = """
import resource, signal, sys
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
resource.setrlimit(resource.RLIMIT_FSIZE, (4096, 4096))
sys.dont_write_bytecode = True
from arpegon.cli import main
main(sys.argv[1:])
"""
"""A process in which no file may be longer than a few pages: as where a disk is full."""


@pytest.mark.parametrize("kind", ["wav", "flac", "mid"])
def test_on_a_full_disk_nothing_half_written_stays_and_what_was_there_stays_whole(tmp_path, kind):
    walk = strand(sources=(generator("steps", "s", rate="1/32"),))
    save_project(project(walk), tmp_path / "p.arpegon")
    out = tmp_path / f"out.{kind}"
    out.write_bytes(b"what was there before")
    option = "--midi" if kind == "mid" else "--wav"
    command = [sys.executable, "-c", FULL, "render", str(tmp_path / "p.arpegon"), "--bars", "40", option, str(out)]
    found = subprocess.run(command, capture_output=True, text=True, timeout=120)
    assert found.returncode == 2, found.stderr
    assert found.stderr.count("\n") == 1 and f"out.{kind}" in found.stderr and "Traceback" not in found.stderr
    assert out.read_bytes() == b"what was there before"
    assert sorted(path.name for path in tmp_path.iterdir()) == [f"out.{kind}", "p.arpegon"]


def sounding_project():
    """Strands on two instruments, one early and one held back, with controllers and what rings on."""
    other = Instrument(id="wires", sound="bowed-wires")
    steps = generator("steps", "s", rate="1/16")
    one = project(
        strand(
            stage("lfo", "l", to_number=1), stage("echo", "e", rate="1/8", repeats=3), sources=(steps,), offset_ms=-40.0
        ),
        strand(
            stage("arpeggiator", "a", rate="1/8"),
            strand_id="b",
            destinations=(InstrumentDestination(instrument="wires", delay_ms=70.0),),
        ),
        tempo=97.0,
    )
    return edits.set_project(one, instruments=(*one.instruments, other))


def test_the_sound_that_is_made_along_is_that_of_the_whole_run(tmp_path):
    one, keys = sounding_project(), [note_on(0.31, 0, 60, 90), note_on(0.4, 0, 64, 70), note_off(5.2, 0, 60)]
    save_project(one, tmp_path / "p.arpegon")
    write_midi(tmp_path / "keys.mid", [Track("keys", keys)], 97.0)
    wish = Wish(project=tmp_path / "p.arpegon", midi_in=tmp_path / "keys.mid", wav_out=tmp_path / "along.wav")
    runs, written = [], []

    class Along(SoundAlong):
        def written(self):
            written.append(super().written())
            return written[-1]

    with pytest.MonkeyPatch.context() as patch:
        run = offline.run
        patch.setattr(offline, "run", lambda *told, **named: runs.append(run(*told, **named)) or runs[-1])
        patch.setattr(rendering, "SoundAlong", Along)
        list(render_project(wish))
    result = runs[-1]
    assert written == [True]
    assert len(result.instruments) > 100 and result.seconds > 4.0
    whole = np.concatenate(list(render_audio(one, all_known(result))), axis=1)
    soundfile.write(tmp_path / "whole.wav", whole.T, RATE, "PCM_24")
    made, before = (soundfile.read(tmp_path / f"{name}.wav", dtype="int32")[0] for name in ("along", "whole"))
    assert np.abs(before).max() > 2**26 and np.array_equal(made, before)


def test_what_latches_is_heard_to_the_end_of_the_run_and_no_longer(rendered, tmp_path):
    held = project(strand(stage("arpeggiator", "a", rate="1/8", latch=True)))
    rendered(held, wav_out=tmp_path / "latched.wav")
    samples, rate = soundfile.read(tmp_path / "latched.wav")
    assert abs(samples).max() > 0.01 and len(samples) / rate < 6.0


def test_where_what_makes_the_sound_is_killed_that_is_said_and_nothing_stays(rendered, tmp_path):
    class Killed(SoundAlong):
        def advance(self, until):
            super().advance(until)
            self._process.kill()

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(rendering, "SoundAlong", Killed)
        with pytest.raises(ArpegonError, match=r"sound.wav.*ended"):
            rendered(sounding_project(), wav_out=tmp_path / "sound.wav", seconds=5.0)
    assert not (tmp_path / "sound.wav").exists()


def test_a_render_that_ends_itself_ends_what_makes_its_sound(rendered, tmp_path):
    def fault(share):
        if share > 0.3:
            raise KeyboardInterrupt

    save_project(sounding_project(), tmp_path / "p.arpegon")
    wish = Wish(project=tmp_path / "p.arpegon", wav_out=tmp_path / "sound.wav", seconds=20.0)
    with pytest.raises(KeyboardInterrupt):
        list(render_project(wish, progress=fault))
    assert [path.name for path in tmp_path.iterdir()] == ["p.arpegon"]
