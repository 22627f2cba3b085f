"""Finding anything by the words that people have for it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import msgspec

from arpegon.core.document.model import Project
from arpegon.files.guide import pages
from arpegon.files.presets import Preset
from arpegon.files.recipes import recipes
from arpegon.processors import WORKS
from arpegon.processors.registry import LISTENINGS
from arpegon.processors.targets import name_of, params_of

STAGE_WORDS = {
    "humanize": "random velocity human feel fixed one velocity keyboard machine alive timing loose",
    "velocity": "too loud too soft dynamics curve accent level touch fixed organ",
    "scale": "wrong notes key force quantize pitch mode",
    "transpose": "octave higher lower semitones shift third",
    "mirror": "invert inversion upside down",
    "keymap": "remap keys drum layout split swap",
    "chord": "harmony triad voices strum pads one finger",
    "thin": "mono highest lowest bass melody polyphony limit",
    "arpeggiator": "arp latch broken chord pattern up down",
    "repeat": "ratchet roll tremolo strike again",
    "echo": "delay repeats later",
    "grid": "quantize timing late swing sixteenths",
    "length": "gate staccato legato duration short long",
    "hold": "latch sustain sostenuto pedal toggle drone",
    "convert": "pedal wrong number controller cc breath aftertouch pressure wheel",
    "fan": "one knob many macro several",
    "stairs": "steps values coarse",
    "smooth": "glide slew jumps zipper",
    "lfo": "wave modulation vibrato tremolo sweep",
    "contour": "envelope drawn sequence of controllers",
    "sieve": "filter block keep only ignore reset release",
    "chance": "probability random leave out",
    "channel": "midi channel",
    "steps": "sequencer sequence pattern melody random",
    "rings": "polyrhythm euclidean rhythm drum",
    "rebound": "bouncing balls generative random",
    "hits": "drum trigger pad tap audio to midi microphone",
    "pitch": "guitar voice sing hum audio to midi string",
}
"""What people may call what a stage or source does."""

_SHOWN = 40


class Found(msgspec.Struct, frozen=True):
    """Something that can be found.

    ``kind`` says what is done with it: ``command``, ``stage``, ``preset``, ``param``, ``recipe``, ``guide``; ``what``
    is the name, preset, address or page.
    """

    kind: str
    label: str
    detail: str
    words: str
    what: Any


KINDS = {
    "command": "do",
    "stage": "add",
    "param": "turn",
    "recipe": "recipe",
    "preset": "preset",
    "guide": "guide",
}
"""What stands beside each kind."""


def places(commands: Iterable[tuple[str, str, str, str]], presets: Iterable[Preset], project: Project) -> list[Found]:
    """All that can be found now.

    Args:
        commands: name, text, keys and other words of each.
    """
    found = [Found("command", text.rstrip(" …"), keys, f"{words} {keys}", name) for name, text, keys, words in commands]
    for kind, processor in {**WORKS, **LISTENINGS}.items():
        words = f"{STAGE_WORDS.get(kind, '')} {processor.summary}"
        found.append(Found("stage", processor.label, processor.summary, words, kind))
    found += [Found("recipe", one.title, one.about, f"{one.words} {one.about}", one) for one in recipes()]
    found += [Found("preset", one.name, one.kind_label, one.about, one) for one in presets]
    found += [
        Found("guide", words, page.title, page.title, (page.name, words))
        for page in pages()
        for words in dict.fromkeys((page.title, *page.headings))
        if page.name != "processors" or words == page.title
    ]
    found += _params(project)
    return found


def _params(project: Project) -> list[Found]:
    """What can be turned in a project: "Stride of Steps in Deck steps"."""
    found = []
    for strand in project.strands:
        for part in (*(source.id for source in strand.active_sources), *(stage.id for stage in strand.stages)):
            name = name_of(project, part) or strand.name
            for key, param in params_of(project, part).items():
                label = getattr(param, "label", key)
                words = getattr(param, "help", "")
                found.append(Found("param", f"{label} of {name}", strand.name, words, (part, key)))
    return found


def search(found: Iterable[Found], text: str) -> list[Found]:
    """What fits all words of a text, the best first: a word of the label counts more than one about it."""
    wanted = text.casefold().split()
    if not wanted:
        return []
    scored = []
    for place, one in enumerate(found):
        score = _score(one, wanted)
        if score:
            scored.append((-score, place, one))
    scored.sort(key=lambda entry: entry[:2])
    return [one for *_, one in scored[:_SHOWN]]


_BESIDE = {"command": 3, "recipe": 2, "stage": 2, "param": 1, "preset": 1, "guide": 0}
"""Of two that fit as well, which comes first."""


def _score(one: Found, wanted: list[str]) -> int:
    label, about = one.label.casefold(), f"{one.words} {one.detail}".casefold()
    total = 0
    for word in wanted:
        if any(part.startswith(word) for part in label.split()):
            total += 20
        elif word in label:
            total += 12
        elif any(part.startswith(word) for part in about.split()):
            total += 8
        elif len(word) > 3 and word in about:
            total += 3
        else:
            return 0
    whole = " ".join(wanted)
    if label.startswith(whole):
        total += 25
    elif f" {whole}" in f" {about}":
        total += 10
    return total * 4 + _BESIDE[one.kind]
