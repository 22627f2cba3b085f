"""Rendering a project to files: what sounds, as MIDI and as audio."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from pathlib import Path

import msgspec
import numpy as np

from arpegon.core.counting import counted
from arpegon.core.document.metered import metered
from arpegon.core.document.model import Project
from arpegon.core.errors import ArpegonError
from arpegon.core.events import Event
from arpegon.core.notes.course import Course, course_of
from arpegon.core.time.clock import TEMPO_RANGE, bar_beats
from arpegon.engine import offline
from arpegon.engine.graph.crowds import crowd_words
from arpegon.files.assets import CLIPS, SOUNDS, remarks
from arpegon.files.atomic import check_writable
from arpegon.files.audio import AudioFile, check_suffix, read_audio, write_audio
from arpegon.files.midi import Clip, Track, read_midi, write_song
from arpegon.files.project import load_project
from arpegon.files.song import Wish, apart, tracks_by_outlet, tracks_by_strand
from arpegon.files.take_file import course_of_clip
from arpegon.sounding import RATE, SoundAlong, all_known, audio_frames, render_audio

_LONGEST_SECONDS = 86_400.0
_LONGEST_UNASKED_SECONDS = 3 * 3600.0
"""Where nobody said how long a render should be: more is a stray event far behind the rest, or should be asked for."""
_LOUDEST = 0.98
_SOUND_SUFFIXES = (".wav", ".flac", ".ogg", ".mp3", ".aif", ".aiff")
_NEAR = 1e-6


class Remark(msgspec.Struct, frozen=True):
    """A sentence about a render; ``aside``: not its result."""

    text: str
    aside: bool = False


Progress = Callable[[float], None]
"""Told how much of a render is done, 0 ... 1."""


def render_project(
    wish: Wish, document: Project | None = None, folder: Path | None = None, progress: Progress | None = None
) -> Iterator[Remark]:
    """Render a project, and say what was done.

    Args:
        document: what is rendered; left out: what lies in the file that is wished.
        folder: where the files lie that the document names; left out: beside its own.

    Raises:
        ArpegonError: it cannot be done as wished; no file was touched but those that were written whole.
    """
    _check(wish)
    document = load_project(wish.project) if document is None else document
    folder = wish.project.parent if folder is None else folder
    files = [folder / file for _, file in document.clip_files()]
    stems = _stems(document, wish)
    _check_outputs([wish.project, *filter(None, (wish.midi_in, wish.audio_in)), *files], outputs(wish, document))
    if wish.midi_out is not None and wish.midi_out.suffix.lower() in _SOUND_SUFFIXES:
        raise ArpegonError(f"“{wish.midi_out}” is not the name of a MIDI file. End it in .mid, or use --wav for sound.")
    clips, missing = CLIPS.load(document, folder)
    heard = read_audio(wish.audio_in) if wish.audio_in else None
    sounds: dict[str, AudioFile] = {}
    if heard is None:
        sounds, unheard = SOUNDS.load(document, folder)
        missing |= unheard
    if missing:
        raise ArpegonError(next(iter(missing.values())))
    if heard is not None and not any(document.audio_sources()):
        raise ArpegonError(f"“{document.title}” has no audio source that could hear --audio-in.")
    score = read_midi(wish.midi_in, document.meter) if wish.midi_in is not None else None
    yield from (Remark(text, True) for text in remarks(clips | ({} if score is None else {"": score})))
    if score is not None and wish.take_tempo:
        document = _led_by(document, score)
    asked = wish.bars is not None or wish.seconds is not None

    def run(project: Project, observer: offline.Observer | None = None) -> offline.Result:
        return offline.run(
            project,
            [] if score is None else score.seconds() if wish.keep_tempo else score.events,
            clips,
            seconds=wish.seconds,
            bars=wish.bars,
            on_beats=not wish.keep_tempo,
            seed=wish.seed,
            sounds=sounds,
            heard=heard,
            tail=not asked,
            tempi=_tempi(score) if score is not None and wish.take_tempo else [],
            longest=_LONGEST_SECONDS if asked else _LONGEST_UNASKED_SECONDS,
            progress=None if progress is None else lambda share: progress(shares[0] + share * shares[1]),
            observer=observer,
        )

    # MIDI by strands and sound are worked out one after the other, where both are wanted.
    is_along = wish.wav_out is not None and not wish.normalize
    shares = [0.0, 0.75 if is_along else 0.5]
    by_strand = wish.midi_out is not None and wish.by == "strand" and not wish.everything
    split = apart(document) if by_strand else None
    made_along = False
    if wish.wav_out is not None and is_along:
        with SoundAlong(document, wish.wav_out, audio_frames(_most_seconds(document, wish))) as along:
            result = run(document, along)
            made_along = along.written()
    else:
        result = run(split[0] if split is not None and wish.wav_out is None else document)
    shares = [shares[1], 0.75 - shares[1]]
    if result.left_out:
        yield Remark(crowd_words(document, result.left_out), True)
    if wish.midi_out is not None:
        course = course_of(result.facts, 0.0, result.seconds)
        if split is not None:
            sent = result if wish.wav_out is None else run(split[0])
            tracks = tracks_by_strand(document, split[1], sent.ports, course)
        else:
            tracks = _tracks(document, wish, result, course)
        write_song(wish.midi_out, tracks, course, document.title, wish.single)
    if wish.wav_out is not None:
        to_write = [] if made_along else [(None, wish.wav_out)]
        # One gain for the mix and all stems, so that the stems add up to the mix.
        gain = _gain(document, result) if wish.normalize else 1.0
        for place, (name, path) in enumerate([*to_write, *stems.items()]):
            if progress is not None:
                progress(0.75 + 0.25 * place / (1 + len(stems)))
            _write_sound(document, result, path, gain, name)
    count = sum(len(events) for events in result.strands.values())
    strands = counted(len(document.strands), "strand")
    yield Remark(f"{counted(count, 'event')} from {strands} in {result.seconds:.1f} s of music.")


def _check(wish: Wish) -> None:
    """Say what cannot be wished together."""
    if wish.bars is not None and wish.seconds is not None:
        raise ArpegonError("Give --bars or --seconds, not both.")
    if wish.midi_out is None and wish.wav_out is None:
        raise ArpegonError("There is nothing to write: add --midi FILE, --wav FILE or both.")
    if wish.keep_tempo and wish.take_tempo:
        raise ArpegonError("Give --keep-tempo or --take-tempo, not both.")
    if (wish.keep_tempo or wish.take_tempo) and wish.midi_in is None:
        raise ArpegonError("--keep-tempo and --take-tempo say how --midi-in is played: give that, too.")
    if wish.stems and wish.wav_out is None:
        raise ArpegonError("--stems are written beside --wav FILE: give that, too.")
    if wish.wav_out is not None:
        check_suffix(wish.wav_out)


def _check_outputs(read: Iterable[Path], written: Sequence[Path]) -> None:
    """Ask, before the work, that no output stands where an input or another output does."""
    taken = {path.resolve(): path for path in read}
    for path in written:
        if path.resolve() in taken:
            raise ArpegonError(f"“{path}” cannot be written: the same file is read, or written to twice.")
        check_writable(path)
        taken[path.resolve()] = path


def outputs(wish: Wish, document: Project) -> list[Path]:
    """All files that a render writes."""
    return [path for path in (wish.midi_out, wish.wav_out, *_stems(document, wish).values()) if path is not None]


def _stems(document: Project, wish: Wish) -> dict[str, Path]:
    """Where the sound of each instrument goes, by its id."""
    if not wish.stems or wish.wav_out is None:
        return {}
    path = wish.wav_out
    return {one.id: path.with_name(f"{path.stem}-{one.id}{path.suffix}") for one in document.instruments}


def _most_seconds(document: Project, wish: Wish) -> float:
    """As long as the music can be: bars at the slowest tempo, or what is not refused as too long."""
    if wish.bars is not None:
        return min(_LONGEST_SECONDS, wish.bars * bar_beats(document.meter) * 60.0 / TEMPO_RANGE[0])
    return _LONGEST_UNASKED_SECONDS if wish.seconds is None else wish.seconds


def _tempi(score: Clip) -> list[tuple[float, float]]:
    """The tempi of a file, and the beats from which they apply."""
    return [(beat, min(TEMPO_RANGE[1], max(TEMPO_RANGE[0], bpm))) for beat, bpm in score.tempos]


def _led_by(document: Project, score: Clip) -> Project:
    """The document at the tempo and in the meters of a file, whatever tempi its sections have."""
    sections = tuple(
        msgspec.structs.replace(
            section,
            holds=tuple(held for held in section.holds if held.place != ("", "tempo")),
            tempo_to=None,
            tempo_within=0,
        )
        for section in document.sections
    )
    first = [bpm for beat, bpm in _tempi(score) if beat <= _NEAR] or [120.0]
    document = msgspec.structs.replace(document, tempo=first[-1], sections=sections)
    return metered(document, course_of_clip(score).meters, score.beats)


def _tracks(document: Project, wish: Wish, result: offline.Result, course: Course) -> list[Track]:
    if wish.everything:
        return [Track(strand.name, course.lay(result.strands.get(strand.id, []))) for strand in document.strands]
    instruments: dict[str, list[Event]] = {}
    for name, event in result.instruments:
        instruments.setdefault(name, []).append(event)
    return tracks_by_outlet(document, result.ports, instruments, course, wish.by == "instrument")


def _gain(document: Project, result: offline.Result) -> float:
    """Return the factor that brings the loudest moment of the mix to full level."""
    blocks = render_audio(document, all_known(result))
    peak = max((float(np.abs(block).max(initial=0.0)) for block in blocks), default=0.0)
    return _LOUDEST / peak if peak > 0.0 else 1.0


def _write_sound(document: Project, result: offline.Result, path: Path, gain: float, only: str | None) -> None:
    blocks = render_audio(document, all_known(result), only)
    write_audio(path, (block * gain for block in blocks), audio_frames(result.seconds), RATE)
