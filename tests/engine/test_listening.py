"""Audio sources at work: offline, in the engine's process and over JACK."""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tools.processes import first_child
from tools.stand_ins import RATE

from arpegon.core.document import edits
from arpegon.core.document.model import AudioSource, Hookup
from arpegon.core.events import NOTE_ON
from arpegon.core.notes.takes import bars
from arpegon.engine.audio.monitor import Monitored
from arpegon.engine.devices.jack_client import JackClient
from arpegon.engine.hearing.ears import Ears
from arpegon.engine.hearing.hearing import blocks_of, may_be_turned
from arpegon.engine.offline import run
from arpegon.engine.simulation import Engine
from arpegon.engine.wire import protocol
from arpegon.files.assets import SOUNDS
from arpegon.files.audio import AudioFile, read_audio
from arpegon.files.sounds import sound_path
from building import Recording, assert_whole, pitches, project, stage, strand
from jacking import wait_for

TAPS = "stand-in:crate-taps"
HERE = Path(".")


def source(source_id="ear", file=TAPS, listen="hits", **settings):
    return AudioSource(id=source_id, listen=listen, file=file, **settings)


def listening(*sources, **settings):
    return project(strand(stage("transpose", "up", semitones=12), sources=sources), **settings)


def sounds_of(document):
    return SOUNDS.load(document, HERE)[0]


def struck(events):
    return [(round(event.time, 4), event.data1, event.data2) for event in events if event.kind == NOTE_ON]


@pytest.mark.parametrize("length", [1, 5, 256, 3000, 48_000])
@pytest.mark.parametrize("number", [0, 1, 9, 187])
def test_a_file_of_any_length_goes_round_or_ends_in_silence(length, number):
    samples = np.random.default_rng(length).standard_normal((length, 2)).astype(np.float32)
    sound, places = AudioFile(samples, 48_000), np.arange(number * 256, (number + 6) * 256)
    for loop in (True, False):
        source = AudioSource(id="ear", file="x", loop=loop)
        block = blocks_of([source], {"x": sound}, 0.0, number, 6)["ear"].samples
        heard = samples[places % length]
        assert np.array_equal(block, heard if loop else np.where((places < length)[:, None], heard, 0.0))


def test_a_file_in_a_loop_plays_its_strokes_through_the_stages_round_after_round():
    document = listening(source())
    made = run(document, seconds=21.0, sounds=sounds_of(document)).strands["a"]
    assert_whole(made)
    ons = struck(made)
    assert {note for _, note, _ in ons} == {50}
    first = [one for one in ons if one[0] < 9.9]
    second = [one for one in ons if 10.05 < one[0] < 19.9]
    assert 24 <= len(first) <= 36 and abs(len(second) - len(first)) <= 2
    assert len({velocity for _, _, velocity in first}) > 8


def test_the_same_twice_and_with_other_tempi_the_same_seconds():
    document = listening(source())
    one = run(document, seconds=6.0, sounds=sounds_of(document)).strands["a"]
    assert one == run(document, seconds=6.0, sounds=sounds_of(document)).strands["a"]
    quick = run(listening(source(), tempo=180.0), seconds=6.0, sounds=sounds_of(document)).strands["a"]
    assert struck(quick) == struck(one)


def test_what_is_heard_comes_instead_of_every_input_once():
    sound = read_audio(sound_path("stand-in:plucked-line", HERE))
    document = listening(source(file="", device="not there", listen="pitch"))
    made = run(document, seconds=20.0, heard=sound).strands["a"]
    assert_whole(made)
    assert pitches(made)[:5] == [62, 69, 74, 76, 77]
    assert max(event.time for event in made) < sound.seconds + 0.3


def test_pads_of_a_group_do_not_hear_one_another():
    def notes(group):
        pads = [source("l", params={"group": group}), source("r", inputs=(2,), params={"group": group, "note": 40})]
        document = listening(*pads)
        return len(struck(run(document, seconds=9.9, sounds=sounds_of(document)).strands["a"]))

    assert notes(0) > 50 and 35 <= notes(1) <= 37


@pytest.mark.parametrize(
    "change",
    [
        lambda p: edits.set_source(p, "a", 0, None),
        lambda p: edits.set_source(p, "a", 0, source(file="stand-in:hummed-tune", listen="pitch")),
        lambda p: edits.set_bypass(p, "ear", True),
        lambda p: edits.set_params(p, "ear", {"lowest": 60}),
        lambda p: edits.set_strand(p, "a", muted=True),
    ],
    ids=["removed", "another file", "rests", "another range", "muted"],
)
def test_no_note_hangs_whatever_happens_to_the_source(change):
    document = listening(source(file="stand-in:hummed-tune", listen="pitch", params={"lowest": 48, "highest": 70}))
    sounds = sounds_of(document)
    out = Recording()
    engine = Engine(out)
    engine.apply(document, {}, 0.0, sounds)
    engine.play(0.0)
    engine.run(1.05)
    assert engine.graph.sounding == 1
    engine.apply(change(document), {}, 1.05, sounds)
    engine.run(1.1)
    engine.stop(1.4)
    engine.run(2.0)
    assert engine.graph.sounding == 0
    engine.finish(2.0)
    assert_whole(out.out)


def test_files_follow_the_transport():
    document = listening(source())
    out = Recording()
    engine = Engine(out)
    engine.apply(document, {}, 0.0, sounds_of(document))
    engine.run(3.0)
    assert not out.out
    engine.play(3.0, 0.0)
    engine.run(4.0)
    count = len(out.out)
    assert count
    engine.stop(4.0)
    engine.run(8.0)
    assert len(out.out) - count <= 2
    engine.play(8.0, 0.0)
    engine.run(9.0)
    first = [round(t - 3.0, 3) for t, *_ in struck(out.out) if t < 4.0]
    again = [round(t - 8.0, 3) for t, *_ in struck(out.out) if t >= 8.0]
    assert first == again


def test_audio_that_is_heard_itself_sounds_at_its_time():
    line = Monitored(RATE)
    tone = np.sin(np.arange(RATE) * 0.05).astype(np.float32)[:, None]
    for start in range(0, RATE, 256):
        line.add(tone[start : start + 256], 5.0 + start / RATE)
    out = np.zeros((2, 4800))
    line.mix(out, 5.1, RATE)
    assert np.allclose(out[0], tone[4800:9600, 0], atol=1e-3) and np.array_equal(out[0], out[1])
    silent = np.zeros((2, 480))
    line.mix(silent, 9.0, RATE)
    assert not silent.any()


def test_a_sound_that_is_missing_is_named():
    document = listening(source(file="not-here.wav"))
    sounds, missing = SOUNDS.load(document, HERE)
    assert not sounds and "not-here.wav" in missing["not-here.wav"]
    assert not run(document, seconds=1.0, sounds=sounds).strands.get("a")


def test_live_a_file_is_heard_and_shown_and_stops_with_the_transport(live):
    live.set_project(listening(source()), HERE)
    live.send(protocol.Watch("ear"))
    live.send(protocol.Play())
    wait_for(lambda: len(struck(live.reports.printed("a", "out"))) >= 4)
    marks = [mark for told in live.reports.telemetry for mark in told.marks.get("ear", ())]
    printed = struck(live.reports.printed("a", "in"))
    assert [(mark.note, mark.velocity) for mark in marks][:3] == [(note, velocity) for _, note, velocity in printed][:3]
    assert any(told.sight is not None and told.sight.values for told in live.reports.telemetry)
    live.send(protocol.Stop())
    wait_for(lambda: not live.reports.telemetry[-1].playing)
    live.reports.telemetry.clear()
    wait_for(lambda: live.reports.telemetry)
    count = len(live.reports.printed("a", "in"))
    wait_for(lambda: live.reports.telemetry[-1].now - live.reports.telemetry[0].now > 0.8)  # three strokes' time
    assert len(live.reports.printed("a", "in")) == count
    wait_for(lambda: live.reports.telemetry[-1].health.sounding == 0)


def test_live_a_listener_that_was_given_up_can_be_tried_again_and_what_it_missed_is_taken_back(live):
    live.set_project(listening(source(), source("other", file="no-such-file.wav")), HERE)
    missed = [("sound", ["no-such-file.wav"]), ("sound", [])]

    def gone():
        if listener := first_child(live.pid):
            with contextlib.suppress(ProcessLookupError):
                os.kill(listener, signal.SIGKILL)
        return [notice.text for notice in live.reports.notices if notice.topic == protocol.EARS_GONE]

    wait_for(lambda: live.reports.missing)
    (words,) = wait_for(gone)
    assert words.startswith("Listening stopped again and again") and not first_child(live.pid)
    assert [(one.what, list(one.why)) for one in live.reports.missing][:2] == missed
    live.send(protocol.ListenAnew())
    live.send(protocol.Play())
    wait_for(lambda: live.reports.telemetry[-1].health.sounding)


def test_live_the_notes_of_a_listener_that_died_end_and_it_is_started_again(live):
    live.set_project(listening(source()), HERE)
    live.send(protocol.Play())
    wait_for(lambda: live.reports.telemetry[-1].health.sounding)
    os.kill(first_child(live.pid), signal.SIGKILL)
    wait_for(lambda: any("started again" in notice.text for notice in live.reports.notices))
    killed = time.monotonic()
    wait_for(lambda: all(bar.end for bar in bars(live.reports.printed("a", "in")) if bar.start < killed))
    wait_for(lambda: any(bar.start > killed for bar in bars(live.reports.printed("a", "in"))))


PLAY = """
import sys
import numpy as np, sounddevice, soundfile
samples, rate = soundfile.read(sys.argv[1], dtype="float32", always_2d=True)
place = 0
def fill(out, frames, *_):
    global place
    out[:] = samples[np.arange(place, place + frames) % len(samples)][:, :1]
    place += frames
device = next(n for n, d in enumerate(sounddevice.query_devices()) if d["max_output_channels"] > 0)
with sounddevice.OutputStream(samplerate=rate, device=device, channels=2, dtype="float32", callback=fill):
    print("playing", flush=True)
    sys.stdin.read()
"""


@contextlib.contextmanager
def playing(path):
    """A JACK client that plays a file round and round, and leaves in good order."""
    words = [sys.executable, "-c", PLAY, str(path)]
    player = subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
    try:
        assert player.stdout.readline()
        yield
    finally:
        player.stdin.close()
        player.wait()


@pytest.fixture
def inputs(jack_server):
    """The audio inputs that there are, as another client of the server sees them."""
    look = JackClient("look")
    yield look.audio.inputs
    look.close()


@pytest.mark.parametrize("jack_server", ["async"], indirect=True)
def test_live_over_jack_audio_is_played_in_and_notes_come_out_and_that_its_client_went_is_said(live, inputs):
    def notes():
        return struck(live.reports.printed("a", "out"))

    before = set(inputs())
    with playing(sound_path(TAPS, HERE)):
        device = wait_for(lambda: sorted(set(inputs()) - before), 20.0)[0]
        live.set_project(listening(source(file="", device=device)), HERE)
        wait_for(lambda: len(notes()) >= 6, 30.0)
        assert {note for _, note, _ in notes()} == {50}
    wait_for(lambda: any(device in one.why for one in live.reports.missing), 30.0)
    wait_for(lambda: live.reports.telemetry[-1].health.sounding == 0)


def test_live_an_input_that_is_not_there_is_named_and_the_rest_goes_on(live):
    live.set_project(listening(source("gone", file="", device="Fog horn"), source()), HERE)
    live.send(protocol.Play())
    wait_for(lambda: any("Fog horn" in one.why for one in live.reports.missing))
    wait_for(lambda: len(struck(live.reports.printed("a", "out"))) >= 2)


def test_a_short_sound_goes_round_without_a_gap():
    from arpegon.engine.hearing.hearing import blocks_of

    sound = AudioFile(np.arange(100, dtype=np.float32)[:, None], 48_000)
    parts = [blocks_of([source(file="x")], {"x": sound}, 0.0, number)["ear"].samples for number in range(4)]
    joined = np.concatenate(parts)[:, 0]
    assert np.array_equal(joined, np.arange(len(joined)) % 100)


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 5000), st.sampled_from([44_100, 48_000, 22_050]), st.integers(2, 60), st.booleans())
def test_what_is_heard_does_not_depend_on_how_many_blocks_are_heard_at_once(seed, rate, count, loop):
    """Two pads that shake one another, and a tune: the same notes at the same times."""
    draw = np.random.default_rng(seed)
    samples = draw.normal(0.0, 0.001, (rate, 2))
    for at in draw.integers(0, rate - 2000, 12):
        ring = np.exp(-np.arange(2000) / 300)[:, None] * draw.normal(0.0, 1.0, (2000, 1)) * draw.uniform(0.02, 0.9, 2)
        samples[at : at + 2000] += ring
    sound = AudioFile(samples.astype(np.float32), rate)
    pads = [
        source(name, "x", inputs=(channel,), loop=loop, params={"group": 1})
        for name, channel in (("left", 1), ("right", 2))
    ]
    one = project(strand(sources=(*pads, source("tune", "x", "pitch", loop=loop))))
    found = []
    for by in (1, count):
        ears = Ears()
        ears.configure(one)
        heard = []
        for number in range(0, 2 * count, by):
            blocks = blocks_of(one.strands[0].sources, {"x": sound}, 0.25, number, by)
            heard += ears.hear(blocks)
        found.append(sorted(heard, key=lambda entry: (entry[1].time, entry[0], entry[1].status)))
    plain = [[(feed, event.status, event.data1, event.data2) for feed, event in one] for one in found]
    assert plain[0] == plain[1]
    times = [[event.time for _, event in one] for one in found]
    assert times[0] == pytest.approx(times[1], abs=1e-9)


@pytest.mark.parametrize(
    ("hookup", "turned"),
    [
        (Hookup(id="h", target="ear", param="sensitivity"), True),
        (Hookup(id="h", target="a", param="plays_on"), True),
        (Hookup(id="h", target="a", action="mute"), False),
        (Hookup(id="h", target="", param="tempo"), False),
    ],
)
def test_blocks_are_heard_ahead_only_while_nothing_can_be_turned(hookup, turned):
    one = project(strand(sources=(source(file="x"),)), hookups=(hookup,))
    assert may_be_turned(one) == turned
