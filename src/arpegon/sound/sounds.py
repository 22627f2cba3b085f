"""The built-in sounds, each declared as a set of partials with its envelope."""

from __future__ import annotations

import msgspec


class Control(msgspec.Struct, frozen=True):
    """A controller that an instrument answers, for its panel: CC number, label, where it rests, how it looks."""

    number: int
    label: str
    rest: int = 0
    look: str = "knob"
    """``knob``, ``drawbar`` or ``switch`` (on from 64)."""
    help: str = ""


COMMON = (
    Control(7, "Volume", 100, help="Volume of the channel (CC 7)."),
    Control(10, "Pan", 64, help="Place of the channel from left to right (CC 10)."),
    Control(11, "Expression", 127, help="Swell within the volume (CC 11)."),
    Control(64, "Sustain", 0, "switch", help="The sustain pedal (CC 64)."),
)
VIBRATO = Control(1, "Vibrato", 0, help="Depth of the vibrato (CC 1, the modulation wheel).")
BOW = Control(1, "Bow", 72, help="How hard the bow is drawn: loudness and brightness (CC 1).")
DRAWBARS = tuple(
    Control(20 + place, feet, rest, "drawbar", help=f"The {feet} pipe (CC {20 + place}).")
    for place, (feet, rest) in enumerate(
        (("16′", 112), ("5⅓′", 0), ("8′", 127), ("4′", 96), ("2⅔′", 48), ("2′", 32), ("1⅗′", 0), ("1⅓′", 0), ("1′", 24))
    )
)
ROTARY = Control(80, "Rotor fast", 0, "switch", help="Turns the rotor fast (CC 80).")


class Sound(msgspec.Struct, frozen=True):
    """A sound as decaying partials.

    ``partials`` are (ratio to the note's frequency, amplitude, decay time in seconds at C4); a decay of 0
    holds as long as the key. ``key_decay`` shortens decays per octave up, ``tone`` darkens soft strokes and
    ``press`` brightens with channel pressure (both per octave above the fundamental). ``stiffness`` stretches
    partials as stiff strings do (Fletcher, 1964: f_n = n f sqrt(1 + B n^2)).

    ``touch`` is the power with which velocity becomes loudness (0: the sound has no velocity). ``bowed``: CC 1 is
    loudness and brightness. ``drawbars``: one controller for each partial. ``kit``: drums, one for each key from
    ``low_key`` to ``high_key``, in place of partials.
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
    touch: float = 1.5
    bowed: bool = False
    drawbars: bool = False
    kit: bool = False
    low_key: int = 0
    high_key: int = 127
    own: tuple[Control, ...] = (VIBRATO,)

    @property
    def controls(self) -> tuple[Control, ...]:
        """All controllers of its panel, its own first."""
        return (*self.own, *COMMON)


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
    Sound(
        name="bowed-wires",
        label="Bowed wires",
        summary="Strings under a slow bow; the modulation wheel draws it harder.",
        partials=(
            *((1, 0.9, 0.0), (2, 0.62, 0.0), (3, 0.5, 0.0), (4, 0.33, 0.0), (5, 0.3, 0.0), (6, 0.2, 0.0)),
            *((7, 0.13, 0.0), (1.004, 0.45, 0.0), (2.009, 0.22, 0.0)),
        ),
        attack=0.13,
        release=0.22,
        level=0.14,
        tone=0.35,
        touch=0.6,
        bowed=True,
        vibrato_cents=0.0,
        own=(BOW,),
    ),
    Sound(
        name="drawbar-organ",
        label="Drawbar organ",
        summary="Nine pipes on nine drawbars before a turning rotor; it knows no velocity.",
        partials=(
            *((0.5, 1.0, 0.0), (1.5, 1.0, 0.0), (1, 1.0, 0.0), (2, 1.0, 0.0), (3, 1.0, 0.0)),
            *((4, 1.0, 0.0), (5, 1.0, 0.0), (6, 1.0, 0.0), (8, 1.0, 0.0)),
        ),
        attack=0.006,
        release=0.02,
        level=0.075,
        tone=0.0,
        touch=0.0,
        drawbars=True,
        vibrato_cents=0.0,
        own=(*DRAWBARS, ROTARY),
    ),
    Sound(
        name="plucked-gut",
        label="Plucked gut",
        summary="A gut string plucked near its middle; bright when struck hard, soon gone.",
        partials=(
            *((1, 1.0, 1.5), (2, 0.62, 0.95), (3, 0.5, 0.62), (4, 0.22, 0.4), (5, 0.24, 0.28)),
            *((6, 0.14, 0.2), (7, 0.12, 0.13), (8, 0.06, 0.08)),
        ),
        attack=0.0015,
        release=0.09,
        level=0.2,
        key_decay=0.6,
        tone=0.8,
        stiffness=0.0001,
    ),
    Sound(
        name="fog-pad",
        label="Fog pad",
        summary="A wide, slow chord of detuned voices that comes and goes like weather.",
        partials=(
            *((1, 0.7, 0.0), (1.0058, 0.6, 0.0), (0.9946, 0.6, 0.0), (2.003, 0.3, 0.0), (1.991, 0.3, 0.0)),
            *((3.01, 0.12, 0.0), (4.02, 0.07, 0.0), (0.5, 0.35, 0.0)),
        ),
        attack=0.45,
        release=0.9,
        level=0.15,
        tone=0.6,
        touch=1.0,
        press=0.8,
        vibrato_cents=12.0,
    ),
    Sound(
        name="harbour-reed",
        label="Harbour reed",
        summary="A hollow reed of odd partials; press the key for more edge.",
        partials=(
            *((1, 1.0, 0.0), (3, 0.55, 0.0), (5, 0.32, 0.0), (7, 0.17, 0.0), (2, 0.12, 0.0)),
            *((9, 0.08, 0.0), (4, 0.06, 0.0)),
        ),
        attack=0.03,
        release=0.07,
        level=0.16,
        tone=0.4,
        touch=0.9,
        press=0.9,
        vibrato_cents=28.0,
        vibrato_hz=5.0,
    ),
    Sound(
        name="tin-kit",
        label="Tin kit",
        summary="Drums on the General MIDI drum map, from the bass drum (B1) to the triangle (A5).",
        partials=(),
        kit=True,
        low_key=35,
        high_key=81,
        level=0.5,
        own=(),
    ),
)
