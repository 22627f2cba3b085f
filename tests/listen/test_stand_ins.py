"""The sounds that ship: their true notes stand beside them and are found in them."""

from __future__ import annotations

import pytest
from tools.stand_ins import FILES, FOLDER

from arpegon.core.events import NOTE_ON
from arpegon.files.audio import read_audio
from arpegon.files.midi import read_midi
from arpegon.files.sounds import sound_path, stand_ins
from arpegon.listen.transcript import transcript

SETTINGS = {
    "crate-taps": ("hits", {}),
    "hummed-tune": ("pitch", {"lowest": 48, "highest": 72}),
    "plucked-line": ("pitch", {}),
}


def true_notes(name):
    events = read_midi(FOLDER / f"{name}.mid").seconds()
    return [event for event in events if event.kind == NOTE_ON]


def test_all_of_them_can_be_chosen():
    assert stand_ins() == [f"stand-in:{name}" for name in sorted(FILES)]
    assert set(SETTINGS) == set(FILES)


@pytest.mark.parametrize("name", sorted(FILES))
def test_their_true_notes_are_heard(name, tmp_path):
    sound = read_audio(sound_path(f"stand-in:{name}", tmp_path))
    kind, values = SETTINGS[name]
    found = []
    for channel in range(sound.samples.shape[1]):
        found += transcript(kind, values, sound.samples[:, channel : channel + 1], sound.rate).marks
    for event in true_notes(name):
        near = [mark for mark in found if abs(mark.began - event.time) < 0.08]
        assert near, event
        assert kind == "hits" or any(mark.note == event.data1 for mark in near), event
