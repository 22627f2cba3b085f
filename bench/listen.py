"""Audio to MIDI: how well strokes and melodies are heard, how late, and at what cost."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence

import numpy as np
from mir_eval import transcription, util
from scipy.stats import spearmanr
from tools.stand_ins import RATE, Array, Crate, TrueNote, hummed_line, pluck, plucked_line, taps

from arpegon.core.theory.pitch import note_hz
from arpegon.listen.heard import HeardNote
from arpegon.listen.listeners import listener
from arpegon.listen.transcript import transcript
from bench.rows import Row, median
from bench.two_notes import two_notes

_BLOCK = 256
_WITHIN = 0.05


def _draw(seed: int) -> np.random.Generator:
    return np.random.default_rng(seed)


def _share(hit: int, true: int, found: int) -> float:
    return 2.0 * hit / max(1, true + found)


class Hits:
    """Strokes of several pads against what was heard of them."""

    def __init__(self) -> None:
        self.true = self.found = self.right = 0
        self.late: list[float] = []
        self.ranks: list[float] = []

    def add(self, sound: Array, true: Sequence[TrueNote]) -> None:
        marks = transcript("hits", {}, sound, RATE).marks
        times = np.array([stroke.start for stroke in true])
        heard = np.array([mark.time for mark in marks])
        pairs = util.match_events(times, heard, _WITHIN) if len(marks) else []
        self.true, self.found, self.right = self.true + len(true), self.found + len(marks), self.right + len(pairs)
        self.late += [float(heard[j] - times[i]) for i, j in pairs]
        strengths = [true[i].strength for i, _ in pairs]
        self.ranks.append(float(spearmanr(strengths, [marks[j].velocity for _, j in pairs]).statistic))

    @property
    def f1(self) -> float:
        return _share(self.right, self.true, self.found)


def _hits() -> list[Row]:
    plain, hard = Hits(), Hits()
    for seed in range(8):
        draw = _draw(seed)
        pad = Crate(draw, lowest=draw.uniform(90.0, 500.0), rings=draw.uniform(0.02, 0.12))
        plain.add(*taps(draw, pad, 60, range_db=20.0, noise_db=-60.0))
        hard.add(*taps(draw, pad, 60, range_db=14.0, noise_db=-40.0, flams=0.3, flam_seconds=0.06))
    rows = []
    for name, score in (("eight pads over 20 dB", plain), ("the same, noise at −40 dB, flams of 60 ms", hard)):
        late = 1000.0 * median(score.late)
        ranks = sum(score.ranks) / len(score.ranks)
        rows += [
            Row(f"Hits, {name}: F1", f"{score.f1:.3f}", "–", "–", "≥ 0.99", score.f1 >= 0.99),
            Row("… median delay without the block", f"{late:.1f} ms", "–", "–", "≤ 4 ms and a block", late <= 9.3),
            Row("… rank correlation of velocity", f"{ranks:.3f}", "–", "–", "≥ 0.95", ranks >= 0.95),
        ]
    return rows


class Melody:
    """Notes against what was heard of them."""

    def __init__(self) -> None:
        self.true = self.found = self.right = self.octaves = 0
        self.late: list[float] = []

    def add(self, true: Sequence[TrueNote], marks: Sequence[HeardNote]) -> None:
        self.true, self.found = self.true + len(true), self.found + len(marks)
        if not marks:
            return
        pairs = transcription.match_notes(
            np.array([[note.start, note.end] for note in true]),
            np.array([note_hz(note.note) for note in true]),
            np.array([[mark.began, max(mark.end, mark.began + 0.01)] for mark in marks]),
            np.array([note_hz(mark.note) for mark in marks]),
            onset_tolerance=_WITHIN,
            offset_ratio=None,
        )
        self.right += len(pairs)
        self.late += [marks[j].time - true[i].start for i, j in pairs]
        right = {j for _, j in pairs}
        for place, mark in enumerate(marks):
            if place not in right:
                self.octaves += any(
                    note.start - _WITHIN <= mark.began <= note.end and abs(mark.note - note.note) in (12, 24)
                    for note in true
                )

    @property
    def f1(self) -> float:
        return _share(self.right, self.true, self.found)


def _reference(sound: Array, low: int, high: int) -> list[HeardNote]:
    """pYIN of librosa, with the plainest segmentation: a note for each stretch of one rounded pitch."""
    import librosa

    hop = 256
    hz, voiced, _ = librosa.pyin(
        sound, fmin=note_hz(low - 1), fmax=note_hz(high + 1), sr=RATE, frame_length=4096, hop_length=hop
    )
    rounded = np.where(voiced, np.round(69.0 + 12.0 * np.log2(np.where(hz > 0, hz, 440.0) / 440.0)), -1).astype(int)
    marks: list[HeardNote] = []
    start = 0
    for place in range(1, len(rounded) + 1):
        if place == len(rounded) or rounded[place] != rounded[start]:
            began, end = start * hop / RATE, place * hop / RATE
            if rounded[start] >= 0 and end - began > 0.06:
                marks.append(HeardNote(began, int(rounded[start]), 64, 0.0, 0.0, began, end))
            start = place
    return marks


def _melodies() -> list[Row]:
    ours, theirs, hummed = Melody(), Melody(), Melody()
    for seed in range(4):
        draw = _draw(100 + seed)
        notes = [int(note) for note in draw.integers(40, 77, 30)]
        sound, true = plucked_line(draw, notes, noise_db=-50.0, slides=0.2)
        ours.add(true, transcript("pitch", {}, sound[:, None], RATE).marks)
        theirs.add(true, _reference(sound, 40, 76))
        tune = [(int(note), 0.5) for note in draw.integers(50, 66, 12)]
        sound, true = hummed_line(draw, [*tune[:6], (0, 0.4), *tune[6:]])
        hummed.add(true, transcript("pitch", {"lowest": 48, "highest": 68}, sound[:, None], RATE).marks)
    late = 1000.0 * median(ours.late)
    bar = 3000.0 / note_hz(40)
    wrong = ours.octaves / ours.true
    ratio = f"{ours.f1 / max(0.001, theirs.f1):.2f}"
    score, limit = f"{ours.f1:.3f}", f"{bar:.1f} ms"
    share = f"{late / bar:.2f}"
    return [
        Row("Pitch, plucked E2–E5: F1 (bare: pYIN)", score, f"{theirs.f1:.3f}", ratio, "≥ 0.95", ours.f1 >= 0.95),
        Row("… median delay without the block", f"{late:.1f} ms", limit, share, "≤ 1", late <= bar),
        Row("… errors of an octave", f"{100.0 * wrong:.1f} %", "–", "–", "≤ 1 %", wrong <= 0.01),
        Row("Pitch, a hummed tune: F1", f"{hummed.f1:.3f}", "–", "–", "–", True),
    ]


def _two_at_once() -> list[Row]:
    """Two strings at once: the listener must say one of them or nothing; the experiment should find both."""
    one = nothing = other = both = half = 0
    draw = _draw(7)
    pairs = [(low, low + gap) for low in (45, 50, 55, 60) for gap in (3, 4, 5, 7, 9, 12)]
    for low, high in pairs:
        mixture = 0.4 * (pluck(low, 0.8, 0.8, draw) + pluck(high, 0.8, 0.8, draw))
        sound = np.concatenate([np.zeros(RATE // 5), mixture])
        said = {mark.note for mark in transcript("pitch", {}, sound[:, None], RATE).marks}
        nothing += not said
        one += bool(said) and said <= {low, high}
        other += not said <= {low, high}
        found = set(two_notes(mixture[RATE // 20 : RATE // 20 + RATE // 6], RATE, 40, 76)[:2])
        both += found == {low, high}
        half += len(found & {low, high}) == 1
    words = f"{one} one of them, {nothing} nothing, {other} another note"
    tried = f"{both} both right, {half} one right"
    return [
        Row(f"Two notes at once, {len(pairs)} pairs", words, "–", "–", "never garbage", other == 0),
        Row("… cancelling two periods (de Cheveigné 1993), 167 ms, an experiment", tried, "–", "–", "–", True),
    ]


def _cost(kind: str, make: Callable[[], Array]) -> Row:
    sound = make()[: 10 * RATE, None]
    heard = listener(kind, {}, RATE)
    began = time.process_time()
    for start in range(0, len(sound), _BLOCK):
        heard.process(sound[start : start + _BLOCK])
    share = (time.process_time() - began) / (len(sound) / RATE)
    what = f"Cost of the {kind} listener, blocks of {_BLOCK}"
    return Row(what, f"{100.0 * share:.1f} % of a core", "–", "–", "< 10 %", share < 0.1)


def rows() -> list[Row]:
    """All measures of listening."""
    draw = _draw(1)
    return [
        *_hits(),
        *_melodies(),
        *_two_at_once(),
        _cost("hits", lambda: taps(draw, Crate(draw), 40)[0]),
        _cost("pitch", lambda: plucked_line(draw, [45, 52, 57, 60, 64, 69] * 6)[0]),
    ]
