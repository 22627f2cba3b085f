"""What is given to which reader: each takes a drawn case, and raises only what is ours to say."""

from __future__ import annotations

import io
import json
import os
import random
import struct
import zlib
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import soundfile
from tools.fuzz.changes import as_json, changed_bytes, changed_tree

from arpegon.core.document.model import (
    GENERATOR_SOURCES,
    ClipSource,
    Project,
    Stage,
    Strand,
    StrandSource,
    SurfaceSource,
)
from arpegon.core.document.path_check import Surroundings, check_paths, sentence
from arpegon.core.errors import ArpegonError
from arpegon.core.events import control, note_off, note_on
from arpegon.core.processing.parameters import Choice, NoteValue, Number, Numbers, Param, Switch, check_params
from arpegon.core.time.clock import TEMPO_RANGE
from arpegon.engine import offline
from arpegon.files.assets import CLIPS, SOUNDS, Cache
from arpegon.files.audio import AudioFile, read_audio
from arpegon.files.autosave import Autosave
from arpegon.files.hookup_sets import load_set
from arpegon.files.keymap_csv import format_keymap, load_keymap
from arpegon.files.midi import Clip, Track, format_midi, read_midi
from arpegon.files.places import DATA, DEMO
from arpegon.files.presets import parse_preset
from arpegon.files.project import format_project, load_project, parse_project
from arpegon.files.settings import load_settings
from arpegon.files.spool import MARK, VERSION, read_spool
from arpegon.processors.facts import stage_facts
from arpegon.processors.registry import GENERATORS, GROUPS

_CLIPS: Cache[Clip] = {}
_SOUNDS: Cache[AudioFile] = {}
Case = Callable[[random.Random, Path], None]
_SECONDS = 1.5
_PLAYED = [
    note_on(0.0, 0, 60, 90),
    control(0.1, 0, 1, 77),
    note_on(0.2, 0, 64, 30),
    note_off(0.5, 0, 60),
    note_off(0.6, 0, 64),
]


def _json_seeds() -> list[object]:
    """Projects with all that there is: the demo, and one with a stage or source of every factory preset."""
    demo = json.loads(DEMO.read_text(encoding="utf-8"))
    demo["strands"] = demo["strands"][:4]
    strands: list[dict[str, object]] = []
    for file in sorted((DATA / "presets").iterdir()):
        stage = json.loads(file.read_text(encoding="utf-8")).get("stage")
        if stage is not None:
            part = {"sources": [stage]} if stage.get("kind") in _SOURCE_KINDS else {"stages": [stage]}
            strands.append({"id": f"s{len(strands)}", "name": file.stem, "sources": [{"kind": "surface"}], **part})
    return [demo, {"format": "arpegon-project", "version": 3, "title": "Many", "strands": strands, "instruments": []}]


_SOURCE_KINDS = ("steps", "rings", "rebound", "audio")
_NOTES = [
    event
    for n in range(50)
    for event in (note_on(0.1 * n, n % 16, 40 + n % 40, 1 + n), note_off(0.1 * n + 0.08, n % 16, 40 + n % 40))
]
_MIDI = format_midi([Track("Fog", _NOTES)], 96.0, (3, 4), "Tide", [(1.0, 120.0), (2.0, 30.0)])


class Readers:
    """All readers, and the files that their cases are made of.

    Args:
        songs: MIDI files of others.
    """

    def __init__(self, songs: list[bytes]) -> None:
        self.midi = [_MIDI, *(path.read_bytes() for path in (DATA / "demo").glob("*.mid")), *songs]
        self.trees = _json_seeds()
        self.presets = [path.read_bytes() for path in sorted((DATA / "presets").iterdir())]
        self.sounds = [_sound(form) for form in ("WAV", "FLAC", "OGG", "AIFF")]
        self.keymap = format_keymap([[note, 127 - note] for note in range(128)]).encode()
        self.cases: dict[str, tuple[int, Case]] = {
            "MIDI file": (6, self.read_midi),
            "MIDI file of nothing but chance": (1, self.midi_of_chance),
            "project, bytes changed": (3, self.project_bytes),
            "project, values changed": (6, self.project_tree),
            "project, worked": (4, self.project_worked),
            "project of extremes, worked": (4, self.project_of_extremes),
            "preset": (2, self.preset),
            "set of hookups": (2, self.hookups),
            "key map": (2, self.key_map),
            "sound": (2, self.sound),
            "settings": (1, self.settings),
            "work kept for a crash": (1, self.autosave),
            "memory": (1, self.memory),
        }

    def draw(self, draw: random.Random) -> str:
        """The name of a case."""
        names = list(self.cases)
        return draw.choices(names, [self.cases[name][0] for name in names])[0]

    # -- one reader each -----------------------------------------------------------------------------

    def read_midi(self, draw: random.Random, folder: Path) -> None:
        _put(folder / "x.mid", changed_bytes(draw, draw.choice(self.midi)))
        self._play(folder)

    def midi_of_chance(self, draw: random.Random, folder: Path) -> None:
        track = draw.randbytes(draw.choice((0, 3, 40, 3000)))
        head = struct.pack(">4sIHHH", b"MThd", 6, draw.choice((0, 1, 2, 9)), draw.randrange(3), draw.randrange(65536))
        _put(folder / "x.mid", head + struct.pack(">4sI", b"MTrk", len(track)) + track)
        self._play(folder)

    def _play(self, folder: Path) -> None:
        clip = read_midi(folder / "x.mid")
        strand = Strand(id="a", name="a", sources=(ClipSource(file="x.mid"),))
        document = Project(strands=(strand,))
        offline.run(document, (), {"x.mid": clip}, seconds=_SECONDS)

    def project_bytes(self, draw: random.Random, folder: Path) -> None:
        _put(folder / "x.arpegon", changed_bytes(draw, as_json(draw.choice(self.trees))))
        _work(load_project(folder / "x.arpegon"), 0.2)

    def project_tree(self, draw: random.Random, folder: Path) -> None:
        _put(folder / "x.arpegon", as_json(changed_tree(draw, draw.choice(self.trees))))
        load_project(folder / "x.arpegon")

    def project_worked(self, draw: random.Random, folder: Path) -> None:
        _work(parse_project(as_json(changed_tree(draw, draw.choice(self.trees)))), _SECONDS)

    def project_of_extremes(self, draw: random.Random, folder: Path) -> None:
        """All of it is allowed: rows of stages, each of whose settings is at an end of its range or anywhere in it."""
        strands: list[Strand] = []
        for number in range(draw.choice((1, 1, 2, 5, 20))):
            stages = tuple(_extreme_stage(draw, f"x{number}-{place}") for place in range(draw.choice((1, 3, 8, 24))))
            sources: tuple[Any, ...] = (SurfaceSource(),)
            if number and draw.random() < 0.7:
                sources += tuple(StrandSource(strand=draw.choice(strands).id) for _ in range(draw.choice((1, 3))))
            if draw.random() < 0.4:
                kind, made = draw.choice(list(GENERATOR_SOURCES.items()))
                sources += (made(id=f"g{number}", params=_extremes(draw, GENERATORS[kind].params)),)
            along, plays_on = draw.random() < 0.2, draw.random() < 0.2
            strands.append(
                Strand(id=f"s{number}", name="s", stages=stages, sources=sources, along=along, plays_on=plays_on)
            )
        _work(Project(strands=tuple(strands), tempo=draw.choice(TEMPO_RANGE)), _SECONDS)

    def preset(self, draw: random.Random, folder: Path) -> None:
        content = draw.choice(self.presets)
        parse_preset(
            changed_bytes(draw, content) if draw.random() < 0.5 else as_json(changed_tree(draw, json.loads(content)))
        )

    def hookups(self, draw: random.Random, folder: Path) -> None:
        tree = {"format": "arpegon-hookups", "version": 1, "hookups": self.trees[0]["hookups"]}  # type: ignore[index]
        content = as_json(changed_tree(draw, tree))
        _put(folder / "x.arpegon-hookups", changed_bytes(draw, content) if draw.random() < 0.3 else content)
        load_set(folder / "x.arpegon-hookups")

    def key_map(self, draw: random.Random, folder: Path) -> None:
        _put(folder / "x.csv", changed_bytes(draw, self.keymap))
        load_keymap(folder / "x.csv")

    def sound(self, draw: random.Random, folder: Path) -> None:
        number = draw.randrange(len(self.sounds))
        file = folder / f"x{draw.choice(('.wav', '.flac', '.ogg', '.aiff', '.raw', '.mp3', ''))}"
        _put(file, changed_bytes(draw, self.sounds[number]))
        read_audio(file)

    def settings(self, draw: random.Random, folder: Path) -> None:
        file = Path(os.environ["XDG_CONFIG_HOME"]) / "arpegon" / "settings.json"
        tree = {"theme": "night", "recent": ["/x"], "middle_c": 3, "block": 64, "listening": {"hits": {"sureness": 3}}}
        content = as_json(changed_tree(draw, tree))
        _put(file, changed_bytes(draw, content) if draw.random() < 0.5 else content)
        load_settings()

    def autosave(self, draw: random.Random, folder: Path) -> None:
        envelope = {"origin": "/x", "saved_at": 1.0, "project": self.trees[0]}
        content = as_json(changed_tree(draw, envelope))
        _put(
            folder / "state" / "autosave" / "1-2-1.autosave",
            changed_bytes(draw, content) if draw.random() < 0.5 else content,
        )
        mine = Autosave(folder / "state")
        for leftover in mine.leftovers():
            leftover.history()
        mine.lock.release()

    def memory(self, draw: random.Random, folder: Path) -> None:
        records = [msgspec.msgpack.encode(draw.choice(([0.0, 1, 2], {"a": 1}, "x", ["piece"], 5))) for _ in range(9)]
        framed = b"".join(struct.pack("<II", len(one), zlib.crc32(one)) + one for one in records)
        content = MARK + VERSION + b"\n" + framed
        _put(folder / "spool" / "000001.memory", changed_bytes(draw, content) if draw.random() < 0.7 else content)
        read_spool(folder / "spool")


def _put(file: Path, content: bytes) -> None:
    file.parent.mkdir(parents=True, exist_ok=True)
    file.write_bytes(content)


def _extreme_stage(draw: random.Random, stage_id: str) -> Stage:
    kind = draw.choice([one for group in GROUPS.values() for one in group])
    return Stage(id=stage_id, kind=kind.kind, params=_extremes(draw, kind.params))


def _extremes(draw: random.Random, params: Iterable[Param]) -> dict[str, Any]:
    """A value for most of what is declared, at the ends of its range more often than within."""
    found: dict[str, Any] = {}
    for param in params:
        if draw.random() < 0.4:
            continue
        if isinstance(param, Number):
            within = draw.uniform(param.low, param.high)
            value = draw.choice((param.low, param.high, within))
            found[param.name] = value if isinstance(param.step, float) else round(value)
        elif isinstance(param, Choice):
            found[param.name] = draw.choice(list(param.options))
        elif isinstance(param, Switch):
            found[param.name] = draw.random() < 0.5
        elif isinstance(param, NoteValue):
            found[param.name] = draw.choice(("1/64", "1/32T", "1/8", "1/4.", "1 bar", "4 bars"))
        elif isinstance(param, Numbers):
            count = draw.choice((1, 3, 8))
            found[param.name] = sorted({round(draw.uniform(param.low, param.high)) for _ in range(count)})
    return {key: value for key, value in found.items() if _allowed(params, key, value)}


def _allowed(params: Iterable[Param], key: str, value: Any) -> bool:
    try:
        check_params(tuple(params), {key: value}, "x")
    except ArpegonError:
        return False
    return True


def _work(project: Project, seconds: float) -> None:
    """All that is done with a project once it was read."""
    CLIPS.load(project, DEMO.parent, _CLIPS)
    SOUNDS.load(project, DEMO.parent, _SOUNDS)
    parse_project(format_project(project))
    for found in check_paths(project, stage_facts, Surroundings(inputs=[], outputs=[])):
        sentence(project, found)
    offline.run(project, _PLAYED, {}, seconds=seconds)


def _sound(form: str) -> bytes:
    buffer = io.BytesIO()
    subtype = "VORBIS" if form == "OGG" else "PCM_16"
    soundfile.write(buffer, np.sin(np.arange(4000) / 9.0), 16_000, format=form, subtype=subtype)
    return buffer.getvalue()
