"""What an audio source does, declared: :mod:`arpegon.listen` hears the notes, from these values."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from arpegon.core.events import Event
from arpegon.core.processing.parameters import Channel, Choice, NoteKey, Number, Param, Points
from arpegon.core.processing.processor import Processor
from arpegon.core.processing.values import SHAPES
from arpegon.core.theory.pitch import written


def _level(key: str, label: str, default: float, help: str) -> Number:
    return Number(name=key, label=label, default=default, low=-90.0, high=6.0, step=0.5, unit="dB", help=help)


def _touch_params(soft: float, loud: float) -> tuple[Param, ...]:
    """How a level becomes a velocity."""
    return (
        _level("soft_db", "Softest", soft, "What sounds with the lowest velocity."),
        _level("loud_db", "Loudest", loud, "What sounds with the highest velocity, and so does all that is louder."),
        Choice(
            name="shape",
            label="Response",
            default="straight",
            options=SHAPES,
            help="How velocity grows between the two, straight in dB; soft gives much early, hard gives much late.",
        ),
        Points(
            name="points",
            label="Drawn response",
            default=[[0, 0], [127, 127]],
            low=0,
            high=127,
            help="The line of a drawn response, from level to velocity.",
        ),
        Number(name="low", label="Velocity from", default=1, low=1, high=127, help="The velocity of the softest."),
        Number(name="high", label="Velocity to", default=127, low=1, high=127, help="The velocity of the loudest."),
    )


class Listening(Processor):
    """The base of both: what it heard passes as it is."""

    def process(self, events: Sequence[Event], out: list[Event]) -> None:
        out.extend(events)


class Hits(Listening):
    """Strokes on a drum pad, a contact microphone or a tapped crate become notes."""

    kind = "hits"
    label = "Hits"
    summary = "Turns strokes into notes: a drum pad, a contact microphone, a tapped crate."
    params = (
        NoteKey(name="note", label="Note", default=38, help="What a stroke plays."),
        Channel(name="channel", label="Channel", default=10, help="On which channel it plays."),
        _level("threshold", "Threshold", -50.0, "What peaks below this is no stroke."),
        Number(
            name="sensitivity",
            label="Sensitivity",
            default=50,
            low=0,
            high=100,
            unit="%",
            help="How small a rise is a stroke: more hears soft strokes under what still rings, and more false ones.",
        ),
        Number(
            name="retrigger_ms",
            label="Retrigger",
            default=35,
            low=5,
            high=500,
            unit="ms",
            help="For how long after a stroke there is no other: a pad that rings or bounces gives one note.",
        ),
        Number(
            name="scan_ms",
            label="Scan",
            default=4,
            low=1,
            high=20,
            unit="ms",
            help="How long it looks for how hard a stroke was; the note waits for that.",
        ),
        Number(
            name="length_ms", label="Note length", default=60, low=5, high=4000, unit="ms", help="How long notes last."
        ),
        *_touch_params(-46.0, 2.0),
        Choice(
            name="zones",
            label="Pad",
            default="one",
            options={"one": "one zone", "two": "head and rim"},
            help="A pad with two pick-ups sends its head on the first channel and its rim on the second.",
        ),
        NoteKey(name="rim_note", label="Rim note", default=37, help="What a stroke on the rim plays."),
        Number(
            name="rim_db",
            label="Rim from",
            default=0.0,
            low=-40.0,
            high=40.0,
            step=0.5,
            unit="dB",
            help="How much louder than the first channel the second must be for a stroke on the rim.",
        ),
        Number(
            name="group",
            label="Crosstalk group",
            default=0,
            low=0,
            high=8,
            help="Pads on one rack share a group, so that a stroke on one is not heard by the others; 0 is none.",
        ),
        Number(
            name="crosstalk_db",
            label="Crosstalk",
            default=10.0,
            low=0.0,
            high=40.0,
            step=0.5,
            unit="dB",
            help="What is softer by this than a stroke on another pad of the group, at the same moment, is no stroke.",
        ),
    )

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        rim = f", rim {written(values['rim_note'])}" if values["zones"] == "two" else ""
        return f"hits → {written(values['note'])}{rim}"


class Pitch(Listening):
    """A string, a voice or a whistle becomes notes, one at a time."""

    kind = "pitch"
    label = "Pitch"
    summary = "Turns a melody into notes, one at a time: a string, a voice, a whistle."
    params = (
        NoteKey(name="lowest", label="Lowest note", default=40, help="Lower notes need a longer look and lag more."),
        NoteKey(name="highest", label="Highest note", default=76, help="Nothing above this is heard as a note."),
        Channel(name="channel", label="Channel", default=1, help="On which channel it plays."),
        Number(
            name="sureness",
            label="Quick … sure",
            default=50,
            low=0,
            high=100,
            unit="%",
            help="How long it looks before it believes a note: quick lags less, sure makes fewer false notes.",
        ),
        _level("gate", "Gate", -50.0, "What is softer than this is silence."),
        Number(
            name="shortest_ms",
            label="Shortest note",
            default=45,
            low=10,
            high=500,
            unit="ms",
            help="How long a pitch must stay without a new stroke to be a new note; what ends sooner is doubtful.",
        ),
        Number(
            name="steadiness",
            label="Steadiness",
            default=50,
            low=0,
            high=100,
            unit="%",
            help="How pure a tone must be to be a note: more leaves out string noise, less hears breathy tones.",
        ),
        Choice(
            name="doubtful",
            label="Doubtful notes",
            default="play",
            options={"play": "play and mark", "drop": "leave out"},
            help="Notes that begin unclear or very soft are played and marked in takes, or never played.",
        ),
        *_touch_params(-46.0, -10.0),
        Choice(
            name="bends",
            label="Bends",
            default="ignore",
            options={"ignore": "ignored", "follow": "as pitch bend", "split": "in semitones"},
            help="What becomes of bends and vibrato.",
        ),
        Number(
            name="bend_range",
            label="Bend range",
            default=2,
            low=1,
            high=24,
            unit="semitones",
            help="How far a full pitch bend reaches, as the instrument understands it.",
        ),
    )

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        low, high = sorted((values["lowest"], values["highest"]))
        return f"pitch {written(low)}–{written(high)}"
