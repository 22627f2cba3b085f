"""Without a window: a project works until a signal ends it, and every note ends."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
from contextlib import contextmanager

import pytest
from pythonosc.osc_message import OscMessage
from pythonosc.osc_message_builder import OscMessageBuilder
from tools.processes import first_child, runs

from arpegon.core.document.model import Hookup, MidiSource, PortDestination
from arpegon.files.project import save_project
from building import generator, project, stage, strand
from jacking import wait_for, without_repeats

WALK = generator("steps", "s", rate="1/16", patterns=[[{"note": 40}]], in_scale=False)


@contextmanager
def headless(tmp_path, *arguments):
    """A process of ours without a display; its sentences are in ``said``."""
    environment = {key: value for key, value in os.environ.items() if "DISPLAY" not in key and "QT" not in key}
    with (tmp_path / "said").open("wb") as said:
        process = subprocess.Popen(
            [sys.executable, "-m", "arpegon.cli", "--headless", *map(str, arguments)], stderr=said, env=environment
        )
        process.said = lambda: (tmp_path / "said").read_text()
        try:
            yield process
        finally:
            engine = first_child(process.pid)
            process.kill()
            process.wait()
            wait_for(lambda: not runs(engine))  # it would join the JACK server of the next test


def answers(pair):
    """Whether a key comes back an octave higher."""
    pair.keys.send([0x90, 60, 90])
    return [0x90, 72, 90] in pair.heard


@pytest.fixture
def tide(tmp_path):
    keys = strand(stage("transpose", "t", semitones=12), sources=(MidiSource(),), destinations=(PortDestination(),))
    walk = strand(strand_id="w", sources=(WALK,), destinations=(PortDestination(),))
    turned = Hookup(id="h", number=7, target="t", param="semitones")
    kept = Hookup(id="k", number=9, action="keep")
    one = project(keys, walk, title="Tide", hookups=(turned, kept))
    save_project(one, tmp_path / "tide.arpegon")
    return tmp_path / "tide.arpegon"


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGINT])
def test_it_plays_what_comes_in_and_lets_go_of_every_note_at_the_end(tide, tmp_path, jack_server, pair, number):
    with headless(tmp_path, "--play", tide) as process:
        pair.connect_to_own_output()
        wait_for(lambda: any(m[:2] == [0x90, 40] for m in pair.heard))

        wait_for(lambda: answers(pair))
        pair.keys.send([0xB0, 7, 127])  # a hookup turns Transpose, with no window there
        process.send_signal(number)
        assert process.wait(20) == 0
        assert "“Tide” is at work" in process.said() and process.said().endswith("Every note is ended.\n")
    on, off = (sum(m[0] & 0xF0 == kind for m in without_repeats(pair.heard) if m[1:2] == [72]) for kind in (0x90, 0x80))
    assert off >= 1 and on - off in (0, 1) and [m for m in pair.heard if m[1:2] == [72]][-1][0] & 0xF0 == 0x80


@contextmanager
def tablet():
    """A port for OSC, and a function that sends there, which has what is answered."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as plug:
        plug.settimeout(1.0)

        def ask(address, *values):
            builder = OscMessageBuilder(address)
            for value in values:
                builder.add_arg(value)
            plug.sendto(builder.build().dgram, ("127.0.0.1", port))

        def answered(address):
            ask(address)
            return OscMessage(plug.recv(1000)).params

        ask.answered = answered
        yield port, ask


@pytest.mark.parametrize("jack_server", ["async"], indirect=True)
def test_what_a_knob_has_set_is_heard_from_the_next_engine_too(tide, tmp_path, jack_server, pair):
    with tablet() as (port, ask), headless(tmp_path, tide, "--osc", port) as process:
        pair.connect_to_own_output()
        wait_for(lambda: answers(pair))

        def heard():
            pair.stay_connected()
            pair.keys.send([0x90, 60, 90])
            return {m[1] for m in list(pair.heard) if m[0] == 0x90}

        pair.keys.send([0xB0, 7, 127])
        turned = wait_for(lambda: heard() - {72})
        wait_for(lambda: ask.answered("/arpegon/get/t/semitones")[0] == max(turned) - 60)  # it was told of
        os.kill(first_child(process.pid), signal.SIGKILL)
        wait_for(lambda: "started again" in process.said())
        pair.heard.clear()
        assert wait_for(heard) == turned


def test_the_project_is_read_anew_at_a_hangup_and_a_damaged_one_leaves_what_is_at_work(
    tide, tmp_path, jack_server, pair
):
    with headless(tmp_path, tide, "--play") as process:
        pair.connect_to_own_output()
        wait_for(lambda: any(m[:2] == [0x90, 40] for m in pair.heard))
        other = generator("steps", "s", rate="1/16", patterns=[[{"note": 45}]], in_scale=False)
        save_project(project(strand(sources=(other,), destinations=(PortDestination(),)), title="Ebb"), tide)
        process.send_signal(signal.SIGHUP)
        wait_for(lambda: any(m[:2] == [0x90, 45] for m in pair.heard))
        tide.write_text("{")
        process.send_signal(signal.SIGHUP)
        wait_for(lambda: "tide.arpegon" in process.said())
        pair.heard.clear()
        wait_for(lambda: any(m[:2] == [0x90, 45] for m in pair.heard))
        assert "“Ebb” was read anew." in process.said()


def test_it_is_controlled_over_osc(tide, tmp_path, jack_server, pair):
    with tablet() as (port, ask), headless(tmp_path, tide, "--osc", port):
        pair.connect_to_own_output()
        wait_for(lambda: answers(pair))
        ask("/arpegon/set/t/semitones", 5)
        ask("/arpegon/do/play")

        def turned():
            pair.keys.send([0x90, 60, 90])
            return [0x90, 65, 90] in pair.heard and any(m[:2] == [0x90, 40] for m in pair.heard)

        wait_for(turned)
        wait_for(lambda: ask.answered("/arpegon/get/t/semitones")[0] == 5)


@pytest.mark.parametrize("jack_server", ["async"], indirect=True)
def test_what_is_missing_is_said_again_by_the_next_engine_and_taken_back_where_it_is_wanted_no_more(
    tmp_path, jack_server
):
    lost = strand(destinations=(PortDestination(port="Organ loft"),))
    save_project(project(lost), tmp_path / "x.arpegon")
    with headless(tmp_path, tmp_path / "x.arpegon") as process:
        wait_for(lambda: "“Organ loft” is not there" in process.said())
        os.kill(first_child(process.pid), signal.SIGKILL)
        wait_for(lambda: process.said().count("“Organ loft” is not there") == 2)
        assert "started again" in process.said() and "no longer missing" not in process.said()
        save_project(project(strand()), tmp_path / "x.arpegon")
        os.kill(process.pid, signal.SIGHUP)
        wait_for(lambda: "“Organ loft” is no longer missing." in process.said())


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("nowhere.arpegon",), "nowhere.arpegon"),
        ((), "arpegon --headless PROJECT"),
    ],
)
def test_without_a_project_it_says_so(tmp_path, arguments, words):
    with headless(tmp_path, *arguments) as process:
        assert process.wait(30) == 2 and words in process.said() and process.said().count("\n") == 1


@pytest.mark.parametrize("jack_server", ["async"], indirect=True)
def test_every_restart_and_every_missing_input_is_reported(tmp_path, jack_server):
    one = project(strand(sources=(MidiSource(port="Harbour keys"),), destinations=(PortDestination(),)))
    save_project(one, tmp_path / "keys.arpegon")
    with headless(tmp_path, tmp_path / "keys.arpegon") as process:
        wait_for(lambda: "“Harbour keys” is not there" in process.said())
        for count in (1, 2):
            before = wait_for(lambda: first_child(process.pid))
            os.kill(before, signal.SIGKILL)
            wait_for(lambda count=count: process.said().count("started again") == count)
            wait_for(lambda before=before: first_child(process.pid) not in (None, before))
