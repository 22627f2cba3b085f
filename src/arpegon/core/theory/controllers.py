"""What the controllers of MIDI are called.

After the table *Control Change Messages* of the MIDI 1.0 Detailed Specification (MIDI Manufacturers Association);
numbers that it leaves free have no name.
"""

from __future__ import annotations

from collections.abc import Mapping

NAMES: Mapping[int, str] = {
    0: "bank",
    1: "modulation",
    2: "breath",
    4: "foot",
    5: "portamento time",
    6: "data entry",
    7: "volume",
    8: "balance",
    10: "pan",
    11: "expression",
    12: "effect 1",
    13: "effect 2",
    16: "general 1",
    17: "general 2",
    18: "general 3",
    19: "general 4",
    32: "bank, fine",
    33: "modulation, fine",
    34: "breath, fine",
    36: "foot, fine",
    38: "data entry, fine",
    39: "volume, fine",
    42: "pan, fine",
    43: "expression, fine",
    64: "sustain",
    65: "portamento",
    66: "sostenuto",
    67: "soft pedal",
    68: "legato",
    69: "hold 2",
    70: "variation",
    71: "timbre",
    72: "release time",
    73: "attack time",
    74: "brightness",
    75: "decay time",
    76: "vibrato rate",
    77: "vibrato depth",
    78: "vibrato delay",
    80: "general 5",
    81: "general 6",
    82: "general 7",
    83: "general 8",
    84: "portamento note",
    88: "fine velocity",
    91: "reverb",
    92: "tremolo",
    93: "chorus",
    94: "detune",
    95: "phaser",
    96: "data up",
    97: "data down",
    98: "unregistered, fine",
    99: "unregistered",
    100: "registered, fine",
    101: "registered",
    120: "all sound off",
    121: "reset controllers",
    122: "local keys",
    123: "all notes off",
}


def cc_words(number: int, own: Mapping[int, str] | None = None) -> str:
    """A controller as it is read: "CC 11 expression"; names of one's own come first."""
    name = (own or {}).get(number) or NAMES.get(number, "")
    return f"CC {number} {name}".rstrip()


def cc_number(text: str, own: Mapping[int, str] | None = None) -> int | None:
    """The controller that was typed, by its number or its name; ``None`` where there is none such."""
    plain = text.strip().casefold().removeprefix("cc").strip()
    head = plain.split(" ", 1)[0]
    if head.isdecimal():
        return int(head) if int(head) <= 127 else None
    names = {**NAMES, **(own or {})}
    for test in (str.__eq__, str.startswith):
        for number, name in names.items():
            if plain and test(name.casefold(), plain):
                return number
    return None
