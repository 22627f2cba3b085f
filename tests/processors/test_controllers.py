"""The controller stages: convert, fan, stairs, smooth, LFO, contour."""

from __future__ import annotations

import math
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.document import edits
from arpegon.core.document.model import StrandDestination, SurfaceSource
from arpegon.core.events import BEND, CONTROL, NOTE_ON, PEDALS, Event, bend, control, note_off, note_on, pressure
from arpegon.core.processing.processor import Context
from arpegon.core.processing.values import coarse, curve, fine, placed, stair
from arpegon.engine.offline import run
from arpegon.engine.simulation import Engine
from arpegon.processors.stages.contour import Contour
from arpegon.processors.stages.lfo import Lfo
from building import Recording, generator, note_ons, notes, out_of, project, stage, strand


def cc(events, number=None):
    return [
        (round(event.time, 3), event.data1, event.data2)
        for event in events
        if event.kind == CONTROL and number in (None, event.data1)
    ]


def values(events, number):
    return [value for _, _, value in cc(events, number)]


# -- values ------------------------------------------------------------------------------------------


@given(st.integers(0, 16383))
def test_fourteen_bits_are_read_and_written_back(bits):
    assert fine(coarse(bits)) == bits


def test_the_middle_of_a_bend_is_64_and_ranges_may_be_reversed_or_without_width():
    assert (fine(0), fine(64), fine(127)) == (0, 8192, 16383)
    assert placed(32, 127, 0) == pytest.approx(95 / 127) and placed(5, 10, 20) == 0.0
    assert [placed(value, 64, 64) for value in (0, 63, 64, 127)] == [0, 0, 1, 1]
    assert [stair(share, 3) for share in (0.0, 0.3, 0.34, 0.7, 1.0)] == [0, 0, 0.5, 1, 1]


@pytest.mark.parametrize("shape", ["straight", "soft", "hard", "drawn"])
def test_curves_keep_their_ends(shape):
    bent = curve(shape, [[0, 0], [64, 20], [127, 127]])
    assert bent(0.0) == 0.0 and bent(1.0) == pytest.approx(1.0)
    assert {"straight": 0.5, "soft": 0.707, "hard": 0.25, "drawn": 0.157}[shape] == pytest.approx(bent(0.5), abs=0.01)
    assert curve("drawn", [[50, 90]])(0.1) == curve("drawn", [[50, 90]])(0.9) == pytest.approx(90 / 127)


# -- convert -----------------------------------------------------------------------------------------


def test_channel_pressure_becomes_a_controller():
    played = [
        note_on(0, 0, 60, 90),
        pressure(0.1, 0, 50),
        pressure(0.2, 0, 127),
        pressure(0.3, 0, 0),
        note_off(0.3, 0, 60),
    ]
    made = out_of(stage("convert", source="pressure", to_number=1), played=played)
    assert cc(made) == [(0.1, 1, 50), (0.2, 1, 127), (0.3, 1, 0)] and len(made) == 5


def test_a_wrong_pedal_becomes_the_right_one_and_all_else_passes():
    played = [control(0, 0, 8, 20), *notes(60), control(0.5, 0, 7, 99), bend(0.6, 0, 100), bend(0.7, 0, 0)]
    made = out_of(stage("convert", number=8, to_number=11), played=played)
    assert cc(made) == [(0.0, 11, 20), (0.5, 7, 99)] and len(made) == 6
    only = out_of(stage("convert", number=8, to_number=11, others="block"), played=played)
    assert cc(only) == [(0.0, 11, 20)] and len(only) == 1
    both = out_of(stage("convert", number=8, to_number=11, original="pass"), played=played[:1])
    assert cc(both) == [(0.0, 8, 20), (0.0, 11, 20)]


def test_velocity_reversed_with_release_held_moves_a_drawbar():
    chain = stage("convert", source="velocity", to_number=75, out_low=127, out_high=0, release="hold")
    played = [*notes(60, velocity=127), *[event.at(event.time + 1.0) for event in notes(62, velocity=1)]]
    made = out_of(chain, played=played)
    assert values(made, 75) == [0, 126] and len(note_ons(made)) == 2, "the notes pass, and no end resets it"
    made = out_of(stage("convert", source="velocity", to_number=75, release="set", release_value=9), played=notes(60))
    assert values(made, 75) == [100, 9]
    made = out_of(stage("convert", source="velocity", to_number=75, original="block"), played=notes(60))
    assert made == [control(0.0, 0, 75, 100)]


def test_a_release_of_a_controller_can_be_kept_out():
    played = [control(0.1, 0, 1, 90), control(0.2, 0, 1, 0)]
    assert values(out_of(stage("convert", release="follow"), played=played), 11) == [90, 0]
    for way in ("hold", "ignore"):
        assert values(out_of(stage("convert", release=way), played=played), 11) == [90]
    assert values(out_of(stage("convert", release="set", release_value=40), played=played), 11) == [90, 40]
    assert values(out_of(stage("convert", ignored=[90]), played=played), 11) == [0]


def test_a_held_release_stops_a_glide_and_an_ignored_one_does_not():
    played = [control(0.0, 0, 1, 1), control(0.1, 0, 1, 127), control(0.6, 0, 1, 0)]
    held = values(out_of(stage("convert", smooth_ms=1000, release="hold"), played=played), 11)
    goes_on = values(out_of(stage("convert", smooth_ms=1000, release="ignore"), played=played), 11)
    assert held[-1] == pytest.approx(64, abs=2) and goes_on[-1] == 127
    assert held == sorted(set(held)), "upwards, and no value twice"


def test_notes_that_follow_get_the_velocity_of_a_controller():
    chain = stage("convert", source="cc", number=11, target="velocity", out_low=40, out_high=100)
    for value, wanted in ((127, [100, 100]), (0, [100, 40])):
        played = [*notes(60), control(0.45, 0, 11, value), *[event.at(event.time + 0.5) for event in notes(62)]]
        assert [event.data2 for event in note_ons(out_of(chain, played=played))] == wanted


def test_key_pressure_goes_to_the_keys_that_are_down():
    played = [note_on(0, 0, 60, 90), note_on(0, 0, 64, 90), control(0.1, 0, 1, 70), note_off(0.2, 0, 60)]
    made = out_of(stage("convert", target="poly"), played=[*played, control(0.3, 0, 1, 80), note_off(0.4, 0, 64)])
    found = [(event.data1, event.data2) for event in made if event.kind == 0xA0]
    assert found == [(60, 70), (64, 70), (64, 80)]


def test_fine_controllers_and_bends():
    made = out_of(
        stage("convert", source="bend", target="cc14", to_number=2), played=[bend(0.1, 3, 1000), bend(0.2, 3, 0)]
    )
    found = [(event.channel, event.data1, event.data2) for event in made]
    assert found == [(3, 2, 9192 >> 7), (3, 34, 9192 & 127), (3, 2, 64), (3, 34, 0)]
    made = out_of(stage("convert", target="bend", to_channel=5), played=[control(0.1, 0, 1, 64)])
    assert made == [bend(0.1, 4, 0)]
    made = out_of(stage("convert", levels=3), played=[control(place / 10, 0, 1, place * 10) for place in range(13)])
    assert values(made, 11) == [0, 64, 127]


# -- smooth and stairs -------------------------------------------------------------------------------


def test_smooth_goes_up_and_down_at_its_own_speeds():
    played = [control(0.0, 0, 1, 0), control(1.0, 0, 1, 127), control(3.0, 0, 1, 0)]
    made = cc(out_of(stage("smooth", up_ms=500, down_ms=1500), played=[*played, control(9.0, 0, 9, 1)]), 1)
    up = [entry for entry in made if 1.0 <= entry[0] < 3.0]
    down = [entry for entry in made if 3.0 <= entry[0] < 9.0]
    assert up[-1] == (1.5, 1, 127) and down[-1][0] == pytest.approx(4.5, abs=0.01) and down[-1][2] == 0
    assert all(after[2] > before[2] and after[0] - before[0] >= 0.0039 for before, after in pairwise(up))
    assert all(value == pytest.approx((time - 1.0) / 0.5 * 127, abs=1.1) for time, _, value in up)


def test_pedals_and_structured_messages_are_never_smoothed():
    played = [control(0.1, 0, number, value) for number in (*PEDALS, 6, 38, 101) for value in (127, 0)]
    assert out_of(stage("smooth"), stage("stairs"), played=played) == played


@given(st.lists(st.integers(0, 127), min_size=1, max_size=40), st.integers(2, 64), st.integers(0, 90))
def test_stairs_stand_only_on_levels_and_reach_both_ends(moves, count, hysteresis):
    played = [control(place * 0.01, 0, 1, value) for place, value in enumerate([*moves, 127, 0])]
    found = values(out_of(stage("stairs", levels=count, hysteresis=hysteresis), played=played), 1)
    allowed = {round(level / (count - 1) * 127) for level in range(count)}
    assert set(found) <= allowed and found[-1] == 0 and max(found) == 127
    assert all(before != after for before, after in pairwise(found))


def test_a_trembling_knob_does_not_flutter():
    trembling = [63, 64, 63, 65, 63, 64] * 5
    played = [control(place * 0.01, 0, 1, value) for place, value in enumerate(trembling)]
    assert len(values(out_of(stage("stairs", levels=2, hysteresis=25), played=played), 1)) == 2
    assert len(values(out_of(stage("stairs", levels=2, hysteresis=0), played=played), 1)) > 10


@pytest.mark.parametrize("hysteresis", [0, 90])
def test_hysteresis_delays_a_change_of_direction_and_no_ramp(hysteresis):
    ramp = [*range(101), *range(99, -1, -1)]
    played = [control(place * 0.01, 0, 1, value) for place, value in enumerate(ramp)]
    made = cc(out_of(stage("stairs", levels=4, hysteresis=hysteresis), played=played), 1)
    found = [(ramp[round(time / 0.01)], level) for time, _, level in made]
    up, turned = [(0, 0), (32, 42), (64, 85), (96, 127)], 71 if hysteresis else 95
    assert found == [*up, (turned, 85), (63, 42), (31, 0)]


def test_the_halves_of_a_controller_of_fourteen_bits_move_as_one_value():
    """A ramp of fourteen bits, sent in pairs, whose low halves run over again and again."""
    played = []
    for place in range(0, 16384, 40):
        time = place / 16384
        played += [control(time, 0, 1, place >> 7), control(time, 0, 33, place & 127)]
    made = out_of(stage("smooth", up_ms=500, down_ms=500), played=played)
    high, low, found = 0, 0, []
    for event in made:
        high, low = (event.data2, 0) if event.data1 == 1 else (high, event.data2)
        if event.data1 == 33:
            found.append(high << 7 | low)
    assert found == sorted(found) and len(found) > 100
    stairs = out_of(stage("stairs", levels=4, hysteresis=0), played=played)
    assert [event.data2 for event in stairs if event.data1 == 1] == [0, 0, 42, 84, 127]
    alone = [control(0.1, 0, 40, 0), control(0.2, 0, 40, 127)]
    assert len(out_of(stage("smooth"), played=[*alone, control(1.0, 0, 40, 127)])) > 10, (
        "no half without its other half"
    )


# -- fan ---------------------------------------------------------------------------------------------


def test_a_fan_drives_several_along_their_curves():
    shapes = [
        [
            {"number": 20, "low": 10, "high": 110},
            {"number": 21, "points": [[0, 127], [127, 0]], "channel": 5},
            {"number": 22, "rests": True},
            {"target": "bend", "points": [[0, 64], [127, 127]]},
        ]
    ]
    made = out_of(stage("fan", shapes=shapes), played=[control(0.1, 0, 1, 127)])
    assert [(event.status, event.data1, event.data2) for event in made] == [
        *((CONTROL, 20, 110), (CONTROL | 4, 21, 0), (BEND, 127, 127)),
    ]


def test_another_shape_moves_all_to_where_the_position_puts_them():
    shapes = [[{"number": 20}], [{"number": 20, "points": [[0, 127], [127, 0]]}]]
    engine = Engine(Recording())
    now = project(strand(stage("fan", "f", shapes=shapes)))
    engine.apply(now, {}, 0.0)
    engine.feed("surface", control(0.1, 0, 1, 100))
    engine.run(0.2)
    engine.apply(edits.set_params(now, "f", {"shape": 2}), {}, 0.3)
    engine.run(0.4)
    assert values(engine.graph.outputs.out, 20) == [100, 27]


# -- LFO and contour ---------------------------------------------------------------------------------


def waves(seconds=4.0, tempo=120.0, **params):
    return run(project(strand(stage("lfo", **params)), tempo=tempo), [], seconds=seconds).strands.get("a", [])


@pytest.mark.parametrize("hysteresis", [0, 25, 90])
def test_a_ramp_over_four_bars_in_eight_stairs(hysteresis):
    chain = (stage("lfo", wave="ramp-up", rate="4 bars"), stage("stairs", levels=8, hysteresis=hysteresis))
    made = cc(run(project(strand(*chain), tempo=120.0), [], seconds=7.9).strands["a"], 1)
    assert [value for _, _, value in made] == [round(level / 7 * 127) for level in range(8)]
    assert [time for time, _, _ in made] == pytest.approx([float(level) for level in range(8)], abs=1e-5)


WAVES = ["sine", "triangle", "ramp-up", "ramp-down", "square", "hold", "random", "drawn"]


@given(st.sampled_from(WAVES), st.integers(0, 99))
def test_no_value_is_sent_twice_and_not_too_many(wave, seed):
    made = cc(waves(wave=wave, seed=seed, low=20, high=90, most=50))
    assert made and all(before[2] != after[2] for before, after in pairwise(made))
    assert all(20 <= value <= 90 for _, _, value in made) and len(made) <= 4 * 50 + 1
    assert all(after[0] - before[0] >= 0.019 for before, after in pairwise(made))


def test_a_sine_is_one_and_begins_at_the_bottom():
    made = cc(waves(seconds=2.0, wave="sine", rate="1 bar", most=200))
    assert all(abs(value - 127 * (0.5 - 0.5 * math.cos(math.pi * time))) < 1.5 for time, _, value in made)


def test_rates_in_hertz_and_phases_and_fades():
    square = cc(waves(seconds=1.9, wave="square", unit="hz", hz=1.0, width=25))
    assert [value for _, _, value in square] == [127, 0, 127, 0]
    assert [time for time, _, _ in square] == pytest.approx([0.0, 0.25, 1.0, 1.25], abs=0.02)
    half = cc(waves(seconds=0.1, wave="ramp-up", unit="hz", hz=1.0, phase=180))
    assert half[0][2] == 64
    faded = cc(waves(seconds=2.0, wave="square", unit="hz", hz=5.0, fade_s=2.0))
    assert max(value for time, _, value in faded if time < 0.5) < 40 < max(value for time, _, value in faded)


def test_how_a_wave_starts():
    assert cc(waves(seconds=1.0, starts="free")) == cc(waves(seconds=1.0, starts="play"))
    assert waves(seconds=1.0, starts="note") == []
    chain = stage("lfo", wave="ramp-up", unit="hz", hz=1.0, starts="note")
    made = run(project(strand(chain)), notes(60, 62, gap=0.7, length=0.5), seconds=1.3).strands["a"]
    began = [time for time, _, value in cc(made) if value == 0]
    assert began == pytest.approx([0.0, 0.7], abs=0.02)
    engine = Engine(Recording())
    both = (stage("lfo", starts="play"), stage("lfo", "free", starts="free", to_number=2))
    engine.apply(project(strand(*both)), {}, 0.0)
    engine.run(2.0)
    assert {event.data1 for event in engine.graph.outputs.out} == {2}


def test_what_a_wave_meets_passes_and_a_bypass_is_not_made_up_for():
    made = run(project(strand(stage("lfo"))), notes(60), seconds=1.0).strands["a"]
    assert [event for event in made if event.kind != CONTROL] == notes(60)
    engine = Engine(Recording())
    now = project(strand(stage("lfo", "w", starts="free", most=100, unit="hz", hz=3.0)))
    engine.apply(now, {}, 0.0)
    engine.run(1.0)
    engine.apply(edits.set_bypass(now, "w", True), {}, 1.0)
    engine.run(5.0)
    count = len(engine.graph.outputs.out)
    engine.apply(now, {}, 5.0)
    engine.run(5.05)
    assert 0 < len(engine.graph.outputs.out) - count <= 6


def test_a_contour_of_free_points_holds_or_glides_between_them_and_comes_round():
    points = [[16, 10], [64, 110], [96, 60]]

    def share(way, phase):
        return Contour({"drawn": "points", "points": points, "way": way}, Context()).share(phase) * 127.0

    held = [share("hold", phase) for phase in (0.0, 0.124, 0.126, 0.49, 0.51, 0.76, 0.99, 1.2)]
    assert held == pytest.approx([60, 60, 10, 10, 110, 60, 60, 10])
    assert share("glide", 0.3125) == pytest.approx(60.0)
    assert share("glide", 0.9375) == pytest.approx(35.0) and share("glide", 3.9375) == pytest.approx(35.0)
    assert Contour({"drawn": "points", "points": [[0, 40]]}, Context()).share(0.7) * 127.0 == pytest.approx(40.0)
    assert Contour({"drawn": "points", "points": []}, Context()).share(0.7) == 0.0


def test_held_points_are_met_on_their_beats():
    contour = stage("contour", drawn="points", points=[[0, 5], [64, 90], [96, 20]], length="1 bar")
    made = cc(run(project(strand(contour), tempo=120.0), [], seconds=3.9).strands["a"])[:6]
    assert [value for _, _, value in made] == [5, 90, 20, 5, 90, 20]
    assert [time for time, _, _ in made] == pytest.approx([0.0, 1.0, 1.5, 2.0, 3.0, 3.5], abs=1e-6)


def test_a_contour_lays_its_steps_over_bars():
    chain = stage("contour", steps=[0, 127, 64, 32], length="2 bars")
    made = cc(run(project(strand(chain), tempo=120.0), [], seconds=6.0).strands["a"])[:5]
    assert [value for _, _, value in made] == [0, 127, 64, 32, 0]
    assert [time for time, _, _ in made] == pytest.approx([0.0, 1.0, 2.0, 3.0, 4.0], abs=0.02)
    glide = stage("contour", steps=[0, 100], length="1 bar", way="glide")
    line = cc(run(project(strand(glide), tempo=120.0), [], seconds=0.99).strands["a"])
    assert all(value == pytest.approx(time * 100, abs=1.5) for time, _, value in line) and len(line) > 30


# -- generators and grid -----------------------------------------------------------------------------


def test_only_the_controllers_of_a_generator_merged_with_notes_from_a_keyboard():
    """The notes of one strand are kept out, its controllers go into another that is played by hand."""
    chain = (stage("convert", source="velocity", to_number=74), stage("sieve", kinds=["notes"]))
    steps = generator("steps", patterns=[[{"velocity": 40}, {"velocity": 90}]])
    first = strand(*chain, sources=(steps,), destinations=(StrandDestination(strand="b"),))
    second = strand(strand_id="b", sources=(SurfaceSource(),))
    made = run(project(first, second), notes(60, 62), seconds=2.0).strands["b"]
    assert [event.data1 for event in made if event.kind == NOTE_ON] == [60, 62]
    assert set(values(made, 74)) == {40, 90}


def test_controllers_fall_on_sixteenths():
    played = [control(0.01 + place * 0.037, 0, 1, place) for place in range(20)]
    played += [pressure(0.3, 0, 40), bend(0.31, 0, 99), pressure(0.99, 0, 0), bend(0.99, 0, 0)]
    played.sort(key=lambda event: event.time)
    made = out_of(stage("grid", controllers=True, catch=0), played=played, tempo=120.0)
    assert all(abs(event.time / 0.125 - round(event.time / 0.125)) < 1e-6 for event in made)
    turned = [(round(event.time / 0.125), event.data2) for event in made if event.kind == CONTROL]
    assert turned == [(1, 3), (2, 6), (3, 9), (4, 13), (5, 16), (6, 19)], "of each cell the last value"
    assert [event.data1 for event in made if event.kind != CONTROL] == [40, 99, 0, 0]


BANK = [control(0.02, 0, 0, 1), control(0.03, 0, 32, 2), Event(0.04, 0xC0, 7)]
PEDAL = [control(0.03, 0, 64, 127), control(0.06, 0, 64, 0)]
TWICE = [note_on(0.03, 0, 60, 90), note_off(0.05, 0, 60), note_on(0.07, 0, 60, 80), note_off(0.09, 0, 60)]


@pytest.mark.parametrize(
    ("played", "found"),
    [
        (BANK, [(0.125, 0xB0), (0.125, 0xB0), (0.125, 0xC0)]),  # a program does not overtake its bank
        (PEDAL, [(0.125, 0xB0), (0.155, 0xB0)]),  # a pedal is down as long as it was
        (TWICE, [(0.125, 0x90), (0.145, 0x80), (0.25, 0x90), (0.27, 0x80)]),  # the second one takes the next line
        ([note_on(0.13, 0, 60, 90), note_off(0.2, 0, 60)], [(0.13, 0x90), (0.2, 0x80)]),  # a little late: at once
        ([control(0.13, 0, 1, 9)], [(0.13, 0xB0)]),
    ],
    ids=["bank", "pedal", "one key twice", "late", "late controller"],
)
def test_what_falls_on_the_lines_keeps_its_sense(played, found):
    made = out_of(stage("grid", controllers=True), played=played, tempo=120.0)
    assert [(round(event.time, 6), event.status) for event in made] == found


@pytest.mark.parametrize(
    ("before", "after", "tempo"),
    [
        ({"unit": "hz", "hz": 0.5}, {"unit": "hz", "hz": 0.9}, 120.0),
        ({"unit": "note", "rate": "1 bar"}, {"unit": "note", "rate": "1/2"}, 120.0),
        ({"unit": "note", "rate": "1 bar"}, {"unit": "note", "rate": "1 bar"}, 190.0),
    ],
)
def test_another_rate_or_tempo_goes_on_from_where_the_lfo_is(before, after, tempo):
    def document(settings, at):
        return project(strand(stage("lfo", "l", wave="ramp-up", starts="free", most=200, **settings)), tempo=at)

    out = Recording()
    engine = Engine(out)
    engine.apply(document(before, 120.0), {}, 0.0)
    engine.play(0.0, 0.0)
    engine.run(1.2)
    last = out.out[-1].data2
    engine.apply(document(after, tempo), {}, 1.2)
    engine.run(1.25)
    assert all(0 <= later.data2 - last <= 12 for later in out.out if later.time >= 1.2) and out.out[-1].time > 1.2


def of_lfo(seconds, **params):
    return run(project(strand(stage("lfo", to_number=1, **params))), [], seconds=seconds).strands["a"]


def changes(made):
    """When each value of CC 1 came, in beats (at 120 a minute), and which."""
    return [(event.time * 2.0, event.data2) for event in made if event.kind == CONTROL and event.data1 == 1]


@given(st.sampled_from(("square", "hold")), st.sampled_from(("1/4", "1/8T", "1 bar")), st.integers(20, 80))
def test_edges_fall_where_they_are_to_the_microsecond(wave, rate, width):
    made = of_lfo(8.0, wave=wave, rate=rate, width=width)
    length = {"1/4": 1.0, "1/8T": 1 / 3, "1 bar": 4.0}[rate]
    share = width / 100.0 if wave == "square" else 0.0
    found = changes(made)
    assert len(found) > 2
    for beat, _ in found[1:]:
        at = beat / length % 1.0
        assert min(abs(at - edge) for edge in (0.0, 1.0, share)) * length < 1e-5


def test_every_value_of_a_slow_ramp_comes_when_it_is_reached():
    made = of_lfo(7.9, wave="ramp-up", rate="4 bars")
    for beat, value in changes(made)[1:]:
        assert beat == pytest.approx(value / 128.0 * 16.0, abs=1e-5)


BETWEEN = {
    "the same controller": (control(1.0, 0, 11, 90), True),
    "a reset": (control(1.0, 0, 121, 0), True),
    "all notes off": (control(1.0, 0, 123, 0), True),
    "a program": (Event(1.0, 0xC0, 5), True),
    "another channel's": (control(1.0, 3, 11, 90), False),
    "another controller": (control(1.0, 0, 12, 90), False),
}


@pytest.mark.parametrize("between", BETWEEN)
@pytest.mark.parametrize(
    "one",
    [
        stage("convert", source="cc", number=8, target="cc", to_number=11),
        stage("fan", source="cc", number=8, shapes=[[{"target": "cc", "number": 11}]]),
    ],
    ids=["convert", "fan"],
)
def test_a_value_is_sent_again_after_another_one_passed_there(one, between):
    event, again = BETWEEN[between]
    made = out_of(one, played=[control(0.0, 0, 8, 50), event, control(2.0, 0, 8, 50)])
    sent = [other.time for other in made if other.status == 0xB0 and other.data1 == 11 and other.time != 1.0]
    assert sent == ([0.0, 2.0] if again else [0.0])


@pytest.mark.parametrize("count", [4, 16, 64])
def test_lfos_in_a_row_pass_on_what_others_sent_in_one_go(count, monkeypatch):
    looks = []
    real = Lfo.advance
    monkeypatch.setattr(Lfo, "advance", lambda self, until, out: (looks.append(1), real(self, until, out))[1])
    row = [stage("lfo", f"l{place}", to_number=place % 120) for place in range(count)]
    made = run(project(strand(*row)), [], seconds=3.0).strands["a"]
    assert len(made) > 100 * count, "each sends its own"
    assert len(looks) < 400 * count, "and does as much work however many stand above it"
