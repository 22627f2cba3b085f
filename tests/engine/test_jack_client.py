"""Our one client of a JACK server: by the frame, and there again after whatever happens to the server."""

from __future__ import annotations

import gc
import os
import signal
import subprocess
import sys
import threading
import weakref
from contextlib import ExitStack, contextmanager, nullcontext
from pathlib import Path
from unittest.mock import Mock

import jack
import numpy as np
import pytest
from msgspec.structs import replace
from tools.jack_devices import Keyboard, leave
from tools.jack_server import jack_server as server

from arpegon.core.document.model import Instrument, InstrumentDestination, MidiSource, PortDestination
from arpegon.core.events import note_off, note_on
from arpegon.core.time import studio
from arpegon.engine.devices import compiled_relay, jack_client, jack_leaving, jack_periods
from arpegon.engine.devices.jack_calls import call_in_periods
from arpegon.engine.devices.jack_client import JackClient
from arpegon.engine.devices.jack_opening import open_client
from arpegon.engine.devices.plain_relay import PlainRelay
from arpegon.engine.devices.port_hub import PortHub
from arpegon.engine.devices.portaudio import library
from arpegon.engine.wire import protocol
from building import project, strand
from engine_reports import running_engine
from jacking import has_connections, port_names, wait_for

HERE = Path(".")
PERIOD = 512


def clients():
    look = jack.Client("look", no_start_server=True)
    try:
        return {name.split(":")[0] for name in port_names(look)}
    finally:
        look.close()


@pytest.fixture(params=["compiled", "plain"])
def client(request, jack_server, monkeypatch):
    if request.param == "plain":  # as where no compiler was there
        monkeypatch.setattr(compiled_relay, "_calls", lambda: None)
    made = JackClient()
    try:
        assert wait_for(lambda: made.there) and isinstance(made._relay, PlainRelay) == (request.param == "plain")
        yield made
    finally:
        made.close()


def test_the_engine_is_one_client_whatever_it_plays_and_hears(live, pair):
    document = project(strand(), strand(strand_id="b", sources=(MidiSource(),), destinations=(PortDestination(),)))
    live.set_project(document, HERE)
    wait_for(lambda: live.reports.telemetry[-1].health.audio)
    wait_for(lambda: any(pair.name in port for port in live.reports.open_ports()))
    assert clients() == {"Arpegon", "system", f"{pair.name} keys", f"{pair.name} synth"}


def test_further_outputs_of_our_own_are_ports_of_the_one_client(live, pair):
    bells = strand(destinations=(PortDestination(port="own:Low bells"),))
    live.set_project(project(bells), HERE)
    pair.synth.connect("Arpegon:Low bells")
    assert clients() >= {"Arpegon"} and not any(name.startswith("Arpegon ") for name in clients())

    def heard():
        live.send(protocol.Feed("surface", [note_on(studio.now(), 0, 60, 90), note_off(studio.now(), 0, 60)]))
        return [0x90, 60, 90] in pair.heard

    wait_for(heard)
    live.set_project(project(strand(destinations=(PortDestination(),))), HERE)
    wait_for(lambda: not has_connections(pair.synth.port))


def test_a_flood_leaves_whole_and_in_order_however_little_a_period_holds(client, pair):
    pair.connect_to_own_output()
    own = client.open_own(lambda *_: None)[1]
    now = studio.now()
    sent = [note_on(now, place % 16, 1 + place % 127, 1 + place // 127) for place in range(5000)]
    own.send(sent)
    wait_for(lambda: len(pair.heard) == len(sent))
    assert pair.heard == [list(event.to_bytes()) for event in sent]


def test_all_that_was_sent_leaves_before_a_port_is_closed(client, pair):
    name = f"{pair.name} synth:in"
    out = client.open_output(name)
    now = studio.now()
    out.send([note_on(now, 0, 60, 90), note_off(now, 0, 60)])
    out.close()
    wait_for(lambda: not has_connections(pair.synth.port))
    # Where the server lost a period, ends are said again.
    assert [message[0] for message in pair.heard[:2]] == [0x90, 0x80] and {m[0] for m in pair.heard[2:]} <= {0x80}


def own_output(client, pair):
    pair.connect_to_own_output()
    return client.open_own(lambda *_: None)[1]


def output_to(client, pair):
    return client.open_output(f"{pair.name} synth:in")


@pytest.mark.parametrize("opened, end", [(own_output, "client"), (output_to, "client"), (output_to, "port")])
def test_what_left_last_is_said_again_before_all_or_a_port_is_closed_as_nobody_could_afterwards(
    client, pair, opened, end, monkeypatch
):
    monkeypatch.setattr(jack_periods, "_DOUBT_SECONDS", 30.0)  # a busy machine closes later than a tenth of a second
    out = opened(client, pair)
    out.send([note_on(studio.now(), 0, 60, 90), note_off(studio.now(), 0, 60)])
    client.periods.wakes_at(studio.now() + 100.0)  # so that not every period is told
    wait_for(lambda: len(pair.heard) >= 2 and client.periods._rests)
    (client if end == "client" else out).close()
    wait_for(lambda: [message[0] for message in pair.heard].count(0x80) >= 3)


def test_a_port_that_was_made_anew_under_its_name_is_known_to_be_another(client, pair):
    opened = client.open_input(f"{pair.name} keys:out", lambda *_: None)
    assert opened.alive
    pair.unplug_keys()
    pair.plug_keys()
    wait_for(lambda: not opened.alive)
    opened.close()
    heard = []
    again = client.open_input(f"{pair.name} keys:out", lambda message, _: heard.append(list(message)))

    def struck():  # a server that is short of time loses periods, and what was sent in them
        pair.keys.send([0x90, 60, 1])
        return heard

    wait_for(struck)
    assert again.alive and heard[0] == [0x90, 60, 1]


def test_a_client_that_another_thread_joined_anew_is_opened_anew(client, pair):
    """Sound may find out first that the server was gone, and is back."""
    heard = []
    hub = PortHub(
        lambda name, event: heard.append((name, event.data1)),
        lambda name: None,
        lambda *lists: None,
        lambda missing: None,
        lambda *tick: None,
        (client,),
    )
    hub.scan()
    client._gone = "it let us go"
    assert not client.there and client.there
    hub.scan()
    pair.connect_to_own_output()
    pair.keys.send([0x90, 61, 1])
    wait_for(lambda: heard == [(f"{pair.name} keys:out", 61)])
    hub.send("", [note_on(studio.now(), 0, 60, 90)])
    wait_for(lambda: pair.heard == [[0x90, 60, 90]])


def test_a_client_that_is_closed_calls_nobody_any_more(client, monkeypatch):
    """JACK cancels a thread that just calls us, wherever it waits: with the lock that all of Python waits for."""
    done = []
    left, hush = client._client, jack_leaving.call_nobody
    deactivate, close = left.deactivate, left.close
    monkeypatch.setattr(left, "deactivate", lambda: (done.append("deactivate"), deactivate()))
    monkeypatch.setattr(left, "close", lambda: (done.append("close"), close()))
    monkeypatch.setattr(jack_leaving, "call_nobody", lambda one: done.append(hush(one)))
    client._gone = "it let us go"
    assert not client.there
    wait_for(lambda: len(done) == 3)
    assert done == ["deactivate", True, "close"]


LEAVING = """
import sys, threading
from unittest.mock import Mock
from arpegon.engine.devices import compiled_relay, jack_calls
from arpegon.engine.devices.jack_client import JackClient
from jacking import wait_for
if sys.argv[1] != "compiled":
    compiled_relay._calls = lambda: None
if sys.argv[1] == "plain":
    jack_calls.GATE = None
def work():
    while True:
        sum(range(2000))
sys.setswitchinterval(0.001)
for _ in range(3):
    threading.Thread(target=work, daemon=True).start()
for _ in range(2):
    client = JackClient()
    transport = Mock(on=sys.argv[2] != "off", sync=lambda *_: True, bar_of=lambda *_: {})
    client.tie.use(transport, sys.argv[2])
    wait_for(lambda: client.there, 30.0)
    client.tie.start_transport()
    cycles = client._relay.cycles
    wait_for(lambda: client._relay.cycles > cycles + 8, 30.0)
    client.close()
    for one in threading.enumerate():
        if one.name == "jack-leave":  # it is not waited for long
            one.join(30.0)
            assert not one.is_alive()
print("left")
"""


LEFT = [("plain", "off"), ("gated", "off"), ("compiled", "lead"), ("gated", "lead")]
"""Who relays periods, and how the transport goes along with JACK's."""


@pytest.mark.parametrize(("relay", "mode"), LEFT)
def test_a_busy_program_leaves_jack_and_goes_on(jack_server, relay, mode):
    """Whatever of Python's JACK called until then: cancelled amid a call, it would keep Python's lock for ever."""
    command, here = [sys.executable, "-c", LEAVING, relay, mode], os.environ | {"PYTHONPATH": os.pathsep.join(sys.path)}
    done = subprocess.run(command, capture_output=True, text=True, timeout=60, env=here)
    assert (done.stdout, done.returncode) == ("left\n", 0), done.stderr


@pytest.mark.parametrize("relay", ["compiled", "plain"])
def test_jacks_thread_is_at_work_before_its_transport_is_spoken_of(jack_server, monkeypatch, relay):
    """Else the library starts another beside it, which runs on when the client is closed, where there is nothing."""
    if relay == "plain":
        monkeypatch.setattr(compiled_relay, "_calls", lambda: None)
    cycles, relays = [], []
    begin = jack_periods.Periods.begin
    monkeypatch.setattr(jack_periods.Periods, "begin", lambda self, *args: (relays.append(args[0]), begin(self, *args)))
    monkeypatch.setattr(jack.Client, "set_sync_callback", lambda *_: cycles.append(relays[0].cycles))
    made = JackClient()
    made.tie.use(Mock(on=True), "follow")
    assert made.there
    made.close()
    assert cycles[0] > 0


def test_a_server_that_has_us_and_never_calls_is_joined_anew(jack_server, monkeypatch):
    """So it is where another program opened a client of our name just then."""
    said, activate = [], jack.Client.activate
    monkeypatch.setattr(jack_client, "_ANSWER_SECONDS", 0.2)
    monkeypatch.setattr(jack.Client, "activate", lambda self: None)
    made = JackClient(said=said.append)
    assert not made.there and not made.joined and "does not answer" in said[-1]
    monkeypatch.setattr(jack_client, "_ANSWER_SECONDS", 3.0)
    monkeypatch.setattr(jack.Client, "activate", activate)
    wait_for(lambda: made.there)
    assert made.client.name == "Arpegon" and len(said) == 2 and said[-1] == ""
    made.close()


@pytest.fixture
def goes_on(client, monkeypatch):
    """A client that its server lets go of only once this is set."""
    goes_on, deactivate = threading.Event(), client._client.deactivate
    monkeypatch.setattr(client._client, "deactivate", lambda: (goes_on.wait(20.0), deactivate()))
    monkeypatch.setattr(jack_client, "_LEAVE_SECONDS", 0.05)
    client._gone = "it let us go"
    yield goes_on
    goes_on.set()


def test_a_server_is_joined_anew_once_the_one_before_was_left(client, goes_on):
    """JACK's library knows one server at a time: a client of another would be closed as if it were its own."""
    left = client._client
    assert not client.there and not client.there
    goes_on.set()
    wait_for(lambda: client.there)
    assert client.client is not left


def test_a_server_that_never_lets_us_go_is_not_waited_for_for_ever(client, goes_on, monkeypatch):
    monkeypatch.setattr(jack_leaving, "_AT_MOST_SECONDS", 0.2)
    assert not client.there
    wait_for(lambda: client.there)


def test_a_server_that_is_gone_while_it_is_left_is_not_said_to_be_silent(client, goes_on, monkeypatch):
    said = []
    client._said = said.append
    assert not client.there and not client.there and "does not answer" in said[-1]
    monkeypatch.setattr(jack_client, "may_run", lambda: False)
    assert not client.there and said[-1] == "" and len(said) == 2


def test_what_the_server_calls_is_there_until_it_has_let_us_go(client):
    called = [weakref.ref(one) for one in (client._relay, client._latency)]
    left = client._client
    there, close = [], left.close
    left.close = lambda: (gc.collect(), there.extend(one() is not None for one in called), close())
    client._gone = "it let us go"
    assert not client.there
    wait_for(lambda: there)  # it leaves beside us, and is not waited for long
    assert there == [True, True]
    left.close = close

    def let_go():
        gc.collect()
        return called[1]() is None

    wait_for(let_go)


@pytest.mark.parametrize("error", [jack.JackError("no"), ZeroDivisionError("no")])
def test_where_joining_fails_half_way_nothing_is_kept_of_it(client, monkeypatch, error):
    client._gone = "it let us go"
    assert not client.there
    monkeypatch.setattr(jack.Client, "activate", lambda self: (_ for _ in ()).throw(error))
    with nullcontext() if isinstance(error, jack.JackError) else pytest.raises(ZeroDivisionError):
        assert not client.there
    assert client._client is client._relay is client._latency is client._own is None
    monkeypatch.undo()
    wait_for(lambda: client.there)
    assert client.client.name == "Arpegon"


def test_a_server_that_does_not_say_its_rate_is_asked_again(jack_server, monkeypatch):
    monkeypatch.setattr(jack.Client, "samplerate", 0)
    made = JackClient()
    assert not made.there
    monkeypatch.undo()
    wait_for(lambda: made.there)
    assert made.rate == 48_000
    made.close()


def test_portaudio_leaves_a_server_to_our_client_and_does_not_wait_for_it(jack_server, monkeypatch):
    there = dict(os.environ)
    listed = library(anew=True)
    assert not [one["name"] for one in listed.query_hostapis() if "JACK" in one["name"]]
    with standing_still(jack_server):
        again = threading.Thread(target=library, args=(True,), daemon=True)
        again.start()
        again.join(10.0)
        assert not again.is_alive()
    assert dict(os.environ) == there
    made = JackClient()
    wait_for(lambda: made.there)
    made.close()


def test_a_fault_in_a_taker_is_logged_once_and_the_cycles_go_on(client, pair, caplog):
    taken = []

    def take(*_):
        taken.append(None)
        raise ValueError("no")

    client.open_input(f"{pair.name} keys:out", take)
    own = client.open_own(lambda *_: None)[1]
    pair.connect_to_own_output()
    wait_for(lambda: pair.keys.send([0x90, 60, 1]) or len(taken) >= 3)
    own.send([note_on(studio.now(), 0, 60, 90)])
    wait_for(lambda: pair.heard)
    assert [record.message for record in caplog.records].count("a fault in a period of JACK's") == 1


def test_without_a_server_nothing_is_there(monkeypatch):
    monkeypatch.setenv("JACK_DEFAULT_SERVER", "arpegon-nobody")
    client = JackClient()
    assert not client.there and client.look() is None and client.audio.outputs() == [] and client.audio.inputs() == []
    assert (
        client.open_output("x:y") is None and client.audio.open_stream("", 256, lambda rate: None, lambda: None) is None
    )
    client.close()


def heard_hz(engine, rate):
    """The pitch at which another program hears A4 of the piano."""
    piano = Instrument(id="piano", sound="felt-piano")
    way = strand(destinations=(InstrumentDestination(instrument="piano"),))
    engine.set_project(replace(project(way), instruments=(piano,)), HERE)
    ear, heard = jack.Client("Ear", no_start_server=True), []
    port = ear.inports.register("in")
    calls = call_in_periods(ear, lambda _: heard.append(port.get_array().copy()))
    ear.activate()
    ear.connect("Arpegon:left", port)
    engine.send(protocol.Feed("surface", [note_on(0.0, 0, 69, 100)]))
    wait_for(lambda: sum(float(np.abs(block).max()) > 0.002 for block in heard) > 60)
    leave(ear, calls)
    loud = [block for block in heard if np.abs(block).max() > 0.002][10:40]
    spectrum = np.abs(np.fft.rfft(np.concatenate(loud) * np.hanning(sum(map(len, loud))), 1 << 18))
    return float(np.argmax(spectrum[: round(600 / rate * (1 << 18))]) * rate / (1 << 18))


@pytest.mark.parametrize("rate", [48_000, 44_100])
def test_a_server_that_was_killed_and_is_back_is_taken_up(tmp_path, rate):
    with ExitStack() as stack:
        with server("arpegon-test", PERIOD):
            engine = stack.enter_context(running_engine(tmp_path / "errors.log"))
            reports = engine.reports
            engine.set_project(project(strand()), HERE)
            wait_for(lambda: reports.telemetry[-1].health.audio == "system")
        wait_for(lambda: "" not in reports.open_ports())
        with server("arpegon-test", PERIOD * 2, rate=rate):
            keys = Keyboard("Late keys")
            wait_for(lambda: any("Late keys" in port for port in reports.open_ports()))
            wait_for(lambda: reports.telemetry[-1].health.audio == "system")
            latency = 2 * PERIOD * 2 / rate
            wait_for(lambda: abs(reports.telemetry[-1].health.audio_latency - latency) < 1e-9)
            said = [notice.text for notice in reports.notices if notice.topic == "jack" and notice.text]
            again = f"{rate:,} samples a second (48,000 before)"
            assert any(again in text for text in said) == (rate != 48_000), said
            # A period that the server loses meanwhile bends the pitch a little; another rate is a semitone and more.
            assert any(heard_hz(engine, rate) == pytest.approx(440.0, abs=1.0) for _ in range(4))
            keys.close()


def test_an_engine_beside_another_has_ports_of_its_own_name(client):
    second = JackClient()
    try:
        assert second.there and {"Arpegon", "Arpegon-01"} <= clients()
    finally:
        second.close()


@pytest.mark.parametrize("there_later", [True, False])
def test_a_server_that_does_not_answer_is_said_and_taken_up_when_it_does(jack_server, monkeypatch, there_later):
    answers, said, asked = threading.Event(), [], []

    def slow(name):
        asked.append(name)
        answers.wait(20.0)
        if not there_later:
            raise jack.JackError("it is gone")
        return open_client(name)

    monkeypatch.setattr(jack_client, "open_client", slow)
    monkeypatch.setattr(jack_client, "_ANSWER_SECONDS", 0.05)
    made = JackClient(said=said.append)
    assert not made.there and not made.there, "nobody waits for it for ever"
    assert len(asked) == 1 and len(said) == 1 and "does not answer" in said[0]
    answers.set()
    wait_for(lambda: made.there if there_later else said[-1] == "" or (made.there, False)[1])
    assert said[1:] == [""] and made.joined == there_later
    made.close()


def test_a_name_that_changed_while_the_server_did_not_answer_is_the_one_that_counts(jack_server, monkeypatch):
    answers = threading.Event()
    monkeypatch.setattr(jack_client, "open_client", lambda name: (answers.wait(20.0), open_client(name))[1])
    monkeypatch.setattr(jack_client, "_ANSWER_SECONDS", 0.05)
    made = JackClient()
    assert not made.there
    made.rename("Lamplighter")
    answers.set()
    wait_for(lambda: made.there)
    assert made.client.name == "Lamplighter"
    made.close()


@contextmanager
def standing_still(name):
    """The server of a name, which does nothing meanwhile."""
    found = subprocess.run(["pgrep", "-n", "-f", f"jackd .*-n {name} "], capture_output=True, text=True, check=True)
    pid = int(found.stdout.split()[0])
    os.kill(pid, signal.SIGSTOP)
    try:
        yield
    finally:
        os.kill(pid, signal.SIGCONT)


@pytest.mark.parametrize("joined", [True, False])
def test_a_server_that_stands_still_is_taken_up_when_it_goes_on(monkeypatch, joined):
    for name in ("_ANSWER_SECONDS", "_LEAVE_SECONDS", "_STALLED_SECONDS"):
        monkeypatch.setattr(jack_client, name, 0.2)
    said = []
    with server("arpegon-test", PERIOD) as name:
        made = JackClient(said=said.append)
        assert not joined or made.there
        with standing_still(name):
            wait_for(lambda: not made.there and said and "does not answer" in said[-1])
        wait_for(lambda: made.there and said[-1] == "")
        made.close()
