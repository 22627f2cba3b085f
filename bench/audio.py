"""What 32 sounding voices cost."""

from __future__ import annotations

import time

from arpegon.core.document.model import Instrument
from arpegon.core.events import note_on
from arpegon.sound import SOUNDS
from arpegon.sound.mixer import Mixer
from arpegon.sound.voices import VOICES
from bench.rows import Row, median

RATE, BLOCK = 48_000, 256


def rows() -> list[Row]:
    """One row for each sound."""
    found = []
    for sound in SOUNDS.values():
        mixer = Mixer(RATE)
        mixer.set_instruments([Instrument(id="x", sound=sound.name)])
        # Crashes ring longest: the dearest strokes of a kit.
        keys = [49, 57, 51, 59] * (VOICES // 4) if sound.kit else list(range(40, 40 + VOICES))
        mixer.render(BLOCK, [(place * 3, "x", note_on(0, 0, key, 110)) for place, key in enumerate(keys)])
        costs = []
        for _ in range(150):
            began = time.perf_counter()
            mixer.render(BLOCK, [])
            costs.append((time.perf_counter() - began) * RATE / BLOCK)
        sounding = mixer.sounding
        cost = median(costs)
        found.append(
            Row(
                f"Audio: {sounding} voices of {sound.label}, 48 kHz, {BLOCK} frames",
                f"{cost * 100:.1f} % of one core",
                "the block's own time",
                f"{cost:.3f}",
                "≤ 5 %",
                cost < 0.05 and sounding == VOICES,
            )
        )
    return found
