"""The built-in sounds, each declared as a set of partials with its envelope."""

from __future__ import annotations

import msgspec


class Sound(msgspec.Struct, frozen=True):
    """A sound as decaying partials.

    ``partials`` are (ratio to the note's frequency, amplitude, decay time in seconds at C4); a decay of 0
    holds as long as the key. ``key_decay`` shortens decays per octave up, ``tone`` darkens soft strokes and
    ``press`` brightens with channel pressure (both per octave above the fundamental). ``stiffness`` stretches
    partials as stiff strings do (Fletcher, 1964: f_n = n f sqrt(1 + B n^2)).
    """

    name: str
    label: str
    summary: str
    partials: tuple[tuple[float, float, float], ...]
    attack: float = 0.003
    release: float = 0.15
    level: float = 0.2
    key_decay: float = 0.5
    tone: float = 0.5
    press: float = 0.5
    stiffness: float = 0.0
    vibrato_cents: float = 35.0
    vibrato_hz: float = 5.4


def _table(*sounds: Sound) -> dict[str, Sound]:
    return {sound.name: sound for sound in sounds}


SOUNDS = _table(
    Sound(
        name="felt-piano",
        label="Felt piano",
        summary="A soft upright with felt between hammers and strings.",
        partials=(
            (1, 1.0, 2.6),
            (2, 0.42, 1.9),
            (3, 0.24, 1.3),
            (4, 0.11, 0.9),
            (5, 0.07, 0.6),
            (6, 0.04, 0.45),
            (7, 0.02, 0.3),
            (0.5, 0.10, 0.05),
        ),
        attack=0.005,
        release=0.14,
        level=0.20,
        tone=0.9,
        stiffness=0.0004,
    ),
    Sound(
        name="glass-bells",
        label="Glass bells",
        summary="Small bells of glass that ring on.",
        partials=(
            (1, 1.0, 2.8),
            (2.005, 0.30, 2.2),
            (2.76, 0.34, 1.4),
            (4.07, 0.14, 0.9),
            (5.42, 0.16, 0.6),
            (8.93, 0.08, 0.22),
        ),
        attack=0.002,
        release=0.6,
        level=0.17,
        key_decay=0.35,
        tone=0.5,
        vibrato_cents=20.0,
    ),
    Sound(
        name="round-bass",
        label="Round bass",
        summary="A deep, even tone that holds as long as the key.",
        partials=((1, 1.0, 0.0), (2, 0.36, 1.2), (3, 0.16, 0.7), (4, 0.07, 0.4), (5, 0.04, 0.2)),
        attack=0.008,
        release=0.09,
        level=0.26,
        key_decay=0.3,
        tone=0.7,
    ),
)
