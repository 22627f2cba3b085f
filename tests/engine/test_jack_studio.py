"""Our one client beside others: what it says of its latency, outputs for single instruments, audio that comes in."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

import jack
import numpy as np
import pytest
import soundfile
from msgspec.structs import replace
from tools.jack_devices import Synth, leave

from arpegon.core.document.model import AudioSource, ClockSettings, Instrument, InstrumentDestination, MidiSource
from arpegon.core.events import note_on
from arpegon.core.time import studio
from arpegon.core.time.timecode import CodeReader
from arpegon.engine.devices.jack_calls import call_in_periods
from arpegon.engine.devices.jack_latency import CAPTURE, PLAYBACK, latency_range
from arpegon.engine.wire import protocol
from arpegon.files.sounds import sound_path
from building import project, strand
from jacking import port_names, wait_for

HERE = Path(".")
PERIOD = 512


@pytest.fixture
def look(jack_server):
    client = jack.Client("Patchbay", no_start_server=True)
    yield client
    client.close()


class Player:
    """Another program: it plays a sound round and round, and hears what comes at its inputs."""

    def __init__(self, samples, inputs=()):
        self.client = jack.Client("Tin deck", no_start_server=True)
        self.out = self.client.outports.register("out")
        self.ins = {name: self.client.inports.register(name) for name in inputs}
        self.peaks = dict.fromkeys(inputs, 0.0)
        self._samples, self._place = samples, 0
        self._calls = call_in_periods(self.client, self._process)
        self.client.activate()

    def _process(self, frames):
        places = np.arange(self._place, self._place + frames) % len(self._samples)
        self._place += frames
        self.out.get_array()[:] = self._samples[places]
        for name, port in self.ins.items():
            self.peaks[name] = max(self.peaks[name], float(np.abs(port.get_array()).max()))

    def close(self):
        leave(self.client, self._calls)


def notices(live, topic):
    return [notice.text for notice in live.reports.notices if notice.topic == topic]


def with_instruments(strands, *instruments):
    return replace(project(*strands), instruments=instruments)


def port(client, name):
    (found,) = client.get_ports(f"^{name}$")
    return found


def test_others_are_told_how_late_we_are(live, look):
    live.set_project(project(strand()), HERE)
    for name in ("Arpegon:out", "Arpegon:left"):
        wait_for(lambda name=name: latency_range(port(look, name), CAPTURE)[0] == PERIOD)
    assert latency_range(port(look, "Arpegon:in"), PLAYBACK)[0] == PERIOD
    # What all wait for is latency too.
    live.set_project(project(strand(offset_ms=-20.0)), HERE)
    wait_for(lambda: latency_range(port(look, "Arpegon:out"), CAPTURE)[0] == PERIOD + 960)
    look.blocksize = 2 * PERIOD
    wait_for(lambda: latency_range(port(look, "Arpegon:out"), CAPTURE)[0] == 2 * PERIOD + 960)


def test_time_code_leaves_and_says_where_the_piece_is(live, look):
    clock = ClockSettings(code_to=("",), code_rate="25")
    live.set_project(project(strand(), clock=clock), HERE)
    heard = []
    synth = Synth("Reader", lambda message, frame: heard.append((frame, message)), once=True)
    synth.connect("Arpegon:out")
    try:
        live.send(protocol.Play(8.0))
        wait_for(lambda: len([1 for _, message in heard if message[0] == 0xF1]) > 200)
        live.send(protocol.Stop())
        wait_for(lambda: heard[-1][1][0] == 0xF0)
    finally:
        synth.close()
    quarters = [(frame, message) for frame, message in heard if message[0] == 0xF1]
    reader = CodeReader()
    seconds = [reader.quarter(message[1]) for _, message in quarters]
    # A server that loses a period lets it be heard twice or never: what is left goes on where it should be.
    assert 4.0 < next(second for second in seconds if second is not None) < 4.5
    assert sum(second is not None for second in seconds) > 0.9 * len(seconds)
    assert all(before < after for before, after in pairwise(second for second in seconds if second is not None))


def test_another_period_and_a_free_run_are_said_and_notes_go_on(live, pair, look):
    live.set_project(project(strand()), HERE)
    pair.connect_to_own_output()
    look.blocksize = 128
    (said,) = wait_for(lambda: notices(live, "jack"))
    assert "128 frames (512 before)" in said
    look.set_freewheel(True)
    wait_for(lambda: "runs free" in notices(live, "jack")[-1])
    look.set_freewheel(False)
    wait_for(lambda: not notices(live, "jack")[-1])


def test_an_instrument_with_outputs_of_its_own_sounds_there_and_not_in_the_mix(live, look):
    one = Instrument(id="felt-piano", sound="felt-piano", own_outputs=True)
    two = Instrument(id="felt-piano-2", sound="felt-piano")
    strands = [strand(destinations=(InstrumentDestination(instrument="felt-piano"),))]
    live.set_project(with_instruments(strands, one, two), HERE)
    wait_for(lambda: port_names(look, "^Arpegon:Felt piano left$") and port_names(look, "^Arpegon:Felt piano right$"))
    wait_for(lambda: [other.name for other in look.get_all_connections(port(look, "Arpegon:Felt piano left"))])
    player = Player(np.zeros(64, dtype=np.float32), ("own", "mix"))
    try:
        player.client.connect("Arpegon:Felt piano left", "Tin deck:own")
        player.client.connect("Arpegon:left", "Tin deck:mix")
        live.send(protocol.Feed("surface", [note_on(studio.now(), 0, 60, 100)]))
        wait_for(lambda: player.peaks["own"] > 0.01)
        assert player.peaks["mix"] == 0.0
        # Back in the mix: the ports go.
        live.set_project(with_instruments(strands, replace(one, own_outputs=False), two), HERE)
        wait_for(lambda: not port_names(look, "^Arpegon:Felt piano"))
        live.send(protocol.Feed("surface", [note_on(studio.now(), 0, 64, 100)]))
        wait_for(lambda: player.peaks["mix"] > 0.01)
    finally:
        player.close()


def test_audio_comes_in_through_the_one_client_and_is_looked_for_again(live, look):
    samples, _ = soundfile.read(sound_path("stand-in:crate-taps", HERE), dtype="float32", always_2d=True)
    heard = AudioSource(id="ear", listen="hits", device="Tin deck")
    live.set_project(project(strand(sources=(heard,))), HERE)
    wait_for(lambda: any("Tin deck" in one.why for one in live.reports.missing), 20.0)

    def struck():
        return [event for event in live.reports.printed("a", "in") if event.status & 0xF0 == 0x90]

    for _ in range(2):
        before = len(struck())
        player = Player(samples[:, 0])
        try:
            wait_for(lambda: [one.name for one in look.get_all_connections(port(look, "Tin deck:out"))])
            assert {one.name for one in look.get_all_connections(port(look, "Tin deck:out"))} == {
                "Arpegon:Tin deck in 1"
            }
            wait_for(lambda before=before: len(struck()) >= before + 4, 30.0)
            assert not any("PortAudio" in one for one in port_names(look))
        finally:
            player.close()
        wait_for(lambda: not port_names(look, "^Arpegon:Tin deck"))


def test_in_a_session_the_client_bears_the_name_that_the_session_gives(live, look, pair):
    live.set_project(project(strand(sources=(MidiSource(),))), HERE)
    live.send(protocol.SetName("Arpegon.nABC"))
    wait_for(lambda: port_names(look, "^Arpegon.nABC:out$") and not port_names(look, "^Arpegon:"))
    pair.synth.connect("Arpegon.nABC:out")

    def heard():
        pair.keys.send([0x90, 60, 100])
        return live.reports.printed("a", "in")

    wait_for(heard)
