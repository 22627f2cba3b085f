"""A story from end to end: a hummed line is heard, cleaned, joined, put on sixteenths, and plays without a double."""

from __future__ import annotations

import pytest
from gestures import LEFT
from PyQt6.QtTest import QTest

from arpegon.core.document import edits
from arpegon.core.document.model import AudioSource, GeneratorSource, PortDestination
from arpegon.core.events import NOTE_ON, control
from building import generator, project, stage, strand


def do(view, name, **values):
    """Choose a remedy, set it, and do it; what it said before."""
    view.remedies.choose(name)
    view.remedies._values[name] = values
    view.remedies.look()
    words = view.remedies.words.text()
    QTest.mouseClick(view.remedies.do, LEFT)
    return words


@pytest.mark.parametrize("line", ["hummed-tune", "plucked-line"])
def test_a_line_that_is_heard_becomes_music_on_the_board(window, qtbot, line):
    hum = AudioSource(id="hum", listen="pitch", file=f"stand-in:{line}")
    one = project(strand(sources=(hum,), destinations=(PortDestination(),)), tempo=96.0)
    session = window.session
    session.load(one, None)
    session.play()
    qtbot.waitUntil(lambda: sum(e.kind == NOTE_ON for e in session.recorder.history().generated("a")) >= 8)
    session.play()
    qtbot.waitUntil(lambda: not session.telemetry.playing)
    session.recorder.keep(60.0)
    window.show_view("Take")
    view = window.takes
    assert view.take.course.tied
    view.versions["generated"].roll.choose(set())
    do(view, "clean", shorter_ms=60)
    do(view, "join", gap_ms=400, overlaps=True)
    do(view, "grid", rate="1/16", ends=True)
    notes = view.versions["generated"].roll.notes
    assert len(notes) >= 4 and all((note.start * 4) % 1 < 1e-6 and (note.end * 4) % 1 < 1e-6 for note in notes)
    view.acts.onto_board()
    heard, kept = session.project.strands[0].sources
    assert heard.bypass and kept.past
    before = session.recorder.history()
    session.rewind()
    session.play()
    count = sum(e.kind == NOTE_ON for e in kept.music.events)
    generated = [e for e in before.generated("a") if e.kind == NOTE_ON]
    qtbot.waitUntil(  # it lasts as long as it took to hear it
        lambda: sum(e.kind == NOTE_ON for e in session.recorder.history().generated("a")) >= len(generated) + count,
        timeout=60_000,
    )
    session.play()
    again = [e for e in session.recorder.history().generated("a") if e.kind == NOTE_ON][len(generated) :]
    assert [e.data1 for e in again[:count]] == [e.data1 for e in kept.music.events if e.kind == NOTE_ON]
    assert session.recorder.history().played("a") == before.played("a"), "nothing goes through the stages again"


def test_controllers_of_a_generator_and_keys_are_put_on_sixteenths_together(window, qtbot):
    wave = stage("lfo", "l", wave="triangle", starts="play", to_number=1, rate="1 bar")
    walk = generator("steps", "s", rate="1/8", patterns=[[{"note": 60}]], in_scale=False)
    session = window.session
    session.load(project(strand(stage("humanize", "h"), wave, sources=(walk, *strand().sources))), None)
    session.play()
    qtbot.waitUntil(lambda: session.telemetry.playing)
    session.feed(control(0.0, 0, 11, 40))
    qtbot.waitUntil(lambda: sum(e.kind == NOTE_ON for e in session.recorder.history().generated("a")) >= 9)
    session.play()
    session.recorder.keep(60.0)
    window.show_view("Take")
    view = window.takes
    roll = view.versions["generated"].roll
    roll.choose(set())
    values = len(roll.sheet_shown.others)
    assert values > 10
    do(view, "grid", rate="1/16", controllers=True)
    after = view.versions["generated"].roll.sheet_shown
    assert len(after.others) < values
    lines = [event.time * 4 for event in after.others] + [note.start * 4 for note in after.notes]
    assert all(abs(line - round(line)) < 1e-6 for line in lines)


@pytest.mark.parametrize("source", ["steps"])
def test_a_lovely_moment_of_a_generator_is_kept_for_good(window, qtbot, source):
    """What was heard is what plays: the notes of the clip are those of the take."""
    walk = generator(source, "s", rate="1/8", walk="random", in_scale=False)
    session = window.session
    session.load(project(strand(sources=(walk,))), None)
    session.play()
    qtbot.waitUntil(lambda: sum(e.kind == NOTE_ON for e in session.recorder.history().generated("a")) >= 6)
    session.play()
    session.recorder.keep(60.0)
    window.show_view("Take")
    window.takes.versions["generated"].roll.choose(set())
    window.takes.acts.onto_board()
    made = session.project.strands[0].sources[-1].music
    assert made.events == session.project.takes[0].parts[0].generated
    assert all(one.bypass for one in session.project.strands[0].sources if isinstance(one, GeneratorSource))
    assert edits.part_ids(session.project)
