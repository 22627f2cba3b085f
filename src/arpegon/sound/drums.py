"""The drums of the kit: what each of them is made of."""

from __future__ import annotations

import msgspec


class Drum(msgspec.Struct, frozen=True):
    """How one drum is made: a tone that falls in pitch, a bell of several tones, noise in a band."""

    name: str
    tone: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """Frequency, share by which it falls at once, decay in seconds."""
    bell: tuple[float, ...] = ()
    bell_decay: float = 0.0
    noise: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """Lowest and highest frequency, decay in seconds."""
    mix: tuple[float, float, float] = (1.0, 0.0, 0.0)
    """Levels of tone, bell and noise."""
    strokes: tuple[float, ...] = (0.0,)
    """When its noise begins: several for a clap."""
    pan: float = 0.0
    group: int = 0
    """Drums of one group (but 0) choke each other, as the two halves of a hi-hat do."""


_TIN = (540.0, 803.0, 1187.0, 1641.0, 2210.0, 3023.0)


def _tom(name: str, frequency: float, pan: float) -> Drum:
    return Drum(name, (frequency, 0.6, 0.32), noise=(400.0, 3000.0, 0.04), mix=(1.0, 0.0, 0.2), pan=pan)


def _metal(name: str, decay: float, low: float, bell: float, pan: float, group: int = 0) -> Drum:
    return Drum(
        name, bell=_TIN, bell_decay=decay * 0.8, noise=(low, 16000.0, decay), mix=(0.0, bell, 0.6), pan=pan, group=group
    )


def _skin(name: str, frequency: float, decay: float, pan: float) -> Drum:
    return Drum(name, (frequency, 0.25, decay), noise=(1000.0, 5000.0, 0.012), mix=(1.0, 0.0, 0.3), pan=pan)


def _wood(name: str, frequency: float, decay: float = 0.05) -> Drum:
    return Drum(name, (frequency, 0.05, decay), bell=(frequency * 2.7,), bell_decay=decay / 2, mix=(0.9, 0.3, 0.0))


DRUMS: dict[int, Drum] = {
    35: Drum("Bass drum, low", (48.0, 1.6, 0.28), noise=(200.0, 2500.0, 0.01), mix=(1.3, 0.0, 0.3)),
    36: Drum("Bass drum", (56.0, 2.2, 0.22), noise=(300.0, 5000.0, 0.008), mix=(1.3, 0.0, 0.4)),
    37: _wood("Side stick", 1700.0, 0.025),
    38: Drum("Snare", (188.0, 0.5, 0.11), noise=(900.0, 9000.0, 0.15), mix=(0.6, 0.0, 0.9)),
    39: Drum("Hand clap", noise=(900.0, 5000.0, 0.09), mix=(0.0, 0.0, 1.0), strokes=(0.0, 0.011, 0.022)),
    40: Drum("Snare, tight", (240.0, 0.4, 0.08), noise=(1500.0, 12000.0, 0.1), mix=(0.6, 0.0, 1.0)),
    41: _tom("Floor tom, low", 78.0, 0.5),
    42: _metal("Hi-hat, closed", 0.035, 7000.0, 0.12, -0.25, group=1),
    43: _tom("Floor tom, high", 98.0, 0.35),
    44: _metal("Hi-hat, pedal", 0.05, 6000.0, 0.1, -0.25, group=1),
    45: _tom("Tom, low", 122.0, 0.2),
    46: _metal("Hi-hat, open", 0.32, 6500.0, 0.16, -0.25, group=1),
    47: _tom("Tom, low middle", 148.0, 0.05),
    48: _tom("Tom, high middle", 178.0, -0.15),
    49: _metal("Crash", 0.9, 3500.0, 0.18, -0.4),
    50: _tom("Tom, high", 210.0, -0.3),
    51: _metal("Ride", 0.7, 5000.0, 0.35, 0.4),
    52: _metal("China", 0.7, 2500.0, 0.4, 0.3),
    53: Drum("Ride bell", bell=(1180.0, 1770.0, 2950.0), bell_decay=0.5, mix=(0.0, 0.6, 0.0), pan=0.4),
    54: _metal("Tambourine", 0.12, 8000.0, 0.1, 0.2),
    55: _metal("Splash", 0.4, 4500.0, 0.15, -0.1),
    56: Drum("Cowbell", bell=(562.0, 845.0), bell_decay=0.16, mix=(0.0, 0.7, 0.0), pan=0.15),
    57: _metal("Crash, second", 1.1, 3000.0, 0.2, 0.5),
    59: _metal("Ride, second", 0.6, 4500.0, 0.4, 0.5),
    60: _skin("Bongo, high", 420.0, 0.08, 0.3),
    61: _skin("Bongo, low", 310.0, 0.1, 0.3),
    62: _skin("Conga, muted", 330.0, 0.05, -0.3),
    63: _skin("Conga, high", 290.0, 0.16, -0.3),
    64: _skin("Conga, low", 210.0, 0.2, -0.3),
    65: _skin("Timbale, high", 480.0, 0.22, 0.2),
    66: _skin("Timbale, low", 360.0, 0.26, 0.2),
    67: Drum("Agogo, high", bell=(1020.0, 2560.0), bell_decay=0.25, mix=(0.0, 0.6, 0.0), pan=-0.2),
    68: Drum("Agogo, low", bell=(760.0, 1910.0), bell_decay=0.28, mix=(0.0, 0.6, 0.0), pan=-0.2),
    69: Drum("Cabasa", noise=(5000.0, 14000.0, 0.05), mix=(0.0, 0.0, 0.6), pan=-0.35),
    70: Drum("Maracas", noise=(6000.0, 16000.0, 0.03), mix=(0.0, 0.0, 0.6), pan=0.35),
    75: _wood("Claves", 2500.0, 0.06),
    76: _wood("Wood block, high", 1250.0),
    77: _wood("Wood block, low", 920.0),
    80: Drum("Triangle, muted", bell=(4100.0, 6730.0), bell_decay=0.06, mix=(0.0, 0.5, 0.0), pan=0.3),
    81: Drum("Triangle", bell=(4100.0, 6730.0, 9400.0), bell_decay=0.9, mix=(0.0, 0.5, 0.0), pan=0.3),
}
