"""The editors of audio sources, in the real window with a real engine."""

from __future__ import annotations

import math

import msgspec
import numpy as np
import pytest
from gestures import drawn, settled, unfolded
from tools.stand_ins import RATE, Crate

from arpegon.core.document import edits
from arpegon.core.document.model import AudioSource
from arpegon.core.notes.course import Course
from arpegon.core.notes.takes import TakePart, without_doubtful
from arpegon.listen.calibration import TRIAL
from arpegon.listen.heard import HeardNote, Sight
from arpegon.listen.listeners import listener
from arpegon.ui.bench.listen_editors import HitsEditor, PitchEditor
from arpegon.ui.controls.input_meter import InputMeter
from arpegon.ui.model.session import fresh_audio
from arpegon.ui.model.words import source_words
from building import note_ons


@pytest.fixture
def on_bench(window, qtbot):
    """Puts an audio source in a strand and on the bench, and gives its editor."""

    def put(kind, file, **params):
        session = window.session
        project, strand = edits.add_strand(session.project, "Ear", "felt-piano")
        source = AudioSource(id="ear", listen=kind, file=f"stand-in:{file}", params=params)
        session.edit("listen", edits.set_source(project, strand, 0, source))
        session.select_source(strand, 0)
        settled(window, qtbot)
        return unfolded(window.bench.editor)

    return put


def values(window):
    return window.session.values(window.session.project.find_stage("ear")[1])


def source(window):
    return next(one for _, one in window.session.project.audio_sources())


def test_strokes_are_drawn_marked_and_heard(window, on_bench, qtbot):
    editor = on_bench("hits", "crate-taps")
    assert isinstance(editor, HitsEditor) and not window.bench.readout.isVisible()
    window.session.play()
    qtbot.waitUntil(lambda: len(editor.scope._marks) >= 3)
    assert editor.scope._peaks and editor.response._hits
    assert editor.audio.meter._held > -40.0
    for wide in (True, False):
        window.bench.wide.setChecked(wide)
        qtbot.waitUntil(lambda: drawn(editor.scope))
        assert drawn(editor.scope)
    qtbot.waitUntil(lambda: window.session.recorder.history().strands != [])


def test_a_tune_is_drawn_with_its_notes_and_cents(window, on_bench, qtbot):
    editor = on_bench("pitch", "hummed-tune", lowest=48, highest=70)
    assert isinstance(editor, PitchEditor)
    window.session.play()
    qtbot.waitUntil(lambda: len(editor.scope._notes) >= 1 and editor.scope.heard is not None)
    qtbot.waitUntil(lambda: editor.cents.words != "–")
    assert drawn(editor.scope) and drawn(editor.cents)
    assert "ms" in editor.needs.text()
    before = editor.needs.text()
    editor.keys.moved.emit(40, 70)
    qtbot.waitUntil(lambda: editor.needs.text() != before)
    assert values(window)["lowest"] == 40 and editor.needs.text() != before


def test_what_it_listens_to_is_chosen_and_undone(window, on_bench, qtbot, tmp_path):
    editor = on_bench("hits", "crate-taps")
    editor.audio._choose("file:stand-in:plucked-line")
    assert source(window).file == "stand-in:plucked-line"
    editor.audio._choose("Some device")
    assert (source(window).file, source(window).device) == ("", "Some device")
    assert "Some device (not there now)" in [
        editor.audio.what.itemText(place) for place in range(editor.audio.what.count())
    ]
    editor.audio._set_channels("3+4")
    assert source(window).inputs == (3, 4) and values(window)["zones"] == "two"
    editor.audio.monitor.toggled.emit(True)
    assert source(window).monitor
    editor.audio.set_file(tmp_path / "quay.wav")
    assert source(window).file.endswith("quay.wav")
    qtbot.waitUntil(lambda: any("quay.wav" in text for text in window.session.notices.values()))
    for _ in range(5):
        window.session.undo()
    assert source(window).file == "stand-in:crate-taps" and source(window).inputs == (1,)


def test_listening_for_something_else_changes_the_editor(window, on_bench, qtbot):
    editor = on_bench("hits", "plucked-line", note=50)
    editor.audio._set_kind("pitch")
    qtbot.waitUntil(lambda: isinstance(window.bench.editor, PitchEditor))
    assert source(window).listen == "pitch" and source(window).params == {}
    assert source_words(window.session.project, source(window))[0] == "Plucked line"


def strokes(strengths):
    """Blocks of sight and marks, as the engine would tell them while the pad is struck."""
    draw = np.random.default_rng(1)
    pad = Crate(draw)
    sound = 0.0005 * draw.standard_normal(int((0.4 + 0.4 * len(strengths)) * RATE))
    for place, strength in enumerate(strengths):
        knock = 0.7 * pad.stroke(strength)
        at = int((0.2 + 0.4 * place) * RATE)
        sound[at : at + len(knock)] += knock
    one = listener("hits", TRIAL, RATE)
    for start in range(0, len(sound), 800):
        one.process(sound[start : start + 800])
        marks, one.marks = one.marks, []
        yield one.sight(), marks


def test_calibration_listens_step_by_step_and_is_one_edit(window, on_bench, qtbot):
    editor = on_bench("hits", "crate-taps")
    box = editor.calibration
    box.begin.click()
    assert box.step == "quiet" and "quiet" in box.words.text()
    for number in range(80):
        box.hear(Sight(0.02 * number, 0.001, [0.0006] * 20, 0.001), [])
    assert box.step == "soft" and "softly" in box.words.text()
    for told in strokes((0.1, 0.12, 0.09, 0.11, 0.1, 0.1)):
        if box.step == "soft":
            box.hear(*told)
    assert box.step == "hard"
    for told in strokes((0.9, 0.8, 1.0, 0.95, 0.85, 0.9)):
        if box.step == "hard":
            box.hear(*told)
    assert box.step == "" and box.found is not None and box.found.values
    assert values(window)["threshold"] == box.found.values["threshold"] and "Ctrl+Z" in box.words.text()
    editor.use_for_new()
    assert fresh_audio(window.session, "hits").params["threshold"] == box.found.values["threshold"]
    window.session.undo()
    assert values(window)["threshold"] == -50.0


def test_calibration_can_be_left(window, on_bench):
    editor = on_bench("hits", "crate-taps")
    editor.calibration.begin.click()
    editor.calibration.begin.click()
    assert editor.calibration.step == "" and values(window)["threshold"] == -50.0
    editor.calibration.begin.click()
    window.session.select_stage("")
    editor.leave()
    assert editor.calibration.step == ""


def test_the_meter_says_how_loud_it_is(qapp):
    meter = InputMeter("#0F7B78")
    assert meter.words() == "silent"
    meter.take(10.0 ** (-40.0 / 20.0), 1.0)
    assert "too soft" in meter.words()
    meter.take(10.0 ** (-10.0 / 20.0), 1.1)
    assert meter.words() == "−10 dB"
    meter.take(1.2, 1.2)
    meter.tick(1.25)
    assert meter.clipped and "clips" in meter.words()
    meter.tick(9.0)
    assert not meter.clipped
    assert not math.isnan(meter.level) and drawn(meter)


def test_doubtful_notes_are_remembered_and_dropped_from_takes(window, on_bench, qtbot):
    on_bench("pitch", "hummed-tune", lowest=48, highest=70)
    session = window.session
    session.play()
    qtbot.waitUntil(lambda: session.recorder.history().strands != [])
    strand = session.project.strands[0].id
    qtbot.waitUntil(lambda: bool(note_ons(session.recorder.history().played(strand))))
    note = note_ons(session.recorder.history().played(strand))[0]
    mark = HeardNote(note.time, note.data1, 90, -20.0, -10.0, note.time, end=note.time + 0.1, doubt="string noise")
    told = msgspec.structs.replace(session.telemetry, marks={"ear": [mark]})
    session.link.keeper.take(told)
    assert session.recorder.keep()
    window.show_view("Take")
    part = window.takes.take.parts[0]
    assert len(part.doubtful) == 1 and window.takes.bar.doubtful.isVisible()
    assert drawn(window.takes.versions["played"].roll)
    before = len(window.takes.versions["played"].roll.notes)
    window.takes.bar.doubtful.click()
    assert len(window.takes.versions["played"].roll.notes) == before - 1
    assert not window.takes.bar.doubtful.isVisible()
    session.undo()
    assert len(window.takes.take.parts[0].doubtful) == 1


def test_what_was_made_of_doubtful_notes_alone_goes_with_them():
    from arpegon.core.events import note_off, note_on

    def pair(time, note):
        return (note_on(time, 0, note, 90), note_off(time + 0.3, 0, note))

    played = (*pair(0.0, 60), *pair(1.0, 70), *pair(2.0, 62))
    generated = tuple(
        sorted((*pair(0.0, 60), *pair(0.0, 67), *pair(1.0, 70), *pair(1.0, 77), *pair(2.0, 62)), key=lambda e: e.time)
    )
    part = TakePart(strand="a", name="A", played=played, generated=generated, doubtful=((1.0, 70),))
    left = without_doubtful(part, Course())
    assert [event.data1 for event in left.played if event.kind == 0x90] == [60, 62]
    assert [event.data1 for event in left.generated if event.kind == 0x90] == [60, 67, 62]
    assert left.doubtful == () and len(left.generated) == 6
