"""The commands, as a shell runs them."""

from __future__ import annotations

import subprocess
import sys
from collections import Counter

import mido
import pytest
import soundfile
from click.testing import CliRunner

from arpegon.cli import main
from arpegon.core.document.model import ClipSource, MidiSource
from arpegon.core.theory.scales import pitch_classes
from arpegon.files.midi import Track, write_midi
from arpegon.files.places import DEMO
from arpegon.files.project import save_project
from arpegon.processors import PROCESSORS
from building import notes, project, stage, strand

CHAIN = (
    stage("humanize", low=85, high=115),
    stage("chord", offsets=[3, 7, -12]),
    stage("scale", root="D", scale="dorian"),
)


def arpegon(*arguments):
    return subprocess.run(
        [sys.executable, "-m", "arpegon.cli", *map(str, arguments)], capture_output=True, text=True, timeout=100
    )


@pytest.fixture
def story(tmp_path):
    save_project(project(strand(*CHAIN), tempo=100.0), tmp_path / "story.arpegon")
    write_midi(tmp_path / "in.mid", [Track("keys", notes(*range(48, 80), velocity=64))], 100.0)
    write_midi(tmp_path / "far.mid", [Track("keys", notes(60, 62, gap=5 * 3600.0))], 100.0)
    return tmp_path


def test_render_does_what_the_stages_say(story):
    done = arpegon("render", story / "story.arpegon", "--midi-in", story / "in.mid", "--midi", story / "out.mid")
    assert done.returncode == 0, done.stderr
    midi = mido.MidiFile(story / "out.mid")
    assert (midi.type, midi.ticks_per_beat) == (1, 960)
    assert [track.name for track in midi.tracks][1:] == ["A"]
    count = Counter(message.type for message in midi.tracks[1])
    assert count["note_on"] == count["note_off"] > 32 * 2
    struck = [message for message in midi.tracks[1] if message.type == "note_on"]
    assert {message.note % 12 for message in struck} <= pitch_classes("D", "dorian")
    velocities = {message.velocity for message in struck}
    assert min(velocities) >= 85 and max(velocities) <= 115 and len(velocities) > 8


def test_what_could_not_be_read_is_said_once_and_the_rest_is_rendered(story):
    content = (story / "in.mid").read_bytes()
    (story / "cut.mid").write_bytes(content[: len(content) // 2])
    save_project(project(strand(sources=(ClipSource(file="cut.mid"),))), story / "cut.arpegon")
    done = arpegon("render", story / "cut.arpegon", "--midi-in", story / "cut.mid", "--midi", story / "x.mid")
    assert done.returncode == 0 and done.stderr.count("Not all of “cut.mid” could be read") == 1
    assert [message.type for message in mido.MidiFile(story / "x.mid").tracks[1]].count("note_on") > 10
    assert "Not all of “cut.mid”" in arpegon("check", story / "cut.arpegon").stdout


def test_the_same_seed_gives_the_same_bytes(story):
    outs = []
    for name, seed in (("a", 5), ("b", 5), ("c", 6)):
        done = arpegon(
            "render", story / "story.arpegon", "--midi-in", story / "in.mid", "--midi", story / name, "--seed", seed
        )
        assert done.returncode == 0
        outs.append((story / name).read_bytes())
    assert outs[0] == outs[1] != outs[2]


def test_the_demo_renders_to_sound(tmp_path):
    done = arpegon("render", DEMO, "--bars", 2, "--wav", tmp_path / "demo.wav", "--midi", tmp_path / "demo.mid")
    assert done.returncode == 0, done.stderr
    samples, rate = soundfile.read(tmp_path / "demo.wav")
    assert rate == 48_000 and samples.shape[1] == 2
    assert 0.02 < abs(samples).max() <= 1.0
    names = [track.name for track in mido.MidiFile(tmp_path / "demo.mid", charset="utf-8").tracks]
    assert names[0] == "The Lamplighter’s Tide" and len(names) == 9  # one strand sounds in two places


def test_check_says_what_is_silent(story):
    assert arpegon("check", DEMO).returncode == 0
    save_project(project(strand(sources=(ClipSource(file="gone.mid"),))), story / "silent.arpegon")
    done = arpegon("check", story / "silent.arpegon")
    assert done.returncode == 1 and "gone.mid" in done.stdout and "silent" in done.stdout


def test_ports_lists_all_kinds():
    done = arpegon("ports")
    assert done.returncode == 0
    assert done.stdout.count(":") >= 3 and "MIDI inputs" in done.stdout and not done.stderr


BAD = [
    (("render", "{}/none.arpegon", "--midi", "{}/x.mid"), "no such file"),
    (("render", "{}/story.arpegon"), "nothing to write"),
    (("render", "{}/story.arpegon", "--midi", "{}/x.mid", "--bars", "1", "--seconds", "2"), "not both"),
    (("render", "{}/story.arpegon", "--midi-in", "{}/story.arpegon", "--midi", "{}/x.mid"), "not a MIDI file"),
    (("render", "{}/story.arpegon", "--seconds", "1", "--midi", "{}/story.arpegon/x.mid"), "not a folder"),
    (("render", "{}/story.arpegon", "--seconds", "1", "--wav", "{}/x.mp3"), ".wav or .flac"),
    (("render", "{}/story.arpegon", "--seconds", "-1", "--midi", "{}/x.mid"), "seconds"),
    (("render", "{}/story.arpegon", "--seconds", "nan", "--midi", "{}/x.mid"), "nan"),
    (("render", "{}/story.arpegon", "--bars", "inf", "--midi", "{}/x.mid"), "inf"),
    (("render", "{}/story.arpegon", "--bars", "10000000", "--midi", "{}/x.mid"), "hours of music"),
    (("render", "{}/story.arpegon", "--midi-in", "{}/far.mid", "--midi", "{}/x.mid"), "hours of music"),
    (("render", "{}/story.arpegon", "--seconds", "1", "--midi", "{}/story.arpegon"), "is read"),
    (("render", "{}/story.arpegon", "--seconds", "1", "--midi", "{}/x.wav", "--wav", "{}/x.wav"), "written to twice"),
    (("render", "{}/story.arpegon", "--midi-in", "{}/in.mid", "--midi", "{}/in.mid"), "is read"),
    (("render", "{}/story.arpegon", "--seconds", "1", "--midi", "/dev/full"), "no plain file"),
    (("render", "{}/story.arpegon", "--midi-in", "/dev/zero", "--midi", "{}/x.mid"), "no plain file"),
    (("render", "/dev/zero", "--midi", "{}/x.mid"), "no plain file"),
    (("check", "{}/in.mid"), "in.mid"),
]


@pytest.mark.parametrize(("arguments", "words"), BAD)
def test_errors_are_one_sentence_and_exit_2(story, arguments, words):
    done = arpegon(*(argument.format(story) for argument in arguments))
    assert done.returncode == 2
    assert words in done.stderr and "Traceback" not in done.stderr


@pytest.mark.parametrize("kind", sorted(PROCESSORS))
def test_every_stage_renders_and_leaves_nothing_hanging(tmp_path, kind):
    """Whatever the stage: as many offs as ons, in range, and the same bytes again."""
    values = {"kinds": ["cc"]} if kind == "sieve" else {}  # by default it blocks all notes
    save_project(project(strand(stage(kind, **values)), tempo=100.0), tmp_path / "one.arpegon")
    write_midi(tmp_path / "in.mid", [Track("keys", notes(*range(48, 72), velocity=64))], 100.0)
    made = []
    for name in ("a.mid", "b.mid"):
        options = ("--midi-in", str(tmp_path / "in.mid"), "--midi", str(tmp_path / name), "--bars", "8")
        done = CliRunner().invoke(main, ["render", str(tmp_path / "one.arpegon"), *options])
        assert done.exit_code == 0, done.output
        made.append((tmp_path / name).read_bytes())
    assert made[0] == made[1]
    track = mido.MidiFile(tmp_path / "a.mid").tracks[1]
    count = Counter(message.type for message in track)
    assert count["note_on"] == count["note_off"] > 8


def test_check_names_what_is_silent_and_why(tmp_path):
    broken = project(
        strand(stage("chance", percent=0), strand_id="fog"),
        strand(sources=(), strand_id="quay"),
        strand(strand_id="tide"),
    )
    save_project(broken, tmp_path / "broken.arpegon")
    done = arpegon("check", tmp_path / "broken.arpegon")
    assert done.returncode == 1
    assert done.stdout.splitlines() == [
        "“Fog” is silent: Chance: at 0 % it lets no note through.",
        "“Quay” is silent: it has no source.",
    ]


def test_check_can_ask_this_computer_for_its_ports(tmp_path):
    save_project(project(strand(sources=(MidiSource(port="Lighthouse"),))), tmp_path / "ports.arpegon")
    assert arpegon("check", tmp_path / "ports.arpegon").returncode == 0
    done = arpegon("check", "--ports", tmp_path / "ports.arpegon")
    assert done.returncode == 1 and "“Lighthouse” is not there" in done.stdout


def test_help_has_a_short_option_and_a_mistyped_command_is_no_project():
    assert CliRunner().invoke(main, ["-h"]).output.startswith("Usage:")
    done = arpegon("rendr", "x.arpegon")
    assert done.returncode == 2
    assert done.stderr == "arpegon: There is no command or file “rendr”. Did you mean “render”?\n"
