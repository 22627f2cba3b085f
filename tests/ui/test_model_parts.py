"""The models beside the session: takes, surroundings of the path check, sections, files; each asked directly."""

from __future__ import annotations

import json
import threading
import time
from pathlib import Path

import msgspec
import pytest
from gestures import kept_settings

from arpegon.core.document import edits
from arpegon.core.document.model import ClipSource, Held, Hookup, Section
from arpegon.core.events import note_off, note_on
from arpegon.core.notes.course import TimeFacts
from arpegon.core.notes.memory import Remembered
from arpegon.core.notes.taps import Batch, Passage
from arpegon.core.time import studio
from arpegon.engine.wire import protocol
from arpegon.engine.wire.protocol import Health, Missing, Ports, Telemetry
from arpegon.files.autosave import Autosave
from arpegon.files.project import load_project, parse_project
from arpegon.files.settings import Settings
from arpegon.files.song import Wish
from arpegon.files.spool import read_spool
from arpegon.ui.model import exporting
from arpegon.ui.model.selection import NOTHING, Selection
from arpegon.ui.model.session import Session
from arpegon.ui.model.surroundings import surroundings
from arpegon.ui.parts import clipboard
from building import pitches, project, stage, strand


@pytest.fixture
def session(qapp):
    """A session whose engine was never started: what it is told is told by the test."""
    made = Session(Settings())
    yield made
    made.filing.autosave.lock.release()


def told(session, **changes):
    """Telemetry with changes."""
    known = {"now": time.monotonic(), "beat": 0.0, "playing": False, "tempo": 120.0, "take_began": None, "passed": []}
    known["worked_until"] = changes.get("now", known["now"])
    report = Telemetry(**{**known, "meters": {}, "health": Health(), **changes})
    session.link.arrive(report)
    return report


def passed(session, strand_id, places, *events, revision=None):
    batch = Batch(
        revision if revision is not None else session.papers.first_revision, [Passage(strand_id, places, list(events))]
    )
    session.link.keeper.take(batch)
    session.link.arrive(batch)


def loaded(session, *strands, **changes):
    session.load(project(*strands, **changes), None)
    return session


# -- the link to the engine ---------------------------------------------------------------------------


def sent_by(session, monkeypatch):
    """What goes to the engine from now on."""
    sent = []
    monkeypatch.setattr(session.link.client.supervisor, "send", sent.append)
    return sent


@pytest.mark.parametrize(
    "act, kind",
    [
        (lambda session: session.play(), protocol.Play),
        (lambda session: session.rewind(), protocol.Locate),
        (lambda session: session.recorder.record(), protocol.Play),
        (lambda session: session.piece.go(0), protocol.GoToSection),
        (lambda session: session.command("steps", "start"), protocol.CommandStage),
        (lambda session: session.feed(note_on(0.0, 0, 60, 90)), protocol.Feed),
        (lambda session: session.hear("a", [60]), protocol.Direct),
        (lambda session: session.link.play_take({}, 0.0), protocol.PlayTake),
        (lambda session: session.link.set_params("steps", {}), protocol.SetParams),
        (lambda session: session.select_stage("steps"), protocol.Watch),
        (lambda session: session.all_off(), protocol.AllOff),
    ],
)
def test_what_is_done_after_an_edit_reaches_the_engine_after_it(session, monkeypatch, act, kind):
    """However long the window is busy with showing the edit: a start would play the document of before."""
    loaded(session, strand(stage("steps")))
    sent = sent_by(session, monkeypatch)
    session.edit("Tempo", edits.set_project(session.project, tempo=91.0))
    act(session)
    document, command = sent[0], sent[1]
    assert isinstance(document, protocol.SetProject) and document.project.tempo == 91.0
    assert isinstance(command, kind)
    session.link.send_edits()
    assert sum(isinstance(one, protocol.SetProject) for one in sent) == 1, "nothing waits any longer"


def test_a_second_press_stops_what_the_first_began_although_no_frame_was_drawn_between(session, monkeypatch):
    loaded(session, strand())
    sent = sent_by(session, monkeypatch)
    session.link.set_by_frames(True)
    session.play()
    told(session, playing=True)
    session.play()
    assert [type(one) for one in sent] == [protocol.Play, protocol.Stop]
    told(session, playing=False)
    told(session, playing=True)
    session.recorder.record()
    assert len(sent) == 2, "what plays is recorded as it goes, and not begun anew"


def test_the_steps_of_a_drag_are_one_document_and_each_is_heard_at_once(session, monkeypatch, qtbot):
    loaded(session, strand(stage("velocity")))
    sent = sent_by(session, monkeypatch)
    for value in (10, 20, 30):
        session.set_params("velocity", {"offset": value})
    assert [one.values["offset"] for one in sent] == [10, 20, 30]
    qtbot.waitUntil(lambda: len(sent) > 3)
    (document,) = sent[3:]
    assert document.project.strands[0].stages[0].params["offset"] == 30


def test_an_edit_that_waits_goes_with_its_document(session, monkeypatch):
    """Else what it prints would be kept with the document that is loaded."""
    loaded(session, strand())
    sent = sent_by(session, monkeypatch)
    session.edit("Tempo", edits.set_project(session.project, tempo=91.0))
    loaded(session, strand(), tempo=77.0)
    session.link.send_edits()
    assert [one.project.tempo for one in sent if isinstance(one, protocol.SetProject)] == [77.0]


# -- what knobs have set -----------------------------------------------------------------------------


@pytest.fixture
def turned(session):
    """A session in which a knob has just set something that is not in the document yet."""
    loaded(session, strand(stage("velocity")))
    session.edit("Tempo", edits.set_project(session.project, tempo=91.0))
    session.link.arrive(protocol.Hooked([("", "velocity", "offset", 17, False)], {}, []))
    assert offset(session.project) is None and session.values(session.project.strands[0].stages[0])["offset"] == 17
    return session


def offset(project):
    return project.strands[0].stages[0].params.get("offset")


def test_what_a_knob_has_just_set_is_saved(turned, tmp_path):
    assert turned.filing.save(tmp_path / "tide.arpegon")
    assert offset(load_project(tmp_path / "tide.arpegon")) == 17 and not turned.history.dirty


def test_what_a_knob_has_just_set_is_exported(turned, monkeypatch):
    written = []
    monkeypatch.setattr(exporting.QProcess, "start", lambda *_: None)
    monkeypatch.setattr(exporting.QProcess, "write", lambda _, asked: written.append(json.loads(asked)))
    turned.export.start(Wish(project=Path("tide.arpegon")))
    assert offset(parse_project(written[0]["project"].encode())) == 17


def test_what_a_knob_has_just_set_is_undone_first(turned):
    turned.undo()
    assert offset(turned.project) is None and turned.project.tempo == 91.0
    turned.redo()
    assert offset(turned.project) == 17


def test_what_a_knob_has_just_set_is_told_to_a_new_engine(turned):
    turned.link.arrive(protocol.Notice("restart", "The engine had stopped and was started again."))
    assert offset(turned.history.project) == 17


def test_a_take_says_how_its_stages_were_turned(turned):
    now = studio.now()
    passed(turned, "a", ("in", "velocity", "out"), note_on(now, 0, 60, 90), note_off(now + 0.1, 0, 60))
    assert turned.recorder.keep()
    (take,) = turned.project.takes
    assert take.parts[0].stages[0]["params"]["offset"] == 17


@pytest.mark.parametrize("selection", [Selection("a", "stage", "velocity"), Selection("a", "strand")])
def test_what_a_knob_has_just_set_is_copied(turned, selection):
    """To the clipboard, and as a preset of one's own."""
    turned.select(selection)
    copied = clipboard.as_preset(turned)
    assert (copied.stage or copied.strand.stages[0]).params["offset"] == 17


def test_what_a_knob_has_just_set_is_held_in_a_section(turned):
    turned.edit("Add section", edits.add_section(turned.project)[0])
    turned.piece.hold("velocity", "offset")
    assert [held.value for held in turned.history.project.sections[0].holds] == [17]


def turned_in(session, section, value):
    session.link.arrive(protocol.Hooked([(section, "velocity", "offset", value, False)], {}, []))


@pytest.fixture
def between(session):
    """Two sections, of which only the first holds a value; the second one has begun."""
    calm = Section(id="calm", name="Calm", bars=1, holds=(Held(target="velocity", param="offset", value=5),))
    loaded(session, strand(stage("velocity", offset=1)), sections=(calm, Section(id="busy", name="Busy", bars=9)))
    turned_in(session, "calm", 17)
    assert session.hooking.live("velocity") == {"offset": 17}
    told(session, beat=4.0)
    assert session.piece.section.id == "busy"
    return session


def test_what_a_knob_has_set_just_before_a_section_began_is_of_the_one_before(between):
    assert between.hooking.live("velocity") == {}, "what is heard now is the project's own"
    turned_in(between, "", 30)
    assert between.hooking.live("velocity") == {"offset": 30}
    between.hooking.fold()
    (held,), own = between.history.project.sections[0].holds, offset(between.history.project)
    assert (held.value, own) == (17, 30) and between.history.undo_label == "Turn a hooked-up control"


def test_while_changes_are_held_a_section_holds_what_a_knob_sets(between):
    between.piece.set_hold_all(True)
    turned_in(between, "", 30)
    between.hooking.fold()
    assert [held.value for section in between.history.project.sections for held in section.holds] == [17, 30]
    assert offset(between.history.project) == 1


def test_an_edit_of_what_was_turned_is_the_last_word_in_its_section(between):
    project = between.history.project
    again = msgspec.structs.replace(project.sections[0].holds[0], value=8)
    between.edit("Hold", edits.hold(between.project, "calm", again))
    between.hooking.fold()
    assert between.history.project.sections[0].holds == (again,)


def test_what_an_lfo_had_set_is_forgotten_where_a_section_begins_or_ends_that_holds_it(session):
    calm = Section(id="calm", name="Calm", bars=1, holds=(Held(target="velocity", param="offset", value=5),))
    loaded(session, strand(stage("velocity")), sections=(calm, Section(id="busy", name="Busy", bars=9)))
    session.link.arrive(protocol.Hooked([("", "velocity", "offset", 9, True)], {}, []))
    told(session, beat=4.0)
    assert session.hooking.live("velocity") == {}
    session.hooking.fold()
    assert session.history.project.sections == (calm, session.history.project.sections[1])


def test_what_a_knob_has_just_set_is_kept_for_a_recovery_when_another_project_comes(turned):
    unsaved = turned.filing.autosave
    turned.filing.new()
    project = msgspec.json.decode(unsaved.file.read_bytes())["project"]
    assert offset(parse_project(msgspec.json.encode(project))) == 17


# -- the recorder -----------------------------------------------------------------------------------


def test_keep_makes_a_take_of_the_last_phrase_or_of_so_many_seconds(session):
    loaded(session, strand(stage("chord", "c")))
    now = time.monotonic()
    for at, note in ((now - 60.0, 50), (now - 2.0, 60), (now - 1.0, 62)):
        passed(session, "a", ("in",), note_on(at, 0, note, 90), note_off(at + 0.1, 0, note))
        passed(session, "a", ("c", "out"), note_on(at, 0, note + 12, 90), note_off(at + 0.1, 0, note + 12))
    kept = []
    session.recorder.kept.connect(kept.append)
    assert session.recorder.keep() and session.recorder.keep(300.0)
    longer, phrase = session.project.takes  # the newest first
    assert kept == [phrase.id, longer.id] and (phrase.name, longer.name) == ("Take 1", "Take 2")
    assert [event.data1 for event in phrase.parts[0].played if event.kind == 0x90] == [60, 62]
    assert [event.data1 for event in longer.parts[0].generated if event.kind == 0x90] == [62, 72, 74]
    session.undo()
    assert len(session.project.takes) == 1


def test_keep_and_record_say_when_there_is_nothing(session):
    loaded(session, strand())
    assert not session.recorder.keep()
    session.recorder.record()
    assert session.recorder.since is not None
    session.recorder.record()
    assert "Nothing was played" in session.notices["take"] and not session.project.takes


def test_a_recording_begins_with_its_first_note_also_where_the_engine_is_behind(session):
    """A server that stood still just now: the engine's time is behind ours until it says so."""
    loaded(session, strand())
    told(session, now=studio.now() - 0.1, worked_until=studio.now() - 0.7)
    session.recorder.record()
    first = studio.now() - 0.6
    passed(session, "a", ("in", "out"), note_on(first, 0, 60, 90), note_off(first + 0.1, 0, 60))
    session.recorder.record()
    (take,) = session.project.takes
    assert [event.data1 for event in take.parts[0].generated if event.kind == 0x90] == [60]


@pytest.mark.parametrize("tempi", [((-4.0, 240.0),), ((-4.0, 240.0), (-2.0, 480.0)), ((-4.0, 240.0), (-3.0, 60.0))])
def test_what_was_counted_in_is_not_in_a_recording_however_late_the_engine_started(session, tempi):
    """Nor whatever tempo it came to meanwhile."""
    loaded(session, strand(), tempo=240.0, count_in=1)
    told(session, now=studio.now() - 0.3)
    session.recorder.record()
    at = studio.now() - 0.25
    for place in range(6):  # four counted, then two that count
        beat = place - 4.0
        facts = [TimeFacts(second=at, beat=beat, tempo=tempo, playing=True) for line, tempo in tempi if line == beat]
        session.link.keeper.take(Batch(session.papers.first_revision, [], facts))
        passed(session, "a", ("in", "out"), note_on(at, 0, 60 + place, 90), note_off(at + 0.1, 0, 60 + place))
        at += 60.0 / next(tempo for line, tempo in reversed(tempi) if line <= beat)
    studio.set_behind(studio.behind() - 4.0)  # four seconds later
    session.recorder.record()
    (take,) = session.project.takes
    assert [event.data1 for event in take.parts[0].generated if event.kind == 0x90] == [64, 65]
    assert take.parts[0].generated[0].time == pytest.approx(0.0, abs=1e-6)


def test_a_recording_whose_count_in_was_stopped_has_all_that_was_played(session):
    loaded(session, strand(), tempo=240.0, count_in=1)
    session.recorder.record()
    start = studio.now()
    facts = [TimeFacts(start, -4.0, 240.0, True), TimeFacts(start + 0.5, -2.0, 240.0, False)]
    session.link.keeper.take(Batch(session.papers.first_revision, [], facts))
    passed(session, "a", ("in", "out"), note_on(start + 0.6, 0, 60, 90), note_off(start + 0.7, 0, 60))
    studio.set_behind(studio.behind() - 2.0)
    session.recorder.record()
    (take,) = session.project.takes
    assert [event.data1 for event in take.parts[0].generated if event.kind == 0x90] == [60]


def test_what_a_pad_begins_and_ends_lasts_from_its_strokes(session):
    """However late the window hears of them: what is struck with the pad that begins a recording is in it."""
    pads = (Hookup(id="r", control="note", number=36, action="record"), Hookup(id="k", control="note", action="keep"))
    loaded(session, strand(), hookups=pads)
    told(session, playing=True)
    struck = studio.now() - 3.0

    def hit(hookup, at):
        session.link.arrive(protocol.Hooked([], {}, [(hookup, at)]))

    for at, note in ((-0.1, 60), (0.0, 61), (1.0, 62), (1.5, 63)):
        passed(session, "a", ("in", "out"), note_on(struck + at, 0, note, 90), note_off(struck + at + 0.05, 0, note))
    hit("r", struck)
    hit("r", struck + 1.2)
    hit("k", struck + 1.4)
    kept, recorded = session.project.takes
    assert pitches(recorded.parts[0].played) == [61, 62] and recorded.name.startswith("Take")
    assert pitches(kept.parts[0].played) == [60, 61, 62]


def play_for_long(session, seconds, every=30.0):
    """A note now and then, from now on; the clock goes on with them. How many there are."""
    start, count = studio.now(), round(seconds / every)
    for place in range(count):
        at = start + place * every
        passed(session, "a", ("in", "out"), note_on(at, 0, 60, 90), note_off(at + 1.0, 0, 60))
    studio.set_behind(studio.behind() - seconds)
    return count


def test_a_recording_may_last_longer_than_the_memory(session):
    loaded(session, strand())
    told(session, playing=True)
    session.recorder.record()
    count = play_for_long(session, 3600.0)
    session.recorder.record()
    (take,) = session.project.takes
    starts = [event for event in take.parts[0].played if event.kind == 0x90]
    assert len(starts) == count == 120 and take.seconds > 3500.0
    play_for_long(session, 1200.0)
    assert len(session.recorder.history().played("a")) < 60, "once it is over, ten minutes are remembered again"


def test_all_of_a_long_recording_is_on_disk_while_it_lasts(session):
    loaded(session, strand())
    told(session, playing=True)
    session.recorder.record()
    count = play_for_long(session, 3600.0)
    session.link.keeper.flush()
    records, _ = read_spool(session.filing.autosave.memory)
    assert len(Remembered(records).played("a")) == 2 * count


@pytest.mark.parametrize("leave", [lambda session: session.filing.new(), lambda session: session.close()])
def test_a_recording_that_goes_on_as_the_window_closes_or_another_project_comes_is_kept(session, leave):
    loaded(session, strand())
    told(session, playing=True)
    session.recorder.record()
    count = play_for_long(session, 60.0)
    leave(session)
    session.filing.autosave.lock.release()
    (left,) = Autosave().leftovers()
    (take,) = left.project.takes
    assert len(take.parts[0].played) == 2 * count and session.recorder.since is None


def test_what_passed_in_another_document_is_neither_shown_nor_kept(session):
    loaded(session, strand())
    before = session.papers.first_revision
    loaded(session, strand())
    passed(session, "a", ("in", "out"), note_on(1.0, 0, 60, 90), revision=before)
    assert not session.paper("a").lines.get("in") and session.recorder.history().strands == []


# -- surroundings -----------------------------------------------------------------------------------


def test_missing_files_are_known_although_their_notices_were_dismissed(session):
    loaded(session, strand(sources=(ClipSource(file="tide.mid"),)))
    session.link.arrive(Missing("clip", {"tide.mid": "The clip “tide.mid” is not there."}))
    session.notice("clip:tide.mid", "")
    assert surroundings(session, 0.0).missing_clips == {"tide.mid"}
    assert "cannot be read" in session.paths.breaks["a"].reason
    session.link.arrive(Missing("clip", {}))
    assert "a" not in session.paths.breaks


def test_each_kind_of_what_is_missing_is_said_and_taken_back(session):
    session.link.arrive(Missing("port", {"Synth": "The MIDI output “Synth” is not there."}))
    session.link.arrive(Missing("audio-in", {"Mic": "It is gone."}))
    assert list(session.notices.values()) == ["The MIDI output “Synth” is not there.", "It is gone."]
    assert surroundings(session, 0.0).missing_inputs == {"Mic"}
    session.link.arrive(Missing("port", {}))
    assert list(session.notices) == ["audio-in:Mic"]


def test_reports_wait_for_a_frame_while_frames_are_drawn_and_none_is_lost(session, qapp):
    """From another thread, as the engine's come, while the window goes out of sight and back."""
    link, got = session.link, []
    link.ports.connect(lambda ports: got.append(ports.inputs[0]))
    link.set_by_frames(True)
    link.arrive(Ports(["first"], [], []))
    qapp.processEvents()
    assert not got
    link.deliver()
    assert got == ["first"]
    sent = [f"keys {number}" for number in range(400)]
    speaker = threading.Thread(target=lambda: [link.arrive(Ports([name], [], [])) for name in sent])
    speaker.start()
    for turn in range(200):
        link.set_by_frames(turn % 2 == 0)
    link.set_by_frames(False)
    speaker.join()
    qapp.processEvents()
    assert got[1:] == sent


def test_what_passed_of_late_ports_and_audio_are_known(session):
    loaded(session, strand(stage("chord", "c")))
    now = time.monotonic()
    passed(session, "a", ("in",), note_on(now, 0, 60, 90))
    passed(session, "a", ("c", "out"), note_on(now, 0, 64, 90), note_on(now, 0, 67, 90))
    session.link.arrive(Ports(["Keys"], ["Synth"], []))
    around = surroundings(session, now)
    assert around.passed["a"] == {"in": 1, "c": 2, "out": 2} and around.sent["a"] == {64, 67}
    assert list(around.inputs) == ["Keys"] and list(around.outputs) == ["Synth"]
    assert around.audio is None, "nobody looked for a device yet"
    told(session, health=Health(audio_known=True))
    assert surroundings(session, now).audio is False
    told(session, health=Health(audio_known=True, audio="card"))
    assert surroundings(session, now).audio is True
    told(session, health=Health(audio_rests=True))
    assert surroundings(session, now).audio is None


def test_sound_that_drops_out_often_is_said_once_until_it_was_quiet(session):
    def counted(now, count):
        told(session, now=now, health=Health(audio_dropouts=count))
        return session.notices.get("dropouts", "")

    for second in range(60):  # four in ten seconds: another program was busy
        assert not counted(100.0 + second, 2 * second // 5)
    assert not counted(161.0, 24 + 40)
    assert "Sound drops out often: 55 times" in counted(163.0, 24 + 52)
    session.notice("dropouts", "")  # dismissed
    for second in range(20):
        assert not counted(164.0 + second, 76 + 10 * second)
    assert not counted(200.0, 266) and not counted(211.0, 266)
    assert "300 times" in counted(212.0, 566)
    assert "300 times" in counted(215.0, 570)
    assert "300 times" in counted(216.0, 0)  # another engine counts anew
    assert not counted(227.0, 0)
    assert not counted(228.0, 49) and counted(229.0, 50)


# -- sections ---------------------------------------------------------------------------------------


def two_sections():
    held = Held(target="h", param="low", value=10)
    return Section(id="calm", name="Calm", bars=1), Section(id="busy", name="Busy", bars=1, holds=(held,))


def test_the_view_follows_the_transport_and_edits_go_where_they_belong(session):
    loaded(session, strand(stage("humanize", "h", low=50)), sections=two_sections())
    seen, turns = [], []
    session.changed.connect(seen.append)
    session.piece.turned.connect(lambda: turns.append(session.piece.place))
    assert session.project.strands[0].stages[0].params["low"] == 50
    told(session, beat=4.0, playing=True)
    assert session.piece.section.name == "Busy" and turns == [1]
    assert session.project.strands[0].stages[0].params["low"] == 10 and seen[-1].touches("sections")
    session.set_params("h", {"low": 20})
    assert session.history.project.strands[0].stages[0].params["low"] == 50, "the section holds it"
    assert session.history.project.sections[1].holds[0].value == 20
    session.set_params("h", {"high": 99})
    assert session.history.project.strands[0].stages[0].params["high"] == 99


def test_what_is_asked_for_is_told_until_it_begins(session):
    loaded(session, strand(), sections=two_sections())
    told(session, section_wanted=1)
    assert session.piece.wanted == 1
    told(session, beat=4.0)
    assert session.piece.wanted == -1 and session.piece.place == 1
    assert 0.0 <= session.piece.share_at(time.monotonic()) <= 1.0


# -- files ------------------------------------------------------------------------------------------


def test_what_is_saved_is_not_kept_for_a_crash_and_what_is_not_is(session, tmp_path):
    loaded(session, strand())
    session.edit("name", edits.set_strand(session.project, "a", name="Lamp"))
    session.filing.keep()
    assert session.filing.autosave.written
    path = tmp_path / "lamp.arpegon"
    assert session.filing.save(path) and not session.filing.autosave.written
    assert load_project(path).strands[0].name == "Lamp" and session.settings.recent[0] == str(path)
    assert not session.history.dirty


def test_what_another_window_remembered_meanwhile_stays(session, tmp_path):
    other = Session(Settings())
    other.change_settings(theme="night")
    other.amend_settings(lambda kept: kept.with_recent(tmp_path / "other.arpegon"))
    other.settings_keeper.finish()
    other.filing.autosave.lock.release()
    loaded(session, strand())
    assert session.filing.save(tmp_path / "mine.arpegon")
    kept = kept_settings(session)
    assert [Path(path).name for path in kept.recent[:2]] == ["mine.arpegon", "other.arpegon"] and kept.theme == "night"


def test_unsaved_work_stays_when_another_project_is_opened(session, tmp_path):
    loaded(session, strand())
    session.edit("name", edits.set_strand(session.project, "a", name="Lamp"))
    left = session.filing.autosave
    session.filing.new()
    assert left.written and session.filing.autosave.file != left.file and session.project.strands == ()
    left.clear()


def test_a_file_that_cannot_be_opened_leaves_the_document(session, tmp_path):
    loaded(session, strand())
    (tmp_path / "x.arpegon").write_text("{")
    assert not session.filing.open(tmp_path / "x.arpegon")
    assert "damaged" in session.notices["file"] and session.project.strands[0].id == "a"


# -- selection and notices ----------------------------------------------------------------------------


def test_a_selection_goes_with_what_it_selects(session):
    loaded(session, strand(stage("chord", "c")))
    session.select_stage("c")
    assert session.selection == Selection("a", "stage", "c")
    session.edit("remove", edits.remove_stage(session.project, "c"))
    assert session.selection == NOTHING
    session.select_source("a", 0)
    session.select_source("a", 7)
    assert session.selection.part == "source" and session.selection.place == 0


def test_a_notice_that_is_said_again_comes_last_and_keeps_its_acts(session):
    session.notice("one", "first")
    session.notice("two", "second", [("Do it", lambda: None)])
    session.notice("one", "first again")
    assert list(session.notices.values()) == ["second", "first again"]
    assert [words for words, _ in session.notice_list.acts["two"]] == ["Do it"]
    session.notice("two", "")
    assert "two" not in session.notice_list.acts


@pytest.mark.parametrize(
    "topic, does, button",
    [
        ("engine-gone", "start_anew", "Try again"),
        ("engine-hangs", "start_anew", "Start it again"),
        ("ears-gone", "listen_anew", "Try again"),
        ("ears-hang", "listen_anew", "Start it again"),
    ],
)
def test_a_process_that_is_gone_or_hangs_can_be_started_again_whatever_was_loaded_since(
    session, monkeypatch, topic, does, button
):
    started = []
    monkeypatch.setattr(session.link, does, lambda: started.append(True))
    session.link.said.emit(topic, "It stopped again and again and was left alone. It said: no audio")
    loaded(session, strand())
    ((words, act),) = session.notice_list.acts[topic]
    assert words == button
    act()
    assert started == [True] and topic not in session.notices


def test_what_is_missing_still_stands_when_another_document_misses_it_too(session):
    session.link.arrive(Missing("port", {"Bells": "The MIDI output “Bells” is not there."}))
    session.notice("edit", "Nothing to undo.")
    loaded(session, strand())
    assert list(session.notices) == ["port:Bells"]
    session.link.arrive(Missing("port", {}))
    assert not session.notices
