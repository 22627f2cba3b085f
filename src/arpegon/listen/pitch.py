"""A melody, one note at a time: a string, a voice, a whistle.

Strokes (:mod:`arpegon.listen.bands`) say when a note may begin, periods (:mod:`arpegon.listen.periods`) which one it
is. A note also begins without a stroke, where a pitch stays that is not the one that sounds: a slur, a bowed or sung
note. What can be told from a note is left out: unclear tones, what is much softer than what sounded a moment ago
(string noise), and what still rings of a note that ended.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

import msgspec

from arpegon.core.events import BEND, NOTE_OFF, NOTE_ON, Event
from arpegon.core.theory.pitch import hz_note, note_hz
from arpegon.listen.bands import Bands
from arpegon.listen.heard import HeardNote
from arpegon.listen.listener import Array, Listener
from arpegon.listen.melody_window import READY, latency_of, periods
from arpegon.listen.periods import PeriodMeter, Reading
from arpegon.processors.sources.listening import Pitch

STROKE_RISE = 12.0
"""How many dB, all bands together, a stroke rises."""
AGAIN_RISE = 22.0
"""How many it rises where the same note is struck again, and the level tells nothing."""
_ATTACK_SECONDS = 0.004
"""What is left out after a stroke: noise."""
_STROKES_APART = 0.03
_SURE = 0.9
"""The clarity of a note that is believed as soon as its window is full; a less clear one is believed a little later."""
_LATE_READY = 1.25
_LATE_SECONDS = 0.09
"""When it is, in windows, and up to when a note is looked for after a stroke, beyond one window."""
_RELEASE_DB = 6.0
_UNCLEAR = 0.6
_NOISE_DB = 14.0
"""What is unclear and softer by this than what sounded a moment ago is string noise."""
_FALL_DB = 20.0
"""How many dB a second what sounded a moment ago is forgotten."""
_TAIL_SECONDS = 1.0
_TAIL_DB = 4.0
_SOFT_START = 0.03
_SCOOP = 0.2
"""A pitch that still moves by more semitones than this is on its way into a note."""
_QUICK_SLUR = 0.02
_OCTAVE_SLUR = 0.08
_OCTAVES = (12, 19, 24)
"""Changes that are more often errors than slurs: they must last longer."""
_BEND_SECONDS = 0.008
_MIDDLE = 8192


class _Note(msgspec.Struct):
    """The note that sounds."""

    number: int
    time: float
    clear: float
    """When it was last clear."""
    mark: HeardNote
    silent: bool = False
    """Whether it is doubtful, and such notes are left out."""
    unclear: float = 0.0
    """For how long it has not been clear."""
    slid: bool = False
    """Whether the pitch has gone evenly and clearly since it was last on the note, without a leap."""


class _Seen(msgspec.Struct, frozen=True):
    """A pitch that may become a note."""

    time: float
    pitch: float
    clarity: float


class PitchListener(Listener):
    """Finds the notes of a melody."""

    kind = "pitch"
    processor = Pitch

    meter: PeriodMeter

    def __init__(self, values: Mapping[str, Any], rate: int) -> None:
        self._wanted: tuple[int, int, float] | None = None
        self._heard = 0.0
        """Seconds of the stream before the meter that is at work."""
        self._note: _Note | None = None
        self._bend = _MIDDLE
        self._bend_at = -math.inf
        super().__init__(values, rate)

    def on_configure(self) -> None:
        values = self.values
        self._low, self._high = sorted((values["lowest"], values["highest"]))
        wanted = (self._low, self._high, periods(values["sureness"]))
        if wanted != self._wanted:
            self._heard = self.now
            self._wanted = wanted
            self.meter = PeriodMeter(self.rate, note_hz(self._low), note_hz(self._high), wanted[2])
            self._bands = Bands(self.rate)
            self._hops = 0
            self._forget()
        self._clear = 0.95 - 0.2 * (1.0 - values["steadiness"] / 100.0)
        self._gate = values["gate"]
        self._shortest: float = values["shortest_ms"] / 1000.0

    def _forget(self) -> None:
        self._run: list[_Seen] = []
        self._stroke: tuple[float, float] | None = None
        """When, and how far it rose."""
        self._struck_at = self._claimed = -math.inf
        """The last stroke, and the beginning of the last note."""
        self._rings: Array | None = None
        self._before = self._level = self._recent = self._quietest = -120.0
        self._ended_at = -math.inf
        self._last_pitch = 0.0
        self._skipped = False

    @property
    def latency(self) -> float:
        return latency_of(self.values)

    @property
    def now(self) -> float:
        return self._heard + self.meter.now if self._wanted else 0.0

    @property
    def step(self) -> float:
        return self.meter.hop / self.meter.rate

    def hear(self, samples: Array) -> list[Event]:
        out: list[Event] = []
        mono = samples[:, 0]
        rises = self._bands.process(mono)
        hop = self._bands.hop / self.rate
        strokes = [
            (self._heard + (self._hops + place + 1) * hop, float(rise))
            for place, rise in enumerate(rises)
            if rise >= STROKE_RISE
        ]
        self._hops += len(rises)
        for time in self.meter.process(mono):
            time += self._heard
            while strokes and strokes[0][0] <= time:
                self._struck(*strokes.pop(0))
            self._skipped = not self._skipped and self._stroke is None and self._note is not None and not self._run
            if self._skipped:  # a note that goes on is looked at half as often
                continue
            since = self._struck_at + _ATTACK_SECONDS - self._heard
            reading = self.meter.read(since, self._rings, self._gate - _RELEASE_DB - 2.0)
            pitch = hz_note(reading.hz) if reading.hz > 0 else 0.0
            self.draw([reading.level, pitch, reading.clarity])
            self._frame(time, reading, pitch, out)
            self._level = reading.level
        for time, rise in strokes:
            self._struck(time, rise)
        return out

    def silence(self) -> list[Event]:
        out: list[Event] = []
        self._end(self.now, out)
        self._forget()
        return out

    # -- what was heard ----------------------------------------------------------------------------

    def _struck(self, time: float, rise: float) -> None:
        if time - self._struck_at < _STROKES_APART:
            if self._stroke is not None:
                self._stroke = (self._stroke[0], max(self._stroke[1], rise))
            return
        self._stroke = (time, rise)
        self._struck_at = time
        self._before = self._level
        self._run = []
        rings = self._level > self._gate - _RELEASE_DB
        self._rings = self.meter.before(time - 0.003 - self._heard) if rings else None

    def _frame(self, time: float, reading: Reading, pitch: float, out: list[Event]) -> None:
        step = self.meter.hop / self.meter.rate
        self._recent = max(reading.level, self._recent - _FALL_DB * step)
        inside = self._low - 0.6 <= pitch <= self._high + 0.6
        if self._stroke is not None and self._after_stroke(time, reading, pitch, inside, out):
            return
        if self._note is not None:
            self._sounding(self._note, time, reading, pitch, inside, step, out)
        else:
            self._waiting(time, reading, pitch, inside, out)

    def _after_stroke(self, time: float, reading: Reading, pitch: float, inside: bool, out: list[Event]) -> bool:
        """Look for the note of a stroke; False where it is too late for one."""
        assert self._stroke is not None
        struck_at, rise = self._stroke
        age = time - struck_at
        window = self.meter.seconds
        if age > window + _LATE_SECONDS:
            self._stroke = None
            self._run = []
            return False
        if inside and reading.clarity >= 0.5 and reading.level >= self._gate:
            self._see(time, pitch, reading.clarity, 0.5)
        else:
            self._run = []
        seen = self._run
        best = max((one.clarity for one in seen[-2:]), default=0.0)
        sure = age >= READY * window and len(seen) >= 2 and best >= _SURE
        late = age >= _LATE_READY * window and len(seen) >= 3 and best >= self._clear
        if not sure and not late:
            return True
        if best < _SURE and reading.level < self._recent - _NOISE_DB:
            return True
        number = round(_middle(seen[-3:]))
        note = self._note
        self._stroke = None
        if note is None or note.number != number or reading.level - self._before > 0.7 or rise > AGAIN_RISE:
            self._begin(number, time, struck_at, reading, best, out)
        self._run = []
        return True

    def _sounding(
        self, note: _Note, time: float, reading: Reading, pitch: float, inside: bool, step: float, out: list[Event]
    ) -> None:
        """Follow the note that sounds, until it ends or slurs into another one."""
        if reading.level < self._gate - _RELEASE_DB:
            self._end(time, out)
            return
        if reading.clarity < _UNCLEAR or not inside:
            note.unclear += 2.0 * step
            if note.unclear > self.meter.seconds + 0.02:
                self._end(time, out)
            return
        note.unclear = 0.0
        if reading.clarity < self._clear:
            note.slid = False
            self._run = []
            return
        leap = abs(pitch - self._last_pitch)
        self._last_pitch = pitch
        away = abs(pitch - note.number)
        if away <= 0.6:
            note.clear = time
            note.slid = True
        elif leap > 0.4:
            note.slid = False
        if self.values["bends"] == "follow" and not note.silent:
            self._follow(note, time, pitch, out)
        if away <= self._stays(note):
            self._run = []
            return
        self._see(time, pitch, reading.clarity, 0.35)
        first, pitches = self._run[0], [one.pitch for one in self._run]
        number = round(_middle(self._run))
        if time - first.time < self._slur(note, time, number):
            return
        if max(pitches) - min(pitches) < 0.3 and number != note.number:
            began = max(note.clear - 0.2 * self.meter.seconds, note.time + 0.01)
            self._begin(number, time, began, reading, reading.clarity, out)
        else:
            self._run.pop(0)

    def _stays(self, note: _Note) -> float:
        """How far the pitch may go, in semitones, and the note stays."""
        bends = self.values["bends"]
        if bends == "follow" and note.slid:
            return float(self.values["bend_range"]) + 0.1
        return 0.8 if bends == "ignore" and note.slid else 0.6

    def _slur(self, note: _Note, time: float, number: int) -> float:
        """How long a pitch must stay to be a new note without a stroke."""
        clear = sum(one.clarity for one in self._run) / len(self._run)
        if time - note.time < 0.08 and clear > 0.95:
            return 0.012  # the first look was wrong
        if abs(number - note.number) in _OCTAVES:
            return max(_OCTAVE_SLUR, self._shortest)
        if note.slid and self.values["bends"] != "split":
            return max(_QUICK_SLUR, self._shortest)
        return min(_QUICK_SLUR, self._shortest) if clear > 0.93 else self._shortest

    def _waiting(self, time: float, reading: Reading, pitch: float, inside: bool, out: list[Event]) -> None:
        """Nothing sounds: a clear pitch that stays begins a note, unless it is what rings of the last one."""
        self._quietest = min(self._quietest, reading.level)
        if not inside or reading.clarity < self._clear or reading.level < self._gate:
            self._run = []
            return
        self._see(time, pitch, reading.clarity, 0.35)
        if time - self._run[0].time < min(_SOFT_START, self._shortest):
            return
        pitches = [one.pitch for one in self._run]
        if max(pitches) - min(pitches) > _SCOOP:
            self._run.pop(0)
            return
        if time - self._ended_at < _TAIL_SECONDS and reading.level < self._quietest + _TAIL_DB:
            return
        began = self._run[0].time - 0.7 * self.meter.seconds
        self._begin(round(_middle(self._run)), time, began, reading, reading.clarity, out)

    def _see(self, time: float, pitch: float, clarity: float, within: float) -> None:
        if self._run and abs(self._run[-1].pitch - pitch) > within:
            self._run = []
        self._run.append(_Seen(time, pitch, clarity))

    # -- notes -------------------------------------------------------------------------------------

    def _begin(
        self, number: int, time: float, began: float, reading: Reading, clarity: float, out: list[Event]
    ) -> None:
        if self._struck_at > self._claimed and time - self._struck_at < self.meter.seconds + 0.25:
            began = self._struck_at
        self._claimed = began
        self._end(time, out)
        velocity = max(1, self.velocity(reading.level))
        doubt = "unclear" if clarity < 0.85 else "very soft" if reading.level < self._gate + 4.0 else ""
        level = reading.level
        mark = HeardNote(
            time, number, velocity, level, level, max(0.0, began), clarity=clarity, doubt=doubt, channel=self.channel
        )
        silent = bool(doubt) and self.values["doubtful"] == "drop"
        self._note = _Note(number, time, time, mark, silent, slid=True)
        self._run = []
        self._last_pitch = float(number)
        if silent:
            return
        if self.values["bends"] == "follow" or self._bend != _MIDDLE:
            self._send_bend(_MIDDLE, time, out)
        out.append(Event(time, NOTE_ON | self.channel, number, velocity))
        self.marks.append(mark)

    def _end(self, time: float, out: list[Event]) -> None:
        note, self._note = self._note, None
        self._run = []
        self._ended_at = time
        self._quietest = self._level
        if note is None or note.silent:
            return
        doubt = note.mark.doubt
        if not doubt and time - note.time < self._shortest:
            doubt = "very short"
        out.append(Event(time, NOTE_OFF | note.mark.channel, note.number, 64))
        self.marks.append(msgspec.structs.replace(note.mark, end=time, doubt=doubt))

    def _follow(self, note: _Note, time: float, pitch: float, out: list[Event]) -> None:
        if time - self._bend_at < _BEND_SECONDS:
            return
        share = (pitch - note.number) / self.values["bend_range"]
        bend = max(0, min(16383, round(_MIDDLE + share * _MIDDLE)))
        if abs(bend - self._bend) >= 32:
            self._send_bend(bend, time, out)

    def _send_bend(self, bend: int, time: float, out: list[Event]) -> None:
        if bend != self._bend:
            out.append(Event(time, BEND | self.channel, bend & 0x7F, bend >> 7))
        self._bend = bend
        self._bend_at = time


def _middle(seen: Sequence[_Seen]) -> float:
    """The median pitch."""
    ordered = sorted(one.pitch for one in seen)
    half = len(ordered) // 2
    return ordered[half] if len(ordered) % 2 else 0.5 * (ordered[half - 1] + ordered[half])
