"""MIDI files as others write them: what is not needed may be wrong, and what is damaged costs only itself."""

from __future__ import annotations

import io
import struct

import mido
import pytest
from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.errors import FileError
from arpegon.core.events import NOTE_OFF, NOTE_ON
from arpegon.files.midi import read_midi
from arpegon.files.smf import NotMidi, format_smf, parse

ON, OFF = bytes((0, 0x90, 60, 80)), bytes((0x60, 0x80, 60, 64))
END = b"\0\xff\x2f\0"


def smf(*tracks, kind=1, named=None, division=96, head=b""):
    """A file of tracks that are bytes already."""
    named = len(tracks) if named is None else named
    content = b"MThd" + struct.pack(">IHHH", 6 + len(head), kind, named, division) + head
    return content + b"".join(b"MTrk" + struct.pack(">I", len(track)) + track for track in tracks)


@pytest.fixture
def clip(tmp_path):
    def read(content):
        (tmp_path / "c.mid").write_bytes(content)
        return read_midi(tmp_path / "c.mid")

    return read


def spans(clip):
    return [(event.kind, event.time) for event in clip.events if event.kind in (NOTE_ON, NOTE_OFF)]


ONE_BEAT = [(NOTE_ON, 0.0), (NOTE_OFF, 1.0)]


@pytest.mark.parametrize(
    ("content", "remark"),
    [
        (smf(b"\0\xff\x59\2\x63\x09" + ON + OFF + END), ""),  # a key signature that is none
        (smf(b"\0\xff\x51\1\7" + ON + OFF + END), "a tempo that is none"),
        (smf(b"\0\xff\x51\3\0\0\0" + ON + OFF + END), "a tempo that is none"),
        (smf(b"\0\xff\x54\2\1\1" + ON + OFF + END), ""),  # a short SMPTE offset
        (smf(ON + OFF + END)[:14] + b"XFIH\0\0\0\3abc" + smf(ON + OFF + END)[14:], ""),
        (smf(ON + OFF + END, named=3), "named but not there (2 times)"),
        (smf(ON + OFF + END, END, named=1), ""),
        (smf(ON + OFF + END, head=b"\1\2\3"), ""),
        (smf(ON + b"\0\xf0\3\x7d\1\xf7" + b"\x60\x80\x3c\x40" + END), ""),
        (smf(ON + b"\0\xf0\3\x7d\1\xf7" + b"\x60\x3c\0" + END), ""),  # running status goes on after it
        (smf(ON + b"\0\xf8\0\xf2\1\1" + OFF + END), ""),  # what belongs on a wire only
        (smf(ON + OFF), ""),  # no end of track
        (smf(ON + OFF, END)[:-8], "named but not there"),
        (smf(ON + OFF + b"\0\x90"), "a track that is damaged"),
        (smf(ON + OFF + END)[:-3], "a track that is cut off"),
        (b"a head of its own" + smf(ON + OFF + END), ""),
        (smf(ON + OFF + END) + b"\0" * 30, ""),
        (smf(b"\0\x90\xbc\x50" + OFF + END).replace(b"\xbc\x50", b"\x3c\x90"), "taken as 127"),
    ],
)
def test_what_is_not_needed_may_be_wrong_and_what_is_lost_is_said(clip, content, remark):
    found = clip(content)
    assert spans(found) == ONE_BEAT
    assert remark in found.remark and bool(found.remark) == bool(remark)


def test_film_frames_are_read_in_seconds(clip):
    found = clip(smf(b"\0\xff\x51\3\1\0\0" + ON + b"\x82\x2c\x80\x3c\x40" + END, division=(256 - 30) << 8 | 10))
    assert [event.time for event in found.seconds()] == [0.0, 1.0]


def test_patterns_of_a_type_2_file_follow_one_another(clip):
    found = clip(smf(ON + OFF + END, ON + OFF + END, kind=2))
    assert spans(found) == [*ONE_BEAT, (NOTE_ON, 1.0), (NOTE_OFF, 2.0)]


@pytest.mark.parametrize(
    ("track", "payloads"),
    [
        (b"\0\xf0\3\x43\x12\0" + b"\x10\xf7\2\x43\x12" + b"\x10\xf7\2\0\xf7", [b"\xf0\x43\x12\0\x43\x12\0\xf7"]),
        (b"\0\xf0\2\x7d\1" + ON, [b"\xf0\x7d\1\xf7"]),  # its end is left out
        (b"\0\xf7\2\xf3\1", []),
        (b"\0\xf7\5\xf0\x7d\1\2\xf7", [b"\xf0\x7d\1\2\xf7"]),
        (b"\0\xf0\3\x7d\x90\xf7" + ON, []),
    ],
)
def test_system_exclusive_in_packets_is_one_message_and_an_escape_is_none(clip, track, payloads):
    found = clip(smf(track + END))
    assert [event.payload for event in found.events if event.payload] == payloads


def test_an_escaped_note_is_a_note(clip):
    assert spans(clip(smf(b"\0\xf7\3\x90\x3c\x50" + OFF + END))) == ONE_BEAT


channel_messages = st.one_of(
    st.builds(lambda s, a, b: bytes((s, a, b)), st.integers(0x80, 0xBF), st.integers(0, 127), st.integers(0, 127)),
    st.builds(lambda s, a: bytes((s, a)), st.integers(0xC0, 0xDF), st.integers(0, 127)),
    st.builds(lambda s, a, b: bytes((s, a, b)), st.integers(0xE0, 0xEF), st.integers(0, 127), st.integers(0, 127)),
    st.binary(max_size=5).map(lambda data: b"\xf0" + bytes(value & 0x7F for value in data) + b"\xf7"),
    st.binary(max_size=200).map(lambda text: b"\xff\x01" + text),
)
tracks = st.lists(
    st.lists(st.tuples(st.integers(0, 2**30), channel_messages), max_size=8).map(
        lambda rows: sorted(rows, key=lambda row: row[0])
    ),
    min_size=1,
    max_size=3,
)


@given(tracks)
def test_what_is_written_is_read_again(written):
    found = parse(format_smf(written, 96))
    read = [[row for row in track if row[1] != b"\xff\x01"] for track in found.tracks]
    assert read == [[row for row in track if row[1] != b"\xff\x01"] for track in written]
    assert (found.ticks, found.faults) == (96, {})


@given(tracks)
def test_another_reader_reads_the_same(written):
    content = format_smf(written, 96)
    theirs = mido.MidiFile(file=io.BytesIO(content))
    for ours, track in zip(parse(content).tracks, theirs.tracks, strict=True):
        assert [m for _, m in ours if m[0] < 0xF0] == [bytes(m.bytes()) for m in track if m.type not in _NOT_CHANNEL]


_NOT_CHANNEL = {"sysex", "text", "end_of_track"}


@given(tracks, st.data())
def test_a_file_that_is_cut_keeps_what_comes_before(written, data):
    content = format_smf(written, 96)
    cut = content[: data.draw(st.integers(0, len(content) - 1))]
    try:
        found = parse(cut)
    except NotMidi:
        return
    for ours, whole in zip(found.tracks, written, strict=False):
        kept = [row for row in ours if row[1] != b"\xff\x01"]
        assert kept == [row for row in whole if row[1] != b"\xff\x01"][: len(kept)]


@given(tracks, st.lists(st.tuples(st.integers(0, 10**6), st.integers(0, 255)), min_size=1, max_size=6))
def test_no_byte_leads_to_more_than_a_sentence(tmp_path_factory, written, changes):
    content = bytearray(format_smf(written, 96))
    for place, value in changes:
        content[place % len(content)] = value
    file = tmp_path_factory.getbasetemp() / "changed.mid"
    file.write_bytes(content)
    try:
        found = read_midi(file)
    except FileError as error:
        assert str(error).endswith(".")
        return
    assert all(0 <= event.data1 < 128 and 0 <= event.data2 < 128 for event in found.events)
