"""Chord: keys answered by chords, in three ways."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from arpegon.core.counting import counted
from arpegon.core.events import Event
from arpegon.core.processing.parameters import Choice, Number, Numbers, Switch, key_params
from arpegon.core.processing.processor import KeyBook
from arpegon.core.theory.chords import interval_name, stacked
from arpegon.core.theory.scales import Key, stage_key
from arpegon.core.theory.voicing import Voice, inverted, led, opened, within
from arpegon.processors.stages.pads import Pads, pad_notes

STACK_LABELS = {
    "fifth": "fifth only",
    "triad": "triad",
    "sus2": "suspended second",
    "sus4": "suspended fourth",
    "sixth": "sixth",
    "seventh": "seventh",
    "ninth": "ninth",
}


_LONGEST_CAPTION = 46
"""Letters of the voices that are named one by one; more are counted."""


class Chord(KeyBook):
    """Answers each note with a chord, which lasts as long as the key.

    ``shape``: the note itself (if ``keep_root``) and a note at each offset. ``key``: the chord that the key gives
    on the note's degree. ``pads``: the chord of the pad that the note triggers. The voices are then turned over
    (``inversion``), moved by octaves (``register``), opened (``spread``), or led smoothly: the inversion is taken
    whose notes move least from the chord before. With a strum they begin one after the other; a voice that has not
    begun when the key is let go stays silent. Voices outside 0-127 are left out, doubled ones sound once, and each
    follows the played velocity, times its level in ``shape``.
    """

    kind = "chord"
    label = "Chord"
    summary = "Answers each key with a chord."
    timed = True
    params = (
        Choice(
            name="way",
            label="Way",
            default="shape",
            options={"shape": "shape", "key": "in key", "pads": "pads"},
            help="One shape on every key, the chords of the key, or a chord of your choice on each pad.",
        ),
        Numbers(
            name="offsets",
            label="Voices added",
            default=[3, 7],
            low=-36,
            high=36,
            max_count=8,
            unit="semitones",
            help="The voices that are added to each key, in semitones above (or below) it.",
        ),
        Numbers(
            name="levels",
            label="Levels",
            default=[],
            low=0.0,
            high=2.0,
            max_count=8,
            whole=False,
            help="How loud each added voice is, as a share of the played velocity; 1 where left out.",
        ),
        Switch(
            name="keep_root",
            label="Keep the played note",
            default=True,
            help="Let the played note sound beside the voices that are added.",
        ),
        Choice(
            name="stack",
            label="Chord on each degree",
            default="triad",
            options=STACK_LABELS,
            help="Which chord the key gives on each of its degrees.",
        ),
        Choice(
            name="outside",
            label="Notes outside the key",
            default="nearest",
            options={"nearest": "take the nearest degree", "single": "stay single"},
            help="What notes outside the key do; a tie goes down.",
        ),
        *key_params(follow=True),
        Pads(name="pads", label="Pads", default=[], help="The triggers and their chords."),
        Number(
            name="columns",
            label="Pads in a row",
            default=4,
            low=1,
            high=16,
            help="How the pads are laid out on screen: as many in a row as the controller has.",
        ),
        Choice(
            name="first_row",
            label="First row",
            default="bottom",
            options={"bottom": "at the bottom", "top": "at the top"},
            help="Where the row of the first pad lies, on screen and when triggers are learnt.",
        ),
        Choice(
            name="others",
            label="Keys that are no trigger",
            default="pass",
            options={"pass": "pass", "drop": "are silent"},
            help="What happens to notes that trigger no pad.",
        ),
        Number(
            name="inversion", label="Inversion", default=0, low=-4, high=4, help="How often the lowest voice goes up."
        ),
        Number(name="register", label="Register", default=0, low=-3, high=3, unit="oct", help="Octaves up or down."),
        Choice(
            name="spread",
            label="Spread",
            default="close",
            options={"close": "close", "open": "open"},
            help="Close: the voices as near as they lie. Open: every second one an octave up.",
        ),
        Number(
            name="strum_ms",
            label="Strum",
            default=0,
            low=0,
            high=250,
            unit="ms",
            help="The time from one voice to the next.",
        ),
        Choice(
            name="strum",
            label="Strummed",
            default="up",
            options={"up": "up", "down": "down", "turn": "in turn"},
            help="From the lowest voice, from the highest, or once this way and once that.",
        ),
        Switch(
            name="lead",
            label="Lead smoothly",
            default=False,
            help="Turn each chord so that its notes move least from the chord before.",
        ),
    )

    def on_configure(self) -> None:
        values = self.values
        key = stage_key(values, self.context.key)
        self._plain = not any(values[name] for name in ("inversion", "register", "lead", "strum_ms"))
        self._plain = self._plain and values["spread"] == "close"
        self._key = key
        self._answers: dict[int, list[Voice]] = {}

    def restart(self) -> None:
        self._before: list[int] = []
        self._turn = False

    def _answer(self, note: int) -> list[Voice]:
        """The voices that answer a key, as the settings place them (not yet led from the chord before)."""
        if note not in self._answers:
            voices = chord_of(note, self.values, self._key)
            if voices is None:
                self._answers[note] = [(note, 1.0)] if self.values["others"] == "pass" else []
            else:
                self._answers[note] = within(voices) if self._plain else voiced(voices, self.values)
        return self._answers[note]

    # -- playing -----------------------------------------------------------------------------------

    def process(self, events: Sequence[Event], out: list[Event]) -> None:
        if self.bypass or not self._plain or self.down or self._queue:
            super().process(events, out)
        else:
            self.ledger.run(events, self._strike, out)

    def _strike(self, event: Event) -> Sequence[Event]:
        """The short way: all voices at once."""
        time, status, velocity = event.time, event.status, event.data2
        return [
            Event(time, status, note, velocity if level == 1.0 else min(127, max(1, round(velocity * level))))
            for note, level in self._answer(event.data1)
        ]

    def on_note_on(self, strike: int, event: Event, out: list[Event]) -> None:
        voices = self._answer(event.data1)
        if self.values["lead"]:
            voices = within(led(voices, self._before))
            self._before = [note for note, _ in voices]
        else:
            voices = within(voices)
        gap = self.values["strum_ms"] / 1000.0
        order = sorted(voices, reverse=self._downwards()) if gap else voices
        for place, (note, level) in enumerate(order):
            loudness = min(127, max(1, round(event.data2 * level)))
            voice = Event(event.time + place * gap, event.status, note, loudness)
            if not place or not gap:
                self.ledger.start(strike, (voice,), out)
            else:
                self.later(voice.time, self._strummed(strike, voice))

    def _downwards(self) -> bool:
        if self.values["strum"] == "turn":
            self._turn = not self._turn
            return not self._turn
        return bool(self.values["strum"] == "down")

    def _strummed(self, strike: int, voice: Event) -> Any:
        def start(now: float, out: list[Event]) -> None:
            if self.ledger.held(strike):
                self.ledger.start(strike, (voice.at(now),), out)

        return start

    def on_note_off(self, strike: int, event: Event, out: list[Event]) -> None:
        self.ledger.stop(strike, event.time, event.data2, out)

    # -- words -------------------------------------------------------------------------------------

    @classmethod
    def swallows(cls, values: Mapping[str, Any]) -> str | None:
        if values["way"] == "pads" and not values["pads"] and values["others"] == "drop":
            return "it has no pads, and other keys are silent"
        if values["way"] == "shape" and not shape(values):
            return "it has no voices"
        return None

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        if values["way"] == "key":
            words = f"{STACK_LABELS[values['stack']]}s of the key"
        elif values["way"] == "pads":
            words = f"{len(values['pads'])} pads"
        elif not values["offsets"]:
            words = "no voices yet"
        else:
            words = " + ".join(interval_name(offset).removeprefix("minor ") for offset in values["offsets"])
            if len(words) > _LONGEST_CAPTION:
                words = f"{counted(len(values['offsets']), 'voice')} added"
        return f"{words} · smooth" if values["lead"] else words


def shape(values: Mapping[str, Any]) -> list[tuple[int, float]]:
    """Offset and level of every voice of the shape: doubles once, as first named, and none with level 0."""
    found = {0: 1.0} if values["keep_root"] else {}
    levels = [*values["levels"], *[1.0] * 8]
    for offset, level in zip(values["offsets"], levels, strict=False):
        if level > 0:
            found.setdefault(offset, level)
    return list(found.items())


def chord_of(note: int, values: Mapping[str, Any], key: Key) -> list[Voice] | None:
    """The chord that answers a note, in root position; ``None`` where the note triggers none.

    Args:
        note: the key, 0-127.
        values: the stage's parameters.
        key: the key in which it works.
    """
    if values["way"] == "pads":
        pad = next((pad for pad in values["pads"] if pad["trigger"] == note), None)
        if pad is None:
            return None
        voices: list[Voice] = [(one, 1.0) for one in pad_notes(pad, key)]
        return [(one + 12 * pad.get("register", 0), level) for one, level in inverted(voices, pad.get("inversion", 0))]
    if values["way"] == "key":
        return [(one, 1.0) for one in key_chord(note, values["stack"], values["outside"], key)]
    return [(note + offset, level) for offset, level in shape(values)]


def key_chord(note: int, stack: str, outside: str, key: Key) -> list[int]:
    """The chord that a key gives on a note; the note alone where it lies outside and is to stay single."""
    steps = (0, -1, 1, -2, 2, -3, 3, -4, 4, -5, 5, -6, 6)
    inside = key.pitch_classes
    root = next(note + step for step in steps if (note + step) % 12 in inside)
    if root != note and outside == "single":
        return [note]
    octave, above = divmod(root - key.tonic, 12)
    degree = key.intervals.index(above)
    return [key.tonic + 12 * octave + interval for interval in stacked(key.intervals, degree, stack)]


def voiced(voices: Sequence[Voice], values: Mapping[str, Any]) -> list[Voice]:
    """A chord turned over, opened and moved by octaves as the settings say; it may still leave 0-127."""
    turned = inverted(voices, values["inversion"]) if values["inversion"] else list(voices)
    if values["spread"] == "open":
        turned = opened(turned)
    return [(note + 12 * values["register"], level) for note, level in turned]
