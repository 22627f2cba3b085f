"""Stories of renders: bars, beats and lengths are those that were heard, whatever turned the tempo on the way."""

from __future__ import annotations

import mido
import numpy as np
import pytest
import soundfile

from arpegon.core.document.model import (
    AudioSource,
    ClipSource,
    Held,
    Hookup,
    InstrumentDestination,
    PortDestination,
    Section,
    SectionMessage,
    StrandSource,
)
from arpegon.core.errors import ArpegonError
from arpegon.core.events import Event, control, note_off, note_on
from arpegon.core.notes.course import Course
from arpegon.files.midi import Track, format_song
from arpegon.files.project import save_project
from arpegon.files.song import Wish
from arpegon.rendering import render_project
from building import generator, project, stage, strand

TEMPO_BY_CC15 = Hookup(id="h", control="cc", number=15, param="tempo", in_low=0, in_high=127, out_low=0, out_high=127)
FOUR = [[{"note": 60 + place} for place in range(4)]]


def steps(**changes):
    return generator("steps", "st", rate="1/4", patterns=FOUR, in_scale=False, **changes)


def keys_on(*beats, length=0.5):
    return sorted(
        (one for beat in beats for one in (note_on(beat, 0, 60, 90), note_off(beat + length, 0, 60))),
        key=lambda event: event.time,
    )


def turned(beat, tempo):
    """What a knob sends that turns the tempo."""
    return control(beat, 0, 15, tempo)


@pytest.fixture
def render(tmp_path):
    """Renders a project as the command does; notes by strand, as beats and pitches."""

    def done(one, keys=(), **wish):
        save_project(one, tmp_path / "p.arpegon")
        if keys:
            (tmp_path / "keys.mid").write_bytes(format_song([Track("keys", tuple(keys))], Course()))
            wish.setdefault("midi_in", tmp_path / "keys.mid")
        list(render_project(Wish(project=tmp_path / "p.arpegon", midi_out=tmp_path / "out.mid", **wish)))
        done.file = mido.MidiFile(tmp_path / "out.mid", charset="utf-8")
        return {track.name: struck(track) for track in done.file.tracks[1:]}

    return done


def struck(track):
    beat, found = 0.0, []
    for message in track:
        beat += message.time / 960
        if message.type == "note_on":
            found.append((round(beat, 3), message.note))
    return found


def beats(rows):
    return [beat for beat, _ in rows]


@pytest.mark.parametrize(
    ("one", "wanted"),
    [
        (stage("echo", "e", repeats=5, rate="1 bar", fade=100), [0.0, 4.0, 8.0, 12.0, 16.0, 20.0]),
        (stage("echo", "e", repeats=9, rate="2 bars", fade=100), [8.0 * place for place in range(10)]),
    ],
)
def test_a_long_echo_is_rendered_to_its_end(render, one, wanted):
    assert beats(render(project(strand(one), tempo=60.0), keys_on(0.0))["A"]) == wanted


def test_a_note_of_eight_bars_lasts_eight_bars(render):
    render(project(strand(stage("length", "l", unit="value", value="8 bars")), tempo=60.0), keys_on(0.0))
    assert render.file.length == pytest.approx(32.0, abs=0.1)


def test_beside_a_latched_arpeggio_an_echo_is_still_rendered_to_its_end(render):
    latched = strand(stage("arpeggiator", "p", latch=True, rate="1/4"), strand_id="b")
    echo = strand(stage("echo", "e", repeats=5, rate="1 bar", fade=100))
    found = render(project(echo, latched, tempo=60.0), keys_on(0.0, length=2.0))
    assert beats(found["A"]) == [0.0, 4.0, 8.0, 12.0, 16.0, 20.0]
    assert beats(found["B"]) == pytest.approx([0.0, 1.0], abs=0.05)


@pytest.mark.parametrize("tempo", [30, 60, 90, 120])
def test_bars_are_that_many_bars_though_a_knob_turns_the_tempo(render, tempo):
    one = project(strand(sources=(steps(),)), hookups=(TEMPO_BY_CC15,))
    assert beats(render(one, [turned(1.0, tempo)], bars=3)["A"]) == [float(beat) for beat in range(12)]


@pytest.mark.parametrize("tempo", [60, 120])
def test_sections_are_rendered_to_their_end_though_a_knob_turns_the_tempo(render, tempo):
    sections = (Section(id="x", name="X", bars=2), Section(id="y", name="Y", bars=2))
    one = project(strand(sources=(steps(),)), sections=sections, hookups=(TEMPO_BY_CC15,), tempo=97.0)
    assert beats(render(one, [turned(1.0, tempo)])["A"]) == [float(beat) for beat in range(16)]


def test_bars_of_a_meter_that_a_knob_turns_end_on_its_bar_lines(render):
    meter = Hookup(id="h", control="cc", number=16, param="meter_beats", out_low=0, out_high=127)
    one = project(strand(sources=(steps(),)), hookups=(meter,))
    found = render(one, [control(5.0, 0, 16, 3)], bars=4)
    # 0 to 4, then 4 to 6, as the lines of three beats fall on 6 and 9, then two bars of three.
    assert beats(found["A"]) == [float(beat) for beat in range(12)]
    metas = [message for message in render.file.tracks[0] if message.type == "time_signature"]
    assert [(one.numerator, one.denominator) for one in metas] == [(4, 4), (2, 4), (3, 4)]
    assert {message.tempo for message in render.file.tracks[0] if message.type == "set_tempo"} == {500_000}


def test_bars_go_on_over_a_jump_by_a_pad(render):
    go = Hookup(id="h", control="note", number=36, action="section", value=2)
    three = (Held(param="meter_beats", value=3),)
    sections = (Section(id="x", name="X", bars=4), Section(id="y", name="Y", bars=8, holds=three))
    one = project(strand(sources=(steps(),)), sections=sections, hookups=(go,))
    found = render(one, [note_on(1.0, 0, 36, 90), note_off(1.2, 0, 36)], bars=6)
    assert beats(found["A"]) == [float(beat) for beat in range(4 + 5 * 3)]


@pytest.mark.parametrize("tempo", [60, 90])
def test_keys_of_a_file_stay_on_their_beats_when_a_knob_turns_the_tempo(render, tempo):
    one = project(strand(), hookups=(TEMPO_BY_CC15,))
    keys = sorted([*keys_on(*range(8)), turned(1.0, tempo)], key=lambda event: event.time)
    assert beats(render(one, keys)["A"]) == [float(beat) for beat in range(8)]


@pytest.mark.parametrize("bars", [None, 2])
def test_keys_that_bring_their_own_tempo_are_counted_in_bars(render, tmp_path, bars):
    keys = keys_on(*range(8))
    (tmp_path / "own.mid").write_bytes(format_song([Track("k", tuple(keys))], Course(tempi=((0.0, 80.0),))))
    found = render(project(strand(sources=(steps(),))), midi_in=tmp_path / "own.mid", take_tempo=True, bars=bars)
    assert beats(found["A"]) == [float(beat) for beat in range(8)]


def test_a_section_that_makes_one_strand_early_leaves_the_others_where_they_are(render):
    early = (Held(target="b", param="offset_ms", value=-100.0),)
    sections = (Section(id="x", name="X", bars=1), Section(id="y", name="Y", bars=1, holds=early))
    one = project(
        strand(sources=(steps(),)),
        strand(sources=(generator("steps", "s2", rate="1/4", patterns=FOUR, in_scale=False),), strand_id="b"),
        sections=sections,
    )
    found = render(one)
    assert beats(found["A"]) == [float(beat) for beat in range(8)]
    assert beats(found["B"])[:3] == [0.0, 1.0, 2.0]
    assert beats(found["B"])[-3:] == pytest.approx([4.8, 5.8, 6.8])


def test_audio_that_is_played_in_is_heard_once_over_all_jumps(render, tmp_path):
    rate = 48_000
    sound = np.zeros(rate * 4)
    for second in (0.5, 1.5, 2.5, 3.5):
        place = int(second * rate)
        sound[place : place + 2400] = np.exp(-np.arange(2400) / 300.0) * np.random.default_rng(1).uniform(-1, 1, 2400)
    soundfile.write(tmp_path / "taps.wav", sound, rate)
    one = project(
        strand(sources=(AudioSource(id="ears", listen="hits"),)),
        sections=(Section(id="x", name="X", bars=1, then="again"),),
    )
    found = beats(render(one, audio_in=tmp_path / "taps.wav", bars=2)["A"])
    assert [round(beat) for beat in found] == [1, 3, 5, 7]


def test_system_exclusive_is_in_a_file_by_instrument(render):
    sysex = Event(0.5, 0xF0, payload=bytes([0xF0, 0x7D, 1, 2, 0xF7]))
    port = PortDestination(port="Synth")
    render(project(strand(destinations=(port,))), [keys_on(0.0)[0], sysex], by="instrument")
    assert [tuple(m.data) for track in render.file.tracks for m in track if m.type == "sysex"] == [(0x7D, 1, 2)]


def test_a_key_on_the_very_end_is_left_to_the_bar_that_begins_there(render):
    assert beats(render(project(strand()), keys_on(0.0, 4.0), bars=1)["A"]) == [0.0]


def test_a_section_sends_once_and_into_strands_that_are_fed(render):
    sections = (Section(id="x", name="X", bars=1, sends=(SectionMessage(strand="a", kind="cc", number=7, value=99),)),)
    fed = strand(sources=(StrandSource(strand="a"),), strand_id="b", destinations=(PortDestination(port="P"),))
    bells = InstrumentDestination(instrument="bells")
    render(project(strand(destinations=(bells,)), fed, sections=sections))
    sent = [track.name for track in render.file.tracks for message in track if message.type == "control_change"]
    assert sent == ["A", "B"]


def test_midi_is_not_written_into_a_file_for_sound(render, tmp_path):
    save_project(project(strand(sources=(steps(),))), tmp_path / "q.arpegon")
    with pytest.raises(ArpegonError, match="not the name of a MIDI file"):
        list(render_project(Wish(project=tmp_path / "q.arpegon", midi_out=tmp_path / "out.wav", bars=1)))
    assert not (tmp_path / "out.wav").exists()


def test_a_clip_of_three_beats_comes_round_after_three_in_any_piece(render, tmp_path):
    file = mido.MidiFile(ticks_per_beat=960)
    track = mido.MidiTrack([mido.MetaMessage("time_signature", numerator=3, denominator=4)])
    for note in (60, 62, 64):
        track += [mido.Message("note_on", note=note), mido.Message("note_off", note=note, time=960)]
    file.tracks.append(track)
    file.save(tmp_path / "three.mid")
    one = project(strand(sources=(ClipSource(file="three.mid", loop=True),)))
    assert beats(render(one, bars=2)["A"]) == [float(beat) for beat in range(8)]
