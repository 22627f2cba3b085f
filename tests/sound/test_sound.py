"""The instruments: no clicks, no clipping, every sample in its place."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from arpegon.core.document.model import Instrument
from arpegon.core.events import bend, control, note_off, note_on, pressure
from arpegon.sound import SOUNDS
from arpegon.sound.mixer import Mixer
from arpegon.sound.voices import VOICES

RATE = 48_000


def mixer(sound="felt-piano", **settings):
    made = Mixer(RATE)
    made.set_instruments([Instrument(id="x", sound=sound, **settings)])
    return made


def play(events, seconds, sound="felt-piano", block=256, **settings):
    """Render events at seconds; shape (2, frames)."""
    made = mixer(sound, **settings)
    frames = int(seconds * RATE)
    blocks = []
    for start in range(0, frames, block):
        due = [
            (round(event.time * RATE) - start, "x", event)
            for event in events
            if start <= round(event.time * RATE) < start + block
        ]
        blocks.append(made.render(block, due))
    return np.concatenate(blocks, axis=1)[:, :frames]


def rms(samples):
    return float(np.sqrt(np.mean(samples**2)))


def pitch_of(samples):
    """The strongest frequency, from a windowed spectrum."""
    spectrum = np.abs(np.fft.rfft(samples * np.hanning(len(samples)), 1 << 18))
    return np.argmax(spectrum) * RATE / (1 << 18)


@pytest.mark.parametrize("sound", [name for name, sound in SOUNDS.items() if not sound.kit])
@pytest.mark.parametrize("note", [36, 60, 69, 84])
def test_notes_are_in_tune(sound, note):
    heard = play([note_on(0, 0, note, 90)], 1.0, sound)[0, 4800:]
    assert abs(1200 * np.log2(pitch_of(heard) / (440 * 2 ** ((note - 69) / 12)))) < 6


@pytest.mark.parametrize("sound", SOUNDS)
def test_a_note_begins_at_its_own_sample_whatever_the_block(sound):
    """Samples before the strike are silent, and blocks of any size give the same sound."""
    events = [note_on(0.0123, 0, 60, 100), note_off(0.2345, 0, 60)]
    small, large = play(events, 0.5, sound, 64), play(events, 0.5, sound, 1024)
    first = round(0.0123 * RATE)
    assert not small[:, :first].any() and not large[:, :first].any()
    assert np.abs(small[0, first : first + 200]).max() > 0
    assert np.abs(small - large).max() < 0.01 * np.abs(small).max()


@pytest.mark.parametrize("sound", SOUNDS)
def test_starts_ends_and_steals_do_not_click(sound):
    """No step between samples is larger than the sounding waves themselves make it."""
    strikes = [note_on(0.01 * place, 0, 36 + place, 110) for place in range(VOICES + 16)]
    ends = [note_off(1.0 + 0.003 * place, 0, 36 + place) for place in range(VOICES + 16)]
    heard = play([*strikes, *ends], 1.6, sound, level_db=-18.0)[0]
    bend_of_wave = np.abs(np.diff(heard, 2))
    steady = np.percentile(bend_of_wave[int(0.5 * RATE) : int(0.95 * RATE)], 99.9)
    assert bend_of_wave.max() < 6 * steady


@pytest.mark.parametrize("sound", SOUNDS)
def test_full_load_does_not_clip(sound):
    heard = play([note_on(0.0, 0, 40 + place, 127) for place in range(VOICES)], 0.6, sound, level_db=12.0)
    assert np.abs(heard).max() <= 1.0
    assert np.isfinite(heard).all()


def test_there_are_32_voices_and_the_oldest_gives_way():
    made = mixer("round-bass")
    for place in range(VOICES + 5):
        made.render(2048, [(0, "x", note_on(0, 0, 30 + place, 100))])
    assert made.sounding == VOICES


@pytest.mark.parametrize("sound", SOUNDS)
def test_silence_after_the_release(sound):
    heard = play([note_on(0, 0, 60, 100), note_off(0.3, 0, 60)], 6.0, sound)
    assert rms(heard[:, int(0.1 * RATE) : int(0.3 * RATE)]) > 0.005
    assert np.abs(heard[:, int(4.5 * RATE) :]).max() < 1e-3


def test_louder_strokes_are_louder():
    levels = [rms(play([note_on(0, 0, 60, velocity)], 0.4)) for velocity in (20, 60, 100, 127)]
    assert levels == sorted(levels) and levels[-1] > 4 * levels[0]


def test_the_sustain_pedal_holds_and_lets_go():
    held = [control(0, 0, 64, 127), note_on(0.01, 0, 60, 100), note_off(0.1, 0, 60)]
    heard = play([*held, control(1.0, 0, 64, 0)], 2.5, "round-bass")[0]
    assert rms(heard[int(0.8 * RATE) : RATE]) > 0.02
    assert rms(heard[int(2.0 * RATE) :]) < 1e-4


@pytest.mark.parametrize("number", [7, 11])
def test_volume_and_expression_at_zero_silence(number):
    heard = play([control(0, 0, number, 0), note_on(0.2, 0, 60, 127)], 0.6)
    assert rms(heard[:, int(0.3 * RATE) :]) < 1e-4


def test_pan_goes_left_and_right():
    left = play([control(0, 0, 10, 0), note_on(0.2, 0, 60, 100)], 0.6)
    assert rms(left[0]) > 50 * rms(left[1])
    right = play([note_on(0.2, 0, 60, 100)], 0.6, pan=1.0)
    assert rms(right[1]) > 50 * rms(right[0])


def test_bend_modulation_and_pressure_are_heard():
    bent = play([bend(0, 0, 8191), note_on(0.01, 0, 69, 100)], 1.0, "round-bass")[0, 9600:]
    assert abs(pitch_of(bent) / 440 - 2 ** (2 / 12)) < 0.01
    plain = play([note_on(0.01, 0, 69, 100)], 1.0, "round-bass")
    for change in (control(0, 0, 1, 127), pressure(0, 0, 127)):
        assert np.abs(play([change, note_on(0.01, 0, 69, 100)], 1.0, "round-bass") - plain).max() > 0.01


@pytest.mark.parametrize(
    "moves",
    [
        [control(0.3, 0, 7, 10)],
        [control(0.1, 0, 7, 10), control(0.3, 0, 7, 90)],
        [control(0.1, 0, 1, 90), control(0.3, 0, 1, 0)],
        [pressure(0.1, 0, 0), pressure(0.3, 0, 90)],
        [bend(0.1, 0, 8000), bend(0.3, 0, 0)],
    ],
)
def test_what_moved_in_silence_is_there_when_the_next_note_begins(moves):
    """A controller that was moved long before a note sounds like one that was moved at the start."""
    last = moves[-1]
    for sound in ("felt-piano", "bowed-wires", "fog-pad"):
        heard = play([*moves, note_on(0.5, 0, 60, 100)], 0.8, sound)
        plain = play([last.at(0.0), note_on(0.5, 0, 60, 100)], 0.8, sound)
        assert rms(plain[:, 24_000:]) > 0.0003
        assert np.allclose(heard, plain, atol=1e-4)


def test_channels_have_controllers_of_their_own():
    heard = play([control(0, 1, 7, 0), note_on(0.1, 0, 60, 100)], 0.5)
    assert rms(heard) > 0.01


@pytest.mark.parametrize("number", [120, 123])
def test_all_notes_off_ends_everything(number):
    heard = play([note_on(0, 0, 60, 100), note_on(0, 0, 64, 100), control(0.3, 0, number, 0)], 3.0, "round-bass")
    assert rms(heard[:, 2 * RATE :]) < 1e-4


def test_an_instrument_that_is_taken_out_fades():
    made = mixer("round-bass")
    made.render(4800, [(0, "x", note_on(0, 0, 48, 110))])
    made.set_instruments([])
    after = np.concatenate([made.render(256, []) for _ in range(200)], axis=1)[0]
    assert np.abs(after[:256]).max() > 0.01 and np.abs(after[-256:]).max() < 1e-3
    assert np.abs(np.diff(after)).max() < 0.05


def test_what_is_muted_or_unknown_is_silent():
    assert not play([note_on(0, 0, 60, 100)], 0.2, muted=True).any()
    assert not mixer().render(256, [(0, "nobody", note_on(0, 0, 60, 100))]).any()


def test_the_bow_is_louder_and_brighter_when_drawn_harder():
    soft, hard = (
        play([control(0, 0, 1, value), note_on(0.02, 0, 60, 90)], 1.2, "bowed-wires")[0, 24000:] for value in (15, 127)
    )
    assert rms(hard) > 4 * rms(soft) > 0

    def brightness(samples):
        spectrum = np.abs(np.fft.rfft(samples))
        return spectrum[600:].sum() / spectrum.sum()

    assert brightness(hard) > 1.3 * brightness(soft)


def test_the_organ_knows_no_velocity_and_its_drawbars_are_its_pipes():
    soft, loud = (play([note_on(0, 0, 60, velocity)], 0.5, "drawbar-organ") for velocity in (1, 127))
    assert np.allclose(soft, loud)
    shut = [control(0, 0, 20 + bar, 0) for bar in range(9)]
    assert rms(play([*shut, note_on(0.2, 0, 60, 90)], 0.6, "drawbar-organ")) < 1e-4
    eight = play([*shut, control(0, 0, 22, 127), note_on(0.2, 0, 69, 90)], 1.2, "drawbar-organ")[0, 14400:]
    assert abs(pitch_of(eight) - 440) < 2


def test_the_rotor_turns_faster():
    def swing(value):
        heard = play([control(0, 0, 80, value), note_on(0, 0, 60, 100)], 4.0, "drawbar-organ", block=512)
        left = np.abs(heard[0, 2 * RATE :]).reshape(-1, 480).max(axis=1)
        spectrum = np.abs(np.fft.rfft(left - left.mean()))
        return np.argmax(spectrum) / 2.0

    assert swing(0) < 2 < 5 < swing(127) < 8


def test_the_kit_plays_the_drum_map_and_nothing_else():
    for note in (36, 38, 42, 49, 81):
        assert rms(play([note_on(0, 0, note, 110)], 0.2, "tin-kit")) > 0.003
    assert not play([note_on(0, 0, 90, 110)], 0.2, "tin-kit").any()


def test_a_closed_hi_hat_chokes_an_open_one():
    opened = play([note_on(0, 0, 46, 110)], 0.4, "tin-kit")[:, int(0.3 * RATE) :]
    closed = play([note_on(0, 0, 46, 110), note_on(0.1, 0, 42, 20)], 0.4, "tin-kit")[:, int(0.3 * RATE) :]
    assert rms(closed) < 0.3 * rms(opened)


def test_an_instrument_may_play_one_channel_only():
    heard = play([note_on(0, 0, 60, 100)], 0.2, channel=0)
    assert heard.any() and not play([note_on(0, 3, 60, 100)], 0.2, channel=0).any()


def test_sounds_differ():
    """In the level of each third of an octave, at the start, held and let go: no two are nearly alike."""
    edges = 100 * 2 ** (np.arange(19) / 3)
    marks = {}
    for name, sound in SOUNDS.items():
        heard = play([note_on(0, 0, 38 if sound.kit else 60, 100), note_off(1.0, 0, 60)], 1.6, name)[0]
        levels = []
        for start, end in ((0, 0.1), (0.5, 1.0), (1.05, 1.3)):
            piece = heard[int(start * RATE) : int(end * RATE)]
            spectrum = np.abs(np.fft.rfft(piece * np.hanning(len(piece)), RATE)) / len(piece)
            levels += [spectrum[int(low) : int(high)].max() for low, high in pairwise(edges)]
        marks[name] = np.maximum(-60, 20 * np.log10(np.array(levels) / max(levels) + 1e-9))
    apart = {(a, b): np.abs(marks[a] - marks[b]).mean() for a in marks for b in marks if a < b}
    assert min(apart.values()) > 3, min(apart.items(), key=lambda pair: pair[1])
