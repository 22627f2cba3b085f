"""Made sounds with their true notes: what ships as stand-ins, and harder ones for tests and measures.

``python -m tools.stand_ins`` writes the files in src/arpegon/data/listen.

Strings are plucked after Karplus and Strong ("Digital Synthesis of Plucked-String and Drum Timbres", 1983), crates are
sums of decaying modes, the voice is a sum of harmonics under formants.
"""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import soundfile
from numpy.typing import NDArray
from scipy.signal import butter, lfilter

from arpegon.core.events import NOTE_OFF, NOTE_ON, Event
from arpegon.core.theory.pitch import note_hz
from arpegon.files.atomic import write_atomic
from arpegon.files.midi import Track, write_midi

RATE = 48_000
FOLDER = Path(__file__).resolve().parent.parent / "src" / "arpegon" / "data" / "listen"

Array = NDArray[Any]


class TrueNote(msgspec.Struct, frozen=True):
    """A note that is truly there."""

    start: float
    end: float
    note: int
    strength: float = 1.0
    channel: int = 0


# -- strings -------------------------------------------------------------------------------------------


def pluck(note: float, seconds: float, strength: float, draw: np.random.Generator, rate: int = RATE) -> Array:
    """One plucked string: brighter when it is struck harder."""
    hz = note_hz(note)
    period = rate / hz
    whole = int(period - 0.5)
    part = period - 0.5 - whole
    count = int(seconds * rate)
    burst = draw.standard_normal(whole + 1)
    burst = lfilter([0.15 + 0.5 * strength], [1.0, -(0.85 - 0.5 * strength)], burst)
    place = max(1, int(0.16 * whole))
    burst = burst - np.roll(burst, place)
    excitation = np.zeros(count)
    excitation[: len(burst)] = burst
    keep = 0.5 ** (1.0 / (hz * (0.25 + 60.0 / hz)))
    back = np.zeros(whole + 3)
    back[0] = 1.0
    back[whole] -= keep * 0.5 * (1.0 - part)
    back[whole + 1] -= keep * 0.5
    back[whole + 2] -= keep * 0.5 * part
    sound = lfilter([1.0], back, excitation)
    body = lfilter(*butter(2, [95.0, 260.0], "bandpass", fs=rate), excitation) * 2.0
    sound = sound + body
    return strength * sound / np.abs(sound).max()


def squeak(seconds: float, draw: np.random.Generator, rate: int = RATE) -> Array:
    """A finger along a wound string."""
    count = int(seconds * rate)
    middle = draw.uniform(1500.0, 3500.0)
    noise = lfilter(*butter(2, [0.7 * middle, 1.3 * middle], "bandpass", fs=rate), draw.standard_normal(count))
    return noise * np.hanning(count)


def slide(sound: Array, semitones: float, begins: float, lasts: float, rate: int = RATE) -> Array:
    """A sound whose pitch goes evenly to another one."""
    time = np.arange(len(sound)) / rate
    bend = np.clip((time - begins) / lasts, 0.0, 1.0) * semitones
    place = np.cumsum(2.0 ** (bend / 12.0)) - 1.0
    return np.interp(place, np.arange(len(sound)), sound, right=0.0)


def plucked_line(
    draw: np.random.Generator,
    notes: list[int],
    *,
    pause: tuple[float, float] = (0.22, 0.6),
    noise_db: float = -60.0,
    slides: float = 0.15,
    squeaks: float = 0.4,
    rate: int = RATE,
) -> tuple[Array, list[TrueNote]]:
    """A line on one string at a time, damped by the next note, with slides and string noise."""
    lengths = draw.uniform(*pause, len(notes))
    out = np.zeros(int((0.4 + lengths.sum() + 1.2 + 0.3 * len(notes)) * rate))
    true: list[TrueNote] = []
    time = 0.3
    for note, length in zip(notes, lengths, strict=True):
        strength = float(draw.uniform(0.3, 1.0))
        slides_now = draw.random() < slides and length > 0.4
        sound = pluck(note, length + 0.6, strength, draw, rate)
        if slides_now:
            steps = int(draw.choice([-2, 2, 3]))
            half = 0.5 * length
            sound = slide(sound, steps, half, 0.07, rate)
            true += [
                TrueNote(time, time + half, note, strength),
                TrueNote(time + half + 0.05, time + length, note + steps),
            ]
        else:
            true.append(TrueNote(time, time + length, note, strength))
        fade = int(0.015 * rate)
        end = int(length * rate)
        sound = sound[: end + fade]
        sound[end:] *= np.linspace(1.0, 0.0, len(sound) - end)
        start = int(time * rate)
        out[start : start + len(sound)] += 0.5 * sound
        time += length
        if draw.random() < squeaks:
            gap = float(draw.uniform(0.06, 0.25))
            noise = squeak(gap, draw, rate) * draw.uniform(0.02, 0.08)
            start = int(time * rate)
            out[start : start + len(noise)] += noise
            time += gap
    out = out[: int((time + 0.4) * rate)]
    return out + 10.0 ** (noise_db / 20.0) * draw.standard_normal(len(out)), true


# -- voice ---------------------------------------------------------------------------------------------


def hummed_line(
    draw: np.random.Generator, notes: list[tuple[int, float]], *, noise_db: float = -58.0, rate: int = RATE
) -> tuple[Array, list[TrueNote]]:
    """A tune hummed by a low voice: it slides into notes, trembles, and breathes. A note 0 is a breath."""
    pitches: list[Array] = []
    levels: list[Array] = []
    true: list[TrueNote] = []
    time = 0.2
    before = None
    pitches.append(np.full(int(time * rate), float(notes[0][0])))
    levels.append(np.zeros(int(time * rate)))
    for place, (note, seconds) in enumerate(notes):
        count = int(seconds * rate)
        at = np.arange(count) / rate
        if note == 0:
            pitches.append(np.full(count, float(before or 60)))
            levels.append(np.zeros(count))
            before = None
        else:
            start = before if before is not None else note - 0.6
            glide = start + (note - start) * np.clip(at / 0.06, 0.0, 1.0)
            tremble = 0.22 * np.sin(2.0 * np.pi * 5.2 * at) * np.clip((at - 0.25) / 0.3, 0.0, 1.0)
            pitches.append(glide + tremble + 0.03 * float(draw.standard_normal()))
            loud = float(draw.uniform(0.6, 1.0))
            rise = np.clip(at / 0.05, 0.0, 1.0) if before is None else 0.65 + 0.35 * np.clip(at / 0.05, 0.0, 1.0)
            last = place + 1 == len(notes) or notes[place + 1][0] == 0
            fall = (
                np.clip((seconds - at) / 0.08, 0.0, 1.0) if last else np.clip(0.65 + (seconds - at) / 0.12, 0.65, 1.0)
            )
            levels.append(loud * rise * fall)
            true.append(TrueNote(time, time + seconds, note, loud))
            before = note
        time += seconds
    pitch, level = np.concatenate(pitches), np.concatenate(levels)
    smooth = np.hanning(int(0.03 * rate))
    level = np.convolve(level, smooth / smooth.sum(), "same")
    hz = 440.0 * 2.0 ** ((pitch - 69.0) / 12.0)
    phase = 2.0 * np.pi * np.cumsum(hz) / rate
    sound = np.zeros(len(pitch))
    for harmonic in range(1, 13):
        here = harmonic * hz
        formants = 1.0 / (1.0 + (here / 450.0) ** 2) + 0.25 * np.exp(-(((here - 1100.0) / 260.0) ** 2))
        sound += formants * np.where(here < 0.45 * rate, 1.0, 0.0) * np.sin(harmonic * phase + harmonic)
    breath = lfilter(*butter(2, [300.0, 2500.0], "bandpass", fs=rate), draw.standard_normal(len(sound)))
    sound = level * (sound / np.abs(sound).max() + 0.02 * breath)
    return 0.5 * sound + 10.0 ** (noise_db / 20.0) * draw.standard_normal(len(sound)), true


# -- crates --------------------------------------------------------------------------------------------


class Crate:
    """Something to knock on: its modes, drawn once."""

    def __init__(self, draw: np.random.Generator, lowest: float = 140.0, rings: float = 0.06, modes: int = 9) -> None:
        self._draw = draw
        self._hz = lowest * np.cumprod(np.concatenate([[1.0], draw.uniform(1.18, 1.7, modes - 1)]))
        self._decay = rings * (lowest / self._hz) ** 0.6 * draw.uniform(0.7, 1.3, modes)
        self._size = draw.uniform(0.4, 1.0, modes) * (lowest / self._hz) ** 0.35

    def stroke(self, strength: float, rate: int = RATE) -> Array:
        """One knock, ``strength`` up to 1: harder ones are louder and brighter."""
        count = int(6.0 * self._decay.max() * rate)
        at = np.arange(count) / rate
        dark = 1.0 / (1.0 + (self._hz / (400.0 + 2600.0 * strength)) ** 2)
        sound = np.zeros(count)
        for hz, decay, size in zip(self._hz, self._decay, self._size * dark, strict=True):
            if hz < 0.45 * rate:
                sound += size * self._draw.uniform(0.8, 1.2) * np.exp(-at / decay) * np.sin(2.0 * np.pi * hz * at)
        click = self._draw.standard_normal(count) * np.exp(-at / 0.0015)
        sound += 0.5 * lfilter([0.2 + 0.6 * strength], [1.0, -(0.8 - 0.6 * strength)], click)
        fade = count // 8
        sound[-fade:] *= np.linspace(1.0, 0.0, fade)
        return strength * sound / np.abs(sound).max()


def taps(
    draw: np.random.Generator,
    crate: Crate,
    count: int,
    *,
    pause: tuple[float, float] = (0.12, 0.5),
    range_db: float = 24.0,
    flams: float = 0.15,
    flam_seconds: float = 0.06,
    noise_db: float = -60.0,
    rate: int = RATE,
) -> tuple[Array, list[TrueNote]]:
    """Knocks of all strengths over ``range_db``, some of them twice in quick succession."""
    times: list[tuple[float, float]] = []
    time = 0.3
    while len(times) < count:
        strength = 10.0 ** (-float(draw.uniform(0.0, range_db)) / 20.0)
        times.append((time, strength))
        if draw.random() < flams:
            time += flam_seconds
            times.append((time, min(1.0, strength * 10.0 ** (float(draw.uniform(-4.0, 8.0)) / 20.0))))
        time += float(draw.uniform(*pause))
    out = np.zeros(int((time + 0.8) * rate))
    for time, strength in times:
        sound = crate.stroke(strength, rate)
        start = int(time * rate)
        sound = sound[: len(out) - start]
        out[start : start + len(sound)] += 0.7 * sound
    out /= max(1.0, float(np.abs(out).max()) / 0.95)
    out += 10.0 ** (noise_db / 20.0) * draw.standard_normal(len(out))
    return out, [TrueNote(time, time + 0.06, 38, strength) for time, strength in times]


# -- what ships ----------------------------------------------------------------------------------------

BEAT = 60.0 / 96.0


def _taps_file(draw: np.random.Generator) -> tuple[Array, list[TrueNote]]:
    """Two crates side by side, one microphone each; what is hit on one is heard a little by the other."""
    left, right = Crate(draw), Crate(draw, lowest=240.0, rings=0.04)
    pattern: list[tuple[float, int, float]] = []
    for bar in range(4):
        at = 4.0 * bar
        pattern += [(at, 0, 0.9), (at + 0.75, 0, 0.25), (at + 1.0, 1, 0.7), (at + 1.5, 0, 0.5), (at + 2.0, 0, 0.8)]
        pattern += [(at + 2.75, 0, 0.2), (at + 3.0, 1, 0.95), (at + 3.5, 1, 0.3)]
        if bar % 2:
            pattern += [(at + 3.75, 0, 0.45), (at + 3.75 + 0.06 / BEAT, 0, 0.6)]
    frames = int(16.0 * BEAT * RATE)
    out = np.zeros((frames, 2))
    true = []
    for beat, which, strength in sorted(pattern):
        time = beat * BEAT + 0.02 + float(draw.uniform(0.0, 0.006))
        strength *= float(draw.uniform(0.85, 1.0))
        sound = 0.7 * (left, right)[which].stroke(strength)
        through = 0.2 * lfilter([0.3], [1.0, -0.7], sound)
        for channel, part, late in ((which, sound, 0.0), (1 - which, through, 0.0015)):
            start = int((time + late) * RATE)
            part = part[: frames - start]
            out[start : start + len(part), channel] += part
        true.append(TrueNote(time, time + 0.06, 38 + which, strength, channel=9))
    return out + 0.0008 * draw.standard_normal(out.shape), true


def _hum_file(draw: np.random.Generator) -> tuple[Array, list[TrueNote]]:
    tune = [
        *((57, 2.0), (60, 1.0), (62, 1.0), (64, 1.5), (62, 0.5), (60, 1.0), (0, 1.0)),
        *((62, 1.0), (60, 1.0), (57, 1.0), (55, 1.0), (57, 2.5), (0, 1.5)),
    ]
    sound, true = hummed_line(draw, [(note, beats * BEAT) for note, beats in tune])
    return sound[: int(16.0 * BEAT * RATE)], true


def _plucked_file(draw: np.random.Generator) -> tuple[Array, list[TrueNote]]:
    notes = [50, 57, 62, 64, 65, 62, 57, 53, 48, 55, 60, 64, 67, 64, 60, 55, 45, 52, 57, 60, 64, 69, 65, 62, 50]
    return plucked_line(draw, notes, pause=(0.25, 0.55))


FILES = {"crate-taps": _taps_file, "hummed-tune": _hum_file, "plucked-line": _plucked_file}


def write(folder: Path = FOLDER) -> None:
    """Write the sounds, and their true notes beside them."""
    folder.mkdir(parents=True, exist_ok=True)
    for place, (name, make) in enumerate(FILES.items()):
        sound, true = make(np.random.default_rng(1000 + place))
        buffer = io.BytesIO()
        soundfile.write(buffer, sound.astype(np.float32), RATE, format="FLAC", subtype="PCM_16")
        write_atomic(folder / f"{name}.flac", buffer.getvalue())
        events = []
        for one in true:
            velocity = max(1, min(127, round(127 * one.strength)))
            events.append(Event(one.start, NOTE_ON | one.channel, one.note, velocity))
            events.append(Event(one.end, NOTE_OFF | one.channel, one.note, 64))
        events.sort(key=lambda event: (event.time, event.status))
        write_midi(folder / f"{name}.mid", [Track(name, events)], 96.0, (4, 4), name)


if __name__ == "__main__":
    write()
