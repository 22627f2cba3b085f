"""What a section's beginning says to the transport, to the clocks that are sent, and to metronomes."""

from __future__ import annotations

import pytest

from arpegon.core.document import edits
from arpegon.core.document.model import ClickSource, ClockSettings, Held, Section, SectionClock
from arpegon.core.document.sections import seconds_of
from arpegon.core.events import note_on
from arpegon.core.time.ticks import CONTINUE, POSITION, START, STOP, TICK
from arpegon.engine.simulation import Engine
from arpegon.processors.facts import loose_ends
from building import Recording, generator, note_ons, project, strand

RING = [[{"note": 60 + step, "length": 0.2} for step in range(3)]]


def walk(**values):
    return generator("steps", "s", patterns=RING, rate="1/4", in_scale=False, **values)


def piece(*sections, **changes):
    """Sections of one bar each, 2 s long."""
    made = tuple(Section(id=f"s{place}", name=f"S{place}", bars=1, **one) for place, one in enumerate(sections))
    return project(strand(sources=(walk(),)), sections=made, **changes)


class Clocks(Recording):
    """Keeps what is sent to each output."""

    def __init__(self):
        super().__init__()
        self.sent: dict[str, list[tuple[float, bytes]]] = {}

    def port(self, port, events):
        self.sent.setdefault(port, []).extend((round(event.time, 4), event.to_bytes()) for event in events)

    def words(self, port):
        """All but ticks."""
        return [(time, message[0]) for time, message in self.sent.get(port, []) if message[0] != TICK]


def at_work(one, until, start=0.0):
    out = Clocks()
    engine = Engine(out)
    engine.apply(one, {}, 0.0)
    engine.play(0.0, start)
    engine.run(until)
    return engine, out


def played(out):
    return [(round(event.time, 4), event.data1 - 60) for event in note_ons(out.out)]


def test_what_goes_on_goes_over_the_line_and_what_begins_anew_begins_at_its_first_step():
    _, out = at_work(piece({}, {}), 2.9)
    assert [note for _, note in played(out)] == [0, 1, 2, 0, 1, 2]
    _, out = at_work(piece({}, {"transport": "anew"}), 2.9)
    # Steps are counted on the piece's beats, so the walk is where it was; what draws and plays is let go and begins.
    assert [time for time, _ in played(out)] == [0.0, 0.5, 1.0, 1.5, 2.0, 2.5]


def test_the_transport_stops_where_a_section_says_so_and_goes_on_from_there():
    one = piece({}, {"transport": "stop"}, {})
    engine, out = at_work(one, 3.5)
    assert not engine.clock.playing and engine.clock.beat == 4.0 and engine.sections.place == 1
    assert [time for time, _ in played(out)] == [0.0, 0.5, 1.0, 1.5]
    assert seconds_of(one) == 2.0, "a render ends there"
    engine.play(4.0)
    engine.run(5.9)
    assert [time for time, _ in played(out)][4:] == [4.0, 4.5, 5.0, 5.5]


@pytest.mark.parametrize("on_stop", ["stay", "start"])
def test_a_section_that_stops_can_be_gone_to(on_stop):
    engine, _ = at_work(piece({}, {}, {"transport": "stop"}, on_stop=on_stop), 0.6)
    engine.sections.go(2, 0.6)
    engine.run(3.0)
    assert not engine.clock.playing and engine.clock.beat == 8.0 and engine.sections.place == 2


def test_a_piece_whose_first_section_stops_begins_all_the_same():
    one = piece({"transport": "stop"}, {"then": "top"})
    engine, out = at_work(one, 9.0)
    assert len(played(out)) == 8 and not engine.clock.playing and engine.clock.beat == 0.0
    assert seconds_of(one) == 4.0


def clocked(*sections):
    made = tuple({"clocks": tuple(SectionClock(port=port, way=way) for port, way in one.items())} for one in sections)
    return piece(*made, clock=ClockSettings(send=("Box", "Drum")))


def test_clocks_start_anew_rest_and_go_on_each_for_itself():
    one = clocked({}, {"Drum": "anew", "Box": "stop"}, {"Drum": "stop"}, {})
    engine, out = at_work(one, 7.9)
    assert out.words("Drum") == [
        (0.0, START),
        (2.0, STOP),
        (2.0, START),
        (4.0, STOP),
        (6.0, POSITION),
        (6.0, CONTINUE),
    ]
    assert out.words("Box") == [(0.0, START), (2.0, STOP), (4.0, POSITION), (4.0, CONTINUE)]
    # Eight sixteenths after it began anew at bar 2; the box counts from the start of the piece.
    assert (6.0, bytes((POSITION, 32, 0))) in out.sent["Drum"]
    assert (4.0, bytes((POSITION, 32, 0))) in out.sent["Box"]
    for port in ("Box", "Drum"):
        ticks = [time for time, message in out.sent[port] if message[0] == TICK]
        assert len(ticks) == len(set(ticks)) == 16 * 24 - 4, "ticks go on through it all"
        start = out.sent[port].index((0.0, bytes((START,))))
        assert out.sent[port][start + 1][1] == bytes((TICK,))
    begins = out.sent["Drum"].index((2.0, bytes((START,))))
    assert out.sent["Drum"][begins + 1] == (2.0, bytes((TICK,))), "it starts with the tick of the line"
    engine.stop(7.9)
    assert out.words("Drum")[-1] == (7.9, STOP)


def test_a_clock_that_rests_stays_silent_when_the_piece_starts_there():
    _, out = at_work(clocked({}, {"Drum": "stop"}, {}), 2.5, start=4.0)
    assert out.words("Drum") == [(2.0, POSITION), (2.0, CONTINUE)]
    assert out.words("Box")[1] == (0.0, CONTINUE)


def test_a_start_in_the_middle_of_what_began_anew_counts_from_there():
    _, out = at_work(clocked({}, {"Drum": "anew"}), 1.5, start=5.0)
    assert out.sent["Drum"][0] == (0.0, bytes((POSITION, 4, 0)))
    assert out.sent["Box"][0] == (0.0, bytes((POSITION, 20, 0)))


def test_a_section_that_is_repeated_lets_its_clock_start_each_time():
    one = clocked({"Drum": "anew"})
    one = edits.set_section(one, "s0", then="again")
    _, out = at_work(one, 5.9)
    assert out.words("Drum") == [(0.0, START), (2.0, STOP), (2.0, START), (4.0, STOP), (4.0, START)]


def test_a_clock_that_is_not_sent_is_said():
    one = edits.set_project(clocked({"Drum": "anew"}), clock=ClockSettings())
    assert [text for text in loose_ends(one) if "clock" in text and "Drum" in text]


def test_sections_say_which_metronome_sounds():
    sources = (ClickSource(), ClickSource(bar_note=60, beat_note=60))
    quiet = [Held(target="a", param=f"sources.{number}.muted", value=True) for number in (1, 2)]
    made = (
        Section(id="a0", name="A", bars=1, holds=(quiet[1],)),
        Section(id="b0", name="B", bars=1, holds=(quiet[0],)),
        Section(id="c0", name="C", bars=1, holds=tuple(quiet)),
        Section(id="d0", name="D", bars=1),
    )
    _, out = at_work(project(strand(sources=sources), sections=made), 7.9)
    bars = {}
    for event in note_ons(out.out):
        bars.setdefault(int((event.time + 1e-5) // 2), set()).add(event.data1)
    assert bars == {0: {76, 77}, 1: {60}, 3: {60, 76, 77}}


@pytest.mark.parametrize(("beats", "unit", "bar"), [(1, "32", 0.125), (17, "8", 8.5), (32, "1", 128.0)])
def test_odd_meters_hold(beats, unit, bar):
    meter = (Held(param="meter_beats", value=beats), Held(param="meter_unit", value=unit))
    made = (
        Section(id="a0", name="A", bars=3, holds=meter),
        Section(id="b0", name="B", bars=1, holds=meter, clocks=(SectionClock(port="Box"),)),
    )
    one = project(
        strand(sources=(ClickSource(), *strand().sources)),
        sections=made,
        tempo=240.0,
        clock=ClockSettings(send=("Box",)),
    )
    engine, out = at_work(one, 0.0)
    engine.run(bar - 1e-4)
    assert engine.sections.place == (1 if bar == 0.0 else 0) or bar * 3 / 4 < bar
    firsts = [round(event.time * 4, 4) for event in note_ons(out.out) if event.data1 == 76]
    assert firsts == [round(bar * place, 4) for place in range(4)]
    assert (round(3 * bar / 4, 4), bytes((START,))) in out.sent["Box"]
    engine.feed("surface", note_on(engine.now, 0, 60, 90))
    engine.finish(engine.now)
