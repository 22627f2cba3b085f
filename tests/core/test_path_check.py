"""The path check: the first break of each broken project, and its mend."""

from __future__ import annotations

import msgspec
import pytest

from arpegon.core.document import edits
from arpegon.core.document.mending import MENDS, mend_label, mended
from arpegon.core.document.model import (
    AudioSource,
    ClipSource,
    Held,
    Hookup,
    Instrument,
    InstrumentDestination,
    MidiSource,
    PortDestination,
    Section,
    StrandDestination,
    StrandSource,
    SurfaceSource,
)
from arpegon.core.document.path_check import Surroundings, check_paths, sentence
from arpegon.processors.facts import check_piece, loose_ends, stage_facts
from arpegon.sound import DEFAULT_SOUND, PLAYED_KEYS
from building import BELLS, generator, project, stage, strand

BELL = InstrumentDestination(instrument="bells", channel=0)
AROUND = Surroundings(
    missing_clips={"gone.mid", "gone.wav"},
    missing_inputs={"Quay"},
    inputs=[],
    outputs=[],
    playing=False,
    keys=PLAYED_KEYS,
)

BREAKS = [
    (strand(sources=()), "source", "no source"),
    (strand(sources=(SurfaceSource(low_key=70, high_key=60),)), "source", "zone is empty"),
    (strand(sources=(SurfaceSource(low_velocity=90, high_velocity=80),)), "source", "zone is empty"),
    (strand(sources=(ClipSource(),)), "source", "no file"),
    (strand(sources=(ClipSource(file="gone.mid"),)), "source", "cannot be read"),
    (strand(sources=(MidiSource(port="Keys"),)), "source", "Keys"),
    (strand(sources=(MidiSource(),)), "source", "no MIDI input"),
    (strand(sources=(StrandSource(strand="nobody"),)), "source", "gone"),
    (strand(sources=(StrandSource(strand="a", after="gone"),)), "source", "stage after which"),
    (strand(sources=(AudioSource(id="e", file="gone.wav"),)), "source", "gone.wav"),
    (strand(sources=(AudioSource(id="e", file="stand-in:crate-taps"),)), "source", "waits for the transport"),
    (strand(sources=(AudioSource(id="e", device="Quay"),)), "source", "Quay"),
    (strand(sources=(AudioSource(id="e", bypass=True),)), "source", "set to rest"),
    (strand(muted=True), "strand", "muted"),
    (strand(stage("chance", percent=0)), "stage", "at 0 %"),
    (strand(stage("sieve", kinds=["notes"])), "stage", "keeps all notes out"),
    (strand(stage("sieve", action="pass", kinds=["cc"])), "stage", "lets no notes through"),
    (strand(stage("sieve", action="pass", low_key=9, high_key=5)), "stage", "empty"),
    (strand(stage("chord", keep_root=False, offsets=[])), "stage", "no voices"),
    (strand(stage("chord", way="pads", others="drop")), "stage", "no pads"),
    (strand(stage("keymap", octave=True, threads={str(60 + n): [] for n in range(12)})), "stage", "thread"),
    (strand(stage("repeat", rhythm=[0.0, 0.0])), "stage", "rests"),
    (strand(stage("repeat", starts="beat")), "stage", "waits for the transport"),
    (strand(destinations=()), "destination", "no destination"),
    (strand(destinations=(InstrumentDestination(instrument="harp"),)), "destination", "gone"),
    (strand(destinations=(InstrumentDestination(instrument="bells", muted=True),)), "destination", "muted"),
    (strand(destinations=(PortDestination(port="Synth"),)), "destination", "Synth"),
    (strand(destinations=(StrandDestination(strand="nobody"),)), "destination", "gone"),
]


@pytest.mark.parametrize(("silent", "part", "words"), BREAKS)
def test_the_first_break_is_named_and_what_can_be_mended_is_mended(silent, part, words):
    broken = project(silent)
    (found,) = check_paths(broken, stage_facts, AROUND)
    assert found.part == part and words in found.reason
    assert sentence(broken, found).startswith("“A” is silent: ")
    if found.mend in MENDS:
        assert mend_label(found)
        assert found not in check_paths(mended(broken, found, DEFAULT_SOUND), stage_facts, AROUND)


def test_a_sound_path_is_not_broken():
    good = project(strand(stage("humanize"), stage("chord"), stage("thin")))
    assert check_paths(good, stage_facts, AROUND) == []
    assert check_paths(good, stage_facts) == []


@pytest.mark.parametrize(
    ("changes", "words"),
    [({"level_db": -96.0}, "zero"), ({"muted": True}, "muted"), ({"channel": 4}, "plays only channel 5")],
)
def test_an_instrument_that_cannot_sound_is_named_and_mended(changes, words):
    broken = edits.set_instrument(project(strand()), "bells", **changes)
    (found,) = check_paths(broken, stage_facts)
    assert words in found.reason
    assert check_paths(mended(broken, found, DEFAULT_SOUND), stage_facts) == []


# -- what is meant so --------------------------------------------------------------------------------

VALUES_ONLY = stage("sieve", "no", kinds=["notes"])
WALK = generator("steps", "s", starts="action")


def silent(one, around=None):
    return [found.strand for found in check_paths(one, stage_facts, around or Surroundings(playing=False))]


def test_a_strand_that_keeps_its_notes_out_for_the_sake_of_its_controllers_is_not_silent():
    wheel = strand(VALUES_ONLY, strand_id="wheel")
    on_into = strand(VALUES_ONLY, destinations=(StrandDestination(strand="wheel"),))
    assert silent(project(on_into, strand(strand_id="wheel"))) == []
    assert silent(project(wheel, strand(strand_id="keys"))) == [], "it plays the instrument that the keys play"
    taken = strand(strand_id="b", sources=(StrandSource(strand="a"),))
    assert silent(project(strand(VALUES_ONLY, destinations=()), taken)) == []
    assert silent(project(wheel)) == ["wheel"], "alone it makes no sound"
    nothing = stage("sieve", kinds=["notes", "cc", "pressure", "bend", "program", "sysex"])
    assert silent(project(strand(nothing), strand(strand_id="keys"))) == ["a"]
    played = Surroundings(playing=True, passed={"wheel": {"in": 5, "no": 0, "out": 0}})
    assert silent(project(wheel, strand(strand_id="keys")), played) == []


def test_a_strand_that_only_carries_a_wave_is_not_silent():
    wave = strand(stage("lfo", "w", target="none"), sources=(), destinations=())
    hooked = project(wave, hookups=(Hookup(id="h", control="stage", stage="w", param="tempo"),))
    assert silent(hooked) == []
    assert silent(project(wave)) == ["a"], "nothing hears it"
    assert silent(project(strand(stage("lfo", "w"), sources=()))) == []
    assert silent(project(strand(stage("lfo", "w"), sources=(MidiSource(port="Keys"),))), AROUND) == ["a"]


def test_what_only_an_action_starts_must_be_started_by_something():
    for one in (strand(sources=(WALK,)), strand(stage("arpeggiator", "s", starts="action"))):
        (found,) = check_paths(project(one), stage_facts)
        assert "no hookup starts it" in found.reason
        starts = Hookup(id="h", control="note", number=36, target="s", action="start")
        assert silent(project(one, hookups=(starts,))) == []
        assert silent(project(one), Surroundings(playing=False, passed={"a": {"in": 3, "s": 3, "out": 3}})) == []


@pytest.mark.parametrize(
    ("one", "hookup"),
    [
        (strand(muted=True), Hookup(id="h", target="a", action="mute")),
        (strand(muted=True), Hookup(id="h", target="a", param="muted")),
        (strand(stage("chance", "c", percent=0)), Hookup(id="h", target="c", action="bypass")),
        (strand(sources=(generator("steps", "s", bypass=True),)), Hookup(id="h", target="s", action="bypass")),
    ],
)
def test_what_a_hookup_turns_over_is_not_silent_for_good(one, hookup):
    hooked = project(one, hookups=(hookup,))
    assert check_piece(hooked, Surroundings()) == [] and check_piece(project(one), Surroundings())
    muted = project(one, hookups=(msgspec.structs.replace(hookup, muted=True),))
    assert check_piece(muted, Surroundings())
    assert silent(hooked, Surroundings(playing=True)) == ["a"], "while it runs it is known how things stand"


def test_a_strand_that_a_section_wakes_is_silent_only_where_none_does():
    wakes = Held(target="a", param="muted", value=False)
    sections = (Section(id="calm", name="Calm"), Section(id="storm", name="Storm", holds=(wakes,)))
    asleep = project(strand(muted=True), strand(strand_id="b", muted=True), sections=sections)
    assert [found.strand for found in check_piece(asleep, Surroundings())] == ["b"]


def test_what_hookups_and_sections_are_tied_to_must_be_there():
    hookups = (
        Hookup(id="a", name="Wheel", target="gone", param="semitones"),
        Hookup(id="b", target="t", param="wobble"),
        Hookup(id="c", target="gone", action="mute"),
        Hookup(id="d", target="t", action="pattern-next"),
        Hookup(id="e", control="stage", stage="gone", param="tempo"),
        Hookup(id="f", control="stage", stage="t", param="tempo"),
        Hookup(id="g"),
        Hookup(id="i", tap="a/gone", param="tempo"),
        Hookup(id="j", tap="a/t", param="tempo"),
        Hookup(id="fine", target="t", param="semitones"),
        Hookup(id="good", action="play"),
    )
    holds = (Held(target="gone", param="muted", value=True), Held(param="tempo", value=90.0))
    one = project(strand(stage("transpose", "t")), hookups=hookups, sections=(Section(id="s", name="S", holds=holds),))
    words = list(loose_ends(one))
    assert [text.split("”")[0].split("“")[1] for text in words] == ["Wheel", "b", "c", "d", "e", "f", "g", "i", "S"]
    assert words[0] == "The hookup “Wheel” does nothing: “gone” is not there."
    assert words[1] == "The hookup “b” does nothing: Transpose in A has no setting “wobble”."
    assert "“Next pattern” cannot be done with Transpose in A" in words[3]
    assert words[-1] == "The section “S” holds a value for nothing: “gone” is not there."


def test_a_solo_elsewhere_is_a_break():
    solo = project(strand(), strand(strand_id="b", solo=True))
    (found,) = check_paths(solo, stage_facts)
    assert found.strand == "a" and check_paths(mended(solo, found, DEFAULT_SOUND), stage_facts) == []


def test_an_instrument_that_does_not_play_what_it_is_sent():
    kit = Instrument(id="bells", sound="tin-kit")
    drums = edits.set_project(project(strand(stage("transpose"))), instruments=(kit,))
    around = Surroundings(keys=PLAYED_KEYS, sent={"a": {90, 100}})
    (found,) = check_paths(drums, stage_facts, around)
    assert "B1 to A5" in found.reason
    assert not check_paths(drums, stage_facts, Surroundings(keys=PLAYED_KEYS, sent={"a": {36, 100}}))
    bare = edits.set_project(project(strand(sources=(SurfaceSource(low_key=90),))), instruments=(kit,))
    assert "no source brings" in check_paths(bare, stage_facts, Surroundings(keys=PLAYED_KEYS))[0].reason


def test_a_stage_that_let_nothing_through_of_late():
    one = project(strand(stage("transpose", "t"), stage("sieve", "s", low_key=60)))
    (found,) = check_paths(one, stage_facts, Surroundings(passed={"a": {"in": 5, "t": 5, "out": 0}}))
    assert found.stage == "s" and "any of the 5 notes" in found.reason
    assert not check_paths(one, stage_facts, Surroundings(passed={"a": {"in": 5, "t": 5, "out": 1}}))
    assert not check_paths(one, stage_facts, Surroundings(passed={"a": {}}))


def test_without_an_audio_device_instruments_are_silent_and_ports_are_not():
    around = Surroundings(audio=False)
    assert check_paths(project(strand()), stage_facts, around)[0].part == "audio"
    assert not check_paths(project(strand(destinations=(BELL, PortDestination()))), stage_facts, around)


def test_what_is_bypassed_does_not_break():
    assert not check_paths(project(strand(stage("chance", percent=0, bypass=True))), stage_facts, AROUND)


def test_sending_the_source_along_passes_a_stage_that_swallows():
    assert not check_paths(project(strand(stage("chance", percent=0), along=True)), stage_facts, AROUND)


def test_a_strand_that_only_feeds_another_needs_no_destination():
    now = project(strand(destinations=()), strand(strand_id="b", sources=(StrandSource(strand="a"),)))
    assert not check_paths(now, stage_facts)
    assert BELLS in now.instruments


def test_a_clip_past_the_stages_sounds_whatever_they_do():
    clip = ClipSource(id="c", file="kept.mid", past=True)
    deaf = strand(stage("sieve", "s", notes=False), sources=(clip,), destinations=(BELL,))
    assert not check_paths(project(deaf), stage_facts, AROUND)
    muted = msgspec.structs.replace(clip, muted=True)
    assert check_paths(edits.set_strand(project(deaf), "a", sources=(muted,)), stage_facts, AROUND)
    before = msgspec.structs.replace(clip, past=False)
    assert check_paths(edits.set_strand(project(deaf), "a", sources=(before,)), stage_facts, AROUND)
