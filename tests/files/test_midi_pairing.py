"""Which end belongs to which note, in files that were written by others."""

from __future__ import annotations

import mido
import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.document.model import ClipSource, MidiSource
from arpegon.core.events import NOTE_OFF, NOTE_ON, control, note_off, note_on
from arpegon.engine.offline import run
from arpegon.files.midi import in_turn, read_midi
from building import project, strand

SAME_TICK = ((0, "on"), (480, "on"), (480, "off"), (960, "off"))
UNISON = ((0, "on"), (240, "on"), (480, "off"), (960, "off"))
NO_END = ((0, "on"), (480, "on"), (960, "off"))


def clip_of(folder, messages):
    midi = mido.MidiFile(ticks_per_beat=480)
    track = mido.MidiTrack()
    last = 0
    for tick, kind in messages:
        track.append(mido.Message(f"note_{kind}", note=60, velocity=80, time=tick - last))
        last = tick
    midi.tracks.append(track)
    midi.save(folder / "c.mid")
    return read_midi(folder / "c.mid")


def lengths(events):
    """Beginning and end of each note, in seconds, where ons and offs come in turn."""
    assert [event.kind for event in events] == [NOTE_ON, NOTE_OFF] * (len(events) // 2)
    return [(on.time, off.time) for on, off in zip(events[::2], events[1::2], strict=True)]


@pytest.mark.parametrize(
    ("messages", "notes"),
    [
        (SAME_TICK, [(0.0, 0.5), (0.5, 1.0)]),
        (UNISON, [(0.0, 0.25), (0.25, 1.0)]),
        (NO_END, [(0.0, 0.5), (0.5, 1.0)]),
    ],
)
def test_notes_of_files_are_as_long_as_they_were_written(tmp_path, messages, notes):
    clip = clip_of(tmp_path, messages)
    from_clip = run(project(strand(sources=(ClipSource(file="c.mid", loop=False),))), clips={"c.mid": clip}, seconds=3)
    played = run(project(strand(sources=(MidiSource(),))), clip.seconds(), seconds=3)
    for result in (from_clip, played):
        assert lengths(result.strands["a"]) == notes


def test_what_never_ends_in_a_file_ends_with_it(tmp_path):
    midi = mido.MidiFile(ticks_per_beat=480)
    messages = (
        mido.Message("control_change", control=66, value=127),
        mido.Message("note_on", note=60, velocity=80, time=480),
        mido.Message("note_on", note=64, velocity=80),
        mido.Message("note_off", note=64, time=480),
    )
    midi.tracks.append(mido.MidiTrack(messages))
    midi.save(tmp_path / "c.mid")
    assert read_midi(tmp_path / "c.mid").events[-2:] == (note_off(4.0, 0, 60), control(4.0, 0, 66, 0))


@given(st.lists(st.tuples(st.integers(0, 40), st.integers(1, 20), st.sampled_from((60, 61))), max_size=12))
def test_a_note_sounds_as_long_as_any_voice_holds_it_and_is_struck_as_often(spans):
    events = [
        event
        for start, length, note in spans
        for event in (note_on(start, 0, note, 90), note_off(start + length, 0, note))
    ]
    # Others write what happens at one moment in any order, but no note ends before it begins.
    events.sort(key=lambda event: (event.time, event.kind == NOTE_OFF))
    made = in_turn(events)
    for note in (60, 61):
        mine = [span for span in spans if span[2] == note]
        found = lengths([event for event in made if event.data1 == note])
        assert [start for start, _ in found] == sorted({start for start, _, _ in mine})
        assert all(end > start for start, end in found), "no note is as short as none"
        for moment in [half / 2 + 0.25 for half in range(130)]:
            held = any(start <= moment < start + length for start, length, _ in mine)
            assert held == any(start <= moment < end for start, end in found)


def test_voices_that_begin_one_note_at_one_moment_strike_it_once_as_loud_as_the_loudest():
    voices = [note_on(0, 0, 60, 40), note_on(0, 0, 60, 90), note_on(0, 0, 60, 70)]
    made = in_turn([*voices, note_off(1, 0, 60), note_off(2, 0, 60), note_off(3, 0, 60)])
    assert made == [note_on(0, 0, 60, 90), note_off(3, 0, 60)]


def test_what_is_no_note_and_ends_of_nothing_pass():
    events = [control(0, 0, 64, 127), note_off(1, 0, 60), note_on(2, 0, 60, 9), control(2, 0, 1, 1), note_off(3, 0, 60)]
    assert in_turn(events) == events


def with_tempi(folder):
    """Four notes, two beats apart, at 60, then from beat 4 on at 120."""
    midi = mido.MidiFile(ticks_per_beat=480)
    track = mido.MidiTrack()
    track.append(mido.MetaMessage("set_tempo", tempo=1_000_000, time=0))
    for number in range(4):
        if number == 2:
            track.append(mido.MetaMessage("set_tempo", tempo=500_000, time=0))
        track.append(mido.Message("note_on", note=60 + number, velocity=80, time=0))
        track.append(mido.Message("note_off", note=60 + number, time=960))
    midi.tracks.append(track)
    midi.save(folder / "c.mid")
    return read_midi(folder / "c.mid")


@pytest.mark.parametrize("loop", [False, True])
def test_a_clip_at_its_own_tempo_takes_all_its_tempi_and_is_rendered_whole(tmp_path, loop):
    clip = with_tempi(tmp_path)
    source = ClipSource(file="c.mid", loop=loop, follow_tempo=False)
    document = project(strand(sources=(source,)), tempo=240.0)
    length = run(document, clips={"c.mid": clip}).end
    assert length == 6.0, "four beats of a second, four of half a second"
    result = run(document, clips={"c.mid": clip}, seconds=2 * length)
    begun = [event.time for event in result.strands["a"] if event.kind == NOTE_ON]
    once = [0.0, 2.0, 4.0, 5.0]
    assert begun == pytest.approx(once + [6.0 + time for time in once] if loop else once)


@pytest.mark.parametrize(
    ("end", "next_start", "beats"), [(1920, None, 4.0), (2040, None, 4.0), (2041, None, 8.0), (2040, 1920, 8.0)]
)
def test_a_loop_whose_last_note_ends_a_little_past_the_bar_line_is_a_loop_of_that_bar(tmp_path, end, next_start, beats):
    messages = [(0, "on"), (480, "off"), (1440, "on"), (end, "off")]
    if next_start is not None:
        messages = [(0, "on"), (480, "off"), (next_start, "on"), (end, "off")]
    clip = clip_of(tmp_path, messages)
    assert clip.beats == beats
    document = project(strand(sources=(ClipSource(file="c.mid"),)), tempo=120.0)
    result = run(document, clips={"c.mid": clip}, seconds=8.0)
    begun = [event.time for event in result.strands["a"] if event.kind == NOTE_ON]
    one_round = [0.0, (1440 if next_start is None else next_start) / 960]
    rounds = int(8.0 / (beats / 2))
    assert begun == pytest.approx([number * beats / 2 + start for number in range(rounds) for start in one_round])
    lengths(result.strands["a"])
