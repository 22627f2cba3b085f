"""Control over OSC: every address is set and watched, actions are done, and what cannot be is refused in a sentence."""

from __future__ import annotations

import logging
import socket

import msgspec
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pythonosc.osc_bundle_builder import IMMEDIATELY, OscBundleBuilder
from pythonosc.osc_message_builder import OscMessageBuilder
from pythonosc.osc_packet import OscPacket

from arpegon.core.document import edits
from arpegon.core.document.model import ClipSource, Held, Section
from arpegon.core.errors import ArpegonError
from arpegon.core.events import control, note_off, note_on
from arpegon.engine.live import osc
from arpegon.engine.live.osc import COMMANDS, OscServer, osc_page
from arpegon.engine.wire import protocol
from arpegon.processors.actions import ACTIONS
from arpegon.processors.targets import value_now
from building import generator, project, stage, strand
from jacking import wait_for

TIDE = project(
    strand(
        stage("transpose", "t", semitones=2),
        stage("scale", "s"),
        sources=(generator("steps", "walk"), ClipSource(id="clip", file="x.mid"), *strand().sources),
    ),
    sections=(Section(id="calm", name="Calm"),),
)


class Tablet:
    """Something that speaks OSC, and hears the answers."""

    def __init__(self, server):
        self.server = server
        self.socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.socket.bind(("127.0.0.1", 0))
        self.socket.settimeout(5.0)

    def send(self, address, *values):
        self.socket.sendto(message(address, *values).dgram, ("127.0.0.1", self.server.port))

    def hear(self):
        (timed,) = OscPacket(self.socket.recvfrom(65_536)[0]).messages
        return timed.message.address.removeprefix("/arpegon"), list(timed.message.params)

    def ask(self, address, *values):
        self.send(address, *values)
        return self.hear()


def message(address, *values):
    builder = OscMessageBuilder("/arpegon" + address if not address.startswith("//") else address[1:])
    for value in values:
        builder.add_arg(value)
    return builder.build()


@pytest.fixture
def sent():
    return []


@pytest.fixture
def server(sent):
    made = OscServer(sent.append, lambda action, target: sent.append((action, target)), 0)
    made.use(TIDE)
    yield made
    made.close()


@pytest.fixture
def tablet(server):
    made = Tablet(server)
    yield made
    made.socket.close()


@pytest.mark.parametrize(
    ("address", "value", "turned"),
    [
        ("/set/t/semitones", 7, ("t", "semitones", 7)),
        ("/set/t/semitones", -5.0, ("t", "semitones", -5)),
        ("/set/t/bypass", 1.0, ("t", "bypass", True)),
        ("/set/piece/tempo", 96.5, ("", "tempo", 96.5)),
        ("/set/s/scale", "dorian", ("s", "scale", "dorian")),
        ("/share/piece/tempo", 0.0, ("", "tempo", 20.0)),
        ("/share/a/muted", 1.0, ("a", "muted", True)),
        ("/set/walk/patterns.1.1.note", 64, ("walk", "patterns.1.1.note", 64)),
        ("/set/bells/level_db", -12.0, ("bells", "level_db", -12.0)),
        ("/set/a/sources.3.low_key", "C3", ("a", "sources.3.low_key", 48)),
        ("/set/clip/loop", 0, ("clip", "loop", False)),
        ("/set/calm/bars", 4, ("calm", "bars", 4)),
    ],
)
def test_every_kind_of_address_is_set(tablet, sent, address, value, turned):
    tablet.send(address, value)
    wait_for(lambda: sent)
    assert sent == [protocol.Turn(*turned)]


@pytest.mark.parametrize(
    ("address", "values", "words"),
    [
        ("/set/t/semitones", (999,), "Semitones"),
        ("/set/t/semitones", ("loud",), "Semitones"),
        ("/set/t/semitones", (), "one value"),
        ("/set/t/semitones", (1, 2), "one value"),
        ("/set/nobody/home", (1,), "nobody/home"),
        ("/share/t/semitones", (1.5,), "from 0 to 1"),
        ("/share/t/semitones", ("x",), "from 0 to 1"),
        ("/do/explode", (), "no action"),
        ("/do/bypass", (), "cannot be done with nothing"),
        ("/do/bypass/a", (), "cannot be done with “a”"),
        ("/do/play", ("x",), "a number"),
        ("/play/note", (60,), "2 or 3 numbers"),
        ("/play/note", (60, 300), "from 0 to 127"),
        ("/play/note", (60, 90, 17), "1 to 16"),
        ("/play/drum", (1,), "cannot be played"),
        ("/", (), "nothing at"),
        ("//else/where", (), "does not begin with /arpegon"),
        ("/get/t/colour", (), "t/colour"),
    ],
)
def test_what_cannot_be_is_answered_with_a_sentence(tablet, sent, address, values, words):
    answer, said = tablet.ask(address, *values)
    assert answer == "/refused" and words in said[0] and said[0].endswith(".") and not sent


def test_actions_are_done_and_a_button_that_is_let_go_does_nothing(tablet, sent):
    tablet.send("/do/play", 1.0)
    tablet.send("/do/play", 0.0)
    tablet.send("/do/section", 2)
    tablet.send("/do/bypass/t")
    tablet.send("/do/pattern/walk", 3.0)
    tablet.send("/do/keep")
    tablet.send("/do/toss/walk")
    wait_for(lambda: len(sent) == 6)
    assert sent == [
        protocol.Act("play"),
        protocol.Act("section", "", 2.0),
        protocol.Act("bypass", "t"),
        protocol.Act("pattern", "walk", 3.0),
        ("keep", ""),
        ("toss", "walk"),
    ]


def test_without_a_window_what_needs_one_is_refused(sent):
    alone = OscServer(sent.append, None, 0)
    try:
        assert "needs the window" in Tablet(alone).ask("/do/keep")[1][0]
    finally:
        alone.close()


def test_it_is_a_play_surface(tablet, sent):
    tablet.send("/play/note", 60, 90)
    tablet.send("/play/note", 60.0, 0.0, 3)
    tablet.send("/play/control", 11, 64)
    tablet.send("/play/bend", -1.0)
    tablet.send("/play/pressure", 127)
    wait_for(lambda: len(sent) == 5)
    events = [event.at(0.0) for feed in sent for event in feed.events]
    assert events[:3] == [note_on(0.0, 0, 60, 90), note_off(0.0, 2, 60), control(0.0, 0, 11, 64)]
    assert (events[3].data1, events[3].data2) == (0, 0) and events[4].data1 == 127
    assert {feed.name for feed in sent} == {"surface"}


def test_values_are_watched_whoever_changes_them(tablet, server):
    assert tablet.ask("/get/t/semitones") == ("/value/t/semitones", [2, pytest.approx(98 / 192, abs=0.2)])
    assert tablet.ask("/watch/piece/tempo")[1][0] == 120.0
    server.use(edits.set_project(TIDE, tempo=90.0))
    assert tablet.hear() == ("/value/piece/tempo", [90.0, pytest.approx(70 / 380)])
    server.take(protocol.Hooked([("", "", "tempo", 100.0, False)], {}, []))
    assert tablet.hear()[1][0] == 100.0
    other = Tablet(server)
    other.send("/set/piece/tempo", 111.0)
    assert tablet.hear()[1][0] == 111.0, "what another one turns, too"
    # A document that is edited elsewhere leaves what stands over it.
    server.use(edits.set_strand(edits.set_project(TIDE, tempo=90.0), "a", muted=True))
    tablet.send("/unwatch/piece/tempo")
    assert tablet.ask("/get/piece/tempo")[1][0] == 111.0
    server.use(edits.set_project(TIDE, tempo=70.0))
    assert tablet.ask("/watch/a/muted") == ("/value/a/muted", [False, 0.0])
    server.use(project())
    assert tablet.hear() == ("/gone/a/muted", [])


def telemetry(beat):
    known = {
        "now": 0.0,
        "worked_until": 0.0,
        "playing": True,
        "tempo": 120.0,
        "take_began": None,
        "passed": [],
        "meters": {},
    }
    return protocol.Telemetry(**known, health=protocol.Health(), beat=beat)


def test_values_are_those_that_are_heard_in_the_section_that_holds(tablet, server):
    sections = (
        Section(id="calm", name="Calm", bars=1, holds=(Held(target="t", param="semitones", value=5),)),
        Section(id="busy", name="Busy", bars=1),
    )
    piece = msgspec.structs.replace(TIDE, sections=sections)
    server.use(piece)
    server.take(telemetry(0.0))
    assert tablet.ask("/watch/t/semitones")[1][0] == 5
    server.take(telemetry(4.5))
    assert tablet.hear()[1][0] == 2, "the project's own"
    tablet.send("/set/t/semitones", 9)
    assert tablet.hear()[1][0] == 9
    server.take(telemetry(1.0))
    assert tablet.hear()[1][0] == 5
    server.take(protocol.Hooked([("calm", "t", "semitones", 7, False)], {}, []))
    assert tablet.hear()[1][0] == 7
    server.take(telemetry(4.5))
    assert tablet.hear()[1][0] == 9
    server.use(edits.set_params(piece, "t", {"semitones": 3}))
    assert tablet.hear()[1][0] == 3
    server.take(telemetry(1.0))
    assert tablet.hear()[1][0] == 7


def test_all_that_can_be_set_is_listed_and_can_be_had(tablet):
    tablet.send("/list")
    found = []
    while (answer := tablet.hear())[0] != "/end":
        found.append(answer[1][0])
    assert {"piece/tempo", "t/semitones", "walk/patterns.1.1.note", "a/muted", "bells/pan", "calm/bars"} <= set(found)
    assert len(found) == len(set(found))
    for path in found[::7]:
        target, _, param = path.partition("/")
        value = value_now(TIDE, "" if target == "piece" else target, param)
        answer = tablet.ask(f"/get/{path}")
        assert answer[0] == f"/value/{path}" and (answer[1][0] == pytest.approx(value) or not isinstance(value, float))


def test_a_flood_is_thinned_and_said_in_the_log(tablet, server, sent, caplog, monkeypatch):
    caplog.set_level(logging.WARNING)
    now = [1000.0]
    monkeypatch.setattr(osc.time, "monotonic", lambda: now[0])
    packet = message("/do/tap").dgram
    for _ in range(osc.FLOOD_LIMIT + 500):
        server.receive(packet, ("127.0.0.1", 9))
    assert len(sent) == osc.FLOOD_LIMIT
    now[0] += 1.0
    server.receive(packet, ("127.0.0.1", 9))
    assert len(sent) == osc.FLOOD_LIMIT + 1 and "500 OSC messages were left out" in caplog.text


@pytest.mark.parametrize(
    ("anywhere", "sender", "heard"),
    [
        (False, "127.0.0.1", True),
        (False, "192.168.0.7", False),
        (True, "192.168.0.7", True),
        (True, "10.1.2.3", True),
        (True, "8.8.8.8", False),
    ],
)
def test_strangers_are_refused_with_a_word_in_the_log(sent, caplog, anywhere, sender, heard):
    caplog.set_level(logging.WARNING)
    made = OscServer(sent.append, None, 0, anywhere)
    try:
        made.receive(message("/do/play").dgram, (sender, 9))
    finally:
        made.close()
    assert bool(sent) is heard and ("was refused" in caplog.text) is not heard


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(st.binary(max_size=200) | st.text(max_size=60).map(lambda text: b"/arpegon/" + text.encode()[:80] + b"\0,if\0"))
def test_junk_ends_nothing(server, junk):
    server.receive(junk, ("127.0.0.1", 9))
    assert server._thread.is_alive()


def test_after_junk_and_bundles_it_still_hears(tablet, server, sent):
    tablet.socket.sendto(b"\xff" * 900, ("127.0.0.1", server.port))
    bundle = OscBundleBuilder(IMMEDIATELY)
    for _ in range(2):
        bundle.add_content(message("/do/play"))
    tablet.socket.sendto(bundle.build().dgram, ("127.0.0.1", server.port))
    wait_for(lambda: len(sent) == 2)


def test_a_port_that_is_taken_is_said(server):
    with pytest.raises(ArpegonError, match=f"port {server.port}"):
        OscServer(lambda command: None, None, server.port)


def test_the_page_of_the_docs_has_every_command_and_action():
    page = osc_page()
    assert all(f"`/arpegon{one.address}`" in page for one in COMMANDS) and all(
        f"| `{name}` |" in page for name in ACTIONS
    )


def test_the_engine_turns_and_acts_and_tells_of_it():
    from arpegon.engine.simulation import Engine
    from building import Recording

    engine = Engine(Recording())
    engine.apply(TIDE, {}, 0.0)
    engine.turn(("t", "semitones"), 9)
    engine.turn(("t", "semitones"), "wild")
    engine.turn(("nobody", "home"), 1)
    engine.act("bypass", "t", None, 0.1)
    engine.act("play", "", None, 0.1)
    engine.act("keep", "", None, 0.1)
    found = engine.graph.project.find_stage("t")[1]
    assert found.params["semitones"] == 9 and found.bypass and engine.clock.playing
    assert engine.overlay.done["", ("t", "semitones")] == (9, False)


@pytest.mark.parametrize("number", [float("nan"), float("inf"), float("-inf")])
@pytest.mark.parametrize(
    ("address", "more"),
    [
        ("/do/section", ()),
        ("/do/start/walk", ()),
        ("/do/pattern/walk", ()),
        ("/play/bend", ()),
        ("/play/pressure", ()),
        ("/play/note", (60.0,)),
        ("/play/control", (7.0,)),
        ("/share/t/semitones", ()),
        ("/set/t/semitones", ()),
    ],
)
def test_what_is_no_number_is_refused_everywhere(tablet, sent, address, more, number):
    """NaN for a section silenced everything."""
    assert tablet.ask(address, *more, number)[0] == "/refused" and sent == []


def test_many_values_for_one_address_are_folded_and_the_last_one_arrives(tablet, sent, monkeypatch):
    monkeypatch.setattr(osc, "_SET_SECONDS", 0.2)
    for value in range(40):
        tablet.send("/set/t/semitones", value % 12)
    tablet.send("/set/piece/tempo", 90.0)
    wait_for(lambda: [one.value for one in sent if one.param == "semitones"][-1:] == [39 % 12])
    assert len(sent) < 12 and [one.value for one in sent if one.param == "tempo"] == [90.0]


def test_what_is_done_after_a_value_was_set_meets_that_value(tablet, sent):
    for value in (3, 4, 5):
        tablet.send("/set/t/semitones", value)
    tablet.send("/play/note", 60, 90)
    wait_for(lambda: any(isinstance(one, protocol.Feed) for one in sent))
    place = next(place for place, one in enumerate(sent) if isinstance(one, protocol.Feed))
    assert sent[place - 1].value == 5
