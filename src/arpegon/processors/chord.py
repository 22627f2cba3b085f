"""Chord: voices added to each key."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from arpegon.core.chords import interval_name
from arpegon.core.events import Event
from arpegon.core.parameters import Numbers, Switch
from arpegon.core.processor import NoteMapper


class Chord(NoteMapper):
    """Answers each note with itself (if ``keep_root``) and a note at each offset.

    Voices outside 0-127 are left out, doubled ones sound once, and each follows the played key's velocity
    times its level, at least 1.
    """

    kind = "chord"
    label = "Chord"
    summary = "Answers each key with a chord."
    params = (
        Numbers(
            key="offsets",
            label="Voices added",
            default=[3, 7],
            low=-36,
            high=36,
            most=8,
            unit="semitones",
            help="The voices that are added to each key, in semitones above (or below) it.",
        ),
        Numbers(
            key="levels",
            label="Levels",
            default=[],
            low=0.0,
            high=2.0,
            most=8,
            whole=False,
            help="How loud each added voice is, as a share of the played velocity; 1 where left out.",
        ),
        Switch(
            key="keep_root",
            label="Keep the played note",
            default=True,
            help="Let the played note sound beside the voices that are added.",
        ),
    )

    def configured(self) -> None:
        self._voices = voices(self.values)

    def strike(self, event: Event) -> Sequence[Event]:
        time, status, note, velocity = event.time, event.status, event.data1, event.data2
        struck = []
        for offset, level in self._voices:
            voice = note + offset
            if 0 <= voice <= 127:
                loudness = velocity if level == 1.0 else min(127, max(1, round(velocity * level)))
                struck.append(Event(time, status, voice, loudness))
        return struck

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        offsets = values["offsets"]
        if not offsets:
            return "no voices yet"
        if len(offsets) > 3:
            return f"{len(offsets)} voices added"
        return " + ".join(interval_name(offset).removeprefix("minor ") for offset in offsets)


def voices(values: Mapping[str, Any]) -> list[tuple[int, float]]:
    """Offset and level of every voice that sounds: doubles once, as first named, and none with level 0."""
    found = {0: 1.0} if values["keep_root"] else {}
    levels = [*values["levels"], *[1.0] * 8]
    for offset, level in zip(values["offsets"], levels, strict=False):
        if level > 0:
            found.setdefault(offset, level)
    return list(found.items())
