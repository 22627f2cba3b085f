"""What our reader makes of real MIDI files, beside what stands in them as another reader finds it."""

from __future__ import annotations

import io
from collections import Counter, defaultdict
from pathlib import Path
from typing import Any

import mido
import msgspec

from arpegon.core.errors import FileError
from arpegon.core.events import NOTE_OFF, NOTE_ON
from arpegon.files.midi import Clip, read_midi

Notes = dict[int, list[tuple[int, int]]]
"""Beginnings and ends in ticks of the notes of each key (channel and note), in order of their beginnings."""


class Verdict(msgspec.Struct):
    """Of one file."""

    notes: int = 0
    refused: str = ""
    """Why our reader does not take it."""
    taken_by: int = 0
    """How many other readers take it."""
    empty: int = 0
    """Notes of length 0 that the file did not have."""
    moved: int = 0
    """Keys that do not sound from and to the same ticks."""
    struck: int = 0
    """Moments at which a key is struck here and not in the file, or the other way round."""


def judge(name: str, content: bytes, folder: Path) -> Verdict:
    """What our reader makes of a file."""
    theirs = _mido(content)
    found = Verdict(taken_by=(theirs is not None) + _symusic(content))
    file = folder / "song.mid"
    file.write_bytes(content)
    try:
        clip = read_midi(file)
    except FileError as error:
        found.refused = f"{name}: {error}"
        return found
    if theirs is None:
        return found
    ticks, truth, whole = theirs
    ours = _ours(clip, ticks)
    for key, notes in truth.items():
        found.notes += len(notes)
        mine = ours.get(key, [])
        found.struck += len({start for start, _ in mine} ^ {start for start, _ in notes})
        if key in whole:
            found.empty += max(0, sum(s == e for s, e in mine) - sum(s == e for s, e in notes))
            found.moved += not _alike(_sounding(mine), _sounding(notes))
    return found


def _ours(clip: Clip, ticks: int) -> Notes:
    found: Notes = defaultdict(list)
    for event in clip.events:
        key, tick = event.channel << 7 | event.data1, round(event.time * ticks)
        if event.kind == NOTE_ON:
            found[key].append((tick, -1))
        elif event.kind == NOTE_OFF and found[key] and found[key][-1][1] < 0:
            found[key][-1] = (found[key][-1][0], tick)
    return {key: [(s, e if e >= 0 else s) for s, e in notes] for key, notes in found.items()}


def _mido(content: bytes) -> tuple[int, Notes, set[int]] | None:
    """Ticks to the quarter, the notes paired first on, first off, and the keys that have as many ends as beginnings."""
    try:
        midi = mido.MidiFile(file=io.BytesIO(content), clip=True)
        messages: list[Any] = list(midi.merged_track)
    except Exception:
        return None
    tick, waiting, balance = 0, defaultdict(list), Counter[int]()
    found: Notes = defaultdict(list)
    for message in messages:
        tick += message.time
        if message.type not in ("note_on", "note_off"):
            continue
        key = message.channel << 7 | message.note
        if message.type == "note_on" and message.velocity:
            waiting[key].append(len(found[key]))
            found[key].append((tick, tick))
            balance[key] += 1
        elif waiting[key]:
            first = waiting[key].pop(0)
            found[key][first] = (found[key][first][0], tick)
            balance[key] -= 1
    return midi.ticks_per_beat, found, {key for key in found if not balance[key]}


def _symusic(content: bytes) -> bool:
    import symusic

    try:
        symusic.Score.from_midi(content)
    except Exception:
        return False
    return True


def _sounding(notes: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """From when to when a key sounds, whichever of its notes does."""
    found: list[list[int]] = []
    for start, end in sorted(notes):
        if found and start <= found[-1][1]:
            found[-1][1] = max(found[-1][1], end)
        else:
            found.append([start, end])
    return [(start, end) for start, end in found if end > start]


def _alike(one: list[tuple[int, int]], other: list[tuple[int, int]]) -> bool:
    return len(one) == len(other) and all(
        abs(a - b) <= 1 and abs(c - d) <= 1 for (a, c), (b, d) in zip(one, other, strict=True)
    )
