"""Finding what one needs: the menu in groups, the finder, recipes, the guide beside the work, the stage."""

from __future__ import annotations

import pytest
from gestures import kept_settings
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from arpegon.core.document import edits
from arpegon.core.document.model import Stage
from arpegon.core.events import NOTE_ON, control, note_off, note_on, pressure
from arpegon.engine.offline import run
from arpegon.files.guide import page_of, pages, where
from arpegon.files.recipes import matching, recipes
from arpegon.processors import WORKS
from arpegon.ui.frame.commands import BY_NAME, COMMANDS, GROUPS
from arpegon.ui.frame.seeking import everything
from arpegon.ui.look import motion, theme
from arpegon.ui.model.finder import search

LEFT = Qt.MouseButton.LeftButton
TOUCH = [
    control(0.0, 0, 1, 90),
    control(0.05, 0, 4, 64),
    *(note_on(0.1 + number * 0.5, 0, 50 + 5 * number, 40 + 15 * number) for number in range(5)),
    pressure(0.4, 0, 100),
    control(0.6, 0, 1, 0),
    *(note_off(0.4 + number * 0.5, 0, 50 + 5 * number) for number in range(5)),
]
TOUCH.sort(key=lambda event: event.time)


def played(recipe):
    """What a recipe makes of a few keys and controllers, or of the transport."""
    from pathlib import Path

    from arpegon.files.assets import SOUNDS

    sounds, missing = SOUNDS.load(recipe.project, Path("."), {})
    assert not missing
    by_hand = any(source.__class__.__name__ == "SurfaceSource" for source in recipe.project.strands[0].sources)
    events = TOUCH if by_hand else []
    return run(recipe.project, events, seconds=6.0, sounds=sounds)


@pytest.mark.parametrize("recipe", recipes(), ids=lambda recipe: recipe.title)
def test_every_recipe_holds_together_does_something_and_leads_to_the_guide(recipe):
    result = played(recipe)
    for strand in recipe.project.strands:
        out = result.strands.get(strand.id, [])
        assert out, "something leaves it"
        if recipe.play == "keys":
            assert out != result.played.get(strand.id) or not strand.stages or "Mirror" in recipe.title
    page, _, words = recipe.guide.partition("#")
    found = page_of(page)
    assert found is not None and (not words or words in found.headings or words in found.terms)
    assert len(recipe.title) < 60 and recipe.about.endswith(".")


def test_recipes_do_what_they_say():
    by_title = {recipe.title: played(recipe) for recipe in recipes()}

    def made(title, kind=NOTE_ON):
        return [event for event in by_title[title].strands["s"] if event.kind == kind]

    assert {event.data2 for event in made("My organ has no velocity: every key alike")} == {92}
    humanized = [event.data2 for event in made("My keyboard sends one velocity")]
    assert all(62 <= value <= 104 for value in humanized) and len(set(humanized)) > 2
    assert [event.data1 for event in made("My pedal sends the wrong number", 0xB0) if event.data2 == 64] == [11]
    assert len(made("One finger, whole chords, in key")) == 3 * 5
    only = "Keep only the controllers of a generator"
    assert not made(only) and made(only, 0xB0)
    knobs = made("A wave that steps on the beat and moves eight knobs", 0xB0)
    assert {event.data1 for event in knobs} >= set(range(20, 28))
    assert all(event.data2 for event in made("A release resets a control that should stay", 0xB0))
    assert len(made("Guitar plays bells")) >= 5 and len(made("Tap the table, hear a drum")) >= 4
    assert len(matching("one finger")) >= 1 and not matching("zeppelin") and len(recipes()) >= 30


def test_every_stage_and_source_is_told_of_in_the_guide():
    for processor in WORKS.values():
        found = where(processor.label)
        assert found is not None and page_of(found[0]) is not None
    assert {page.name for page in pages()} >= {"first-path", "keys", "processors"}


WANTED = {
    "latch": "Arpeggiator",
    "pedal wrong": "My pedal sends the wrong number",
    "too loud": "Too loud: to the level",
    "nothing sounds": "Nothing sounds: why?",
    "quantize": "Grid",
    "panic": "All off",
    "stride deck": "Stride of Steps in Deck steps",
    "hookups": "Hookups",
    "bounce": "Export",
    "dark": "Night",
}


def test_things_are_found_by_the_words_that_people_have_for_them(window):
    window.open_demo()
    for words, label in WANTED.items():
        found = search(everything(window.session), words)
        assert label in [one.label for one in found[:5]], (words, [one.label for one in found[:5]])


def test_the_finder_is_worked_by_keys_alone(window, qtbot):
    window.open_demo()
    window._actions["find"].trigger()
    assert window.finder.isVisible() and window.focusWidget() is window.finder.field
    QTest.keyClicks(window.finder.field, "stride deck")
    QTest.keyClick(window.finder.field, Qt.Key.Key_Down)
    QTest.keyClick(window.finder.field, Qt.Key.Key_Up)
    QTest.keyClick(window.finder.field, Qt.Key.Key_Return)
    assert not window.finder.isVisible()
    stride = window.bench.editor.controls["stride"]
    qtbot.waitUntil(lambda: window.focusWidget() is stride)
    window.open_finder()
    window.finder.field.setText("zzz")
    assert window.finder.shown == [] and "Nothing fits" in window.finder.words.text()
    QTest.keyClick(window.finder.field, Qt.Key.Key_Escape)
    assert not window.finder.isVisible()


def test_what_is_folded_is_unfolded_when_it_is_looked_for(window, strand, qtbot):
    session = window.session
    session.edit("x", edits.set_source(session.project, strand, 0, edits.fresh_generator(session.project, "steps")))
    found = next(one for one in search(everything(session), "swing steps") if one.kind == "param")
    window.seeking.do(found)
    home = next(one for one in everything(session) if one.kind == "param" and one.what[1] == "own_tempo")
    window.seeking.do(home)
    control_ = window.bench.editor.controls["own_tempo"]
    qtbot.waitUntil(lambda: control_.isVisible())


def test_found_things_are_done(window, strand):
    session = window.session
    for words in ("transpose", "nothing sounds", "too loud"):
        window.seeking.do(search(everything(session), words)[0])
    assert session.project.strands[0].stages[-1].kind == "transpose"
    assert session.selection.part == "destination"
    before = len(session.project.strands)
    recipe = next(one for one in search(everything(session), "bass and chords") if one.kind == "recipe")
    window.seeking.do(recipe)
    assert len(session.project.strands) == before + 2 and any("Ctrl+Z" in text for text in window.notices.texts)
    session.undo()
    assert len(session.project.strands) == before
    window.seeking.do(next(one for one in everything(session) if one.kind == "guide" and one.label == "Toss"))
    assert window.guide.isVisible() and window.guide.page.value() == "time"


def test_the_menu_has_groups_of_ten_at_most_and_all_that_can_be_done(window):
    menu = window.project_menu()
    assert [action.text() for action in menu.actions()] == list(GROUPS)
    texts = set()
    for action in menu.actions():
        inside = [one for one in action.menu().actions() if not one.isSeparator()]
        assert 2 <= len(inside) <= 10
        texts |= {one.text() for one in inside}
    assert {command.text for command in COMMANDS if command.group} - {"Undo", "Redo"} <= texts
    assert len({command.keys for command in COMMANDS if command.keys}) == sum(bool(one.keys) for one in COMMANDS)
    assert set(BY_NAME) == set(window._actions)


def test_f1_opens_the_page_of_what_is_on_the_bench_and_closes_it_again(window, strand, qtbot):
    session = window.session
    session.edit("x", edits.set_strand(session.project, strand, stages=(Stage(id="g", kind="grid"),)))
    session.select_stage("g")
    window._actions["guide"].trigger()
    assert window.guide.isVisible() and window.guide.page.value() == "shaping-notes"
    window._actions["guide"].trigger()
    assert not window.guide.isVisible()
    window.show_view("Take")
    window._actions["guide"].trigger()
    assert window.guide.page.value() == "takes"
    window.show_guide("first-path", "Scale")
    assert window.guide.heading == "Scale"
    window.guide.text.setFocus()
    window._actions["unlearn"].trigger()
    assert not window.guide.isVisible()


def test_recipes_are_looked_through_and_built_from_their_book(window, qtbot):
    window.open_recipes()
    book = window._recipes
    book.search.setText("pads")
    assert book.chosen.title == "Pads that play chords" and "Chord" in book.figure.accessibleName()
    QTest.mouseClick(book.build_button, LEFT)
    assert [strand.name for strand in window.session.project.strands] == ["Chord pads"]
    assert window.session.project.find_stage(window.session.selection.stage)[1].kind == "chord"
    book.search.setText("pads zeppelin")
    assert book.chosen is None and not book.build_button.isEnabled()
    book.close()


def test_parts_of_the_window_fold_away_and_stay_so(window):
    window.appearance.fold("surface")
    assert not window.surface.isVisible() and not kept_settings(window.session).surface
    window.appearance.fold("surface")
    assert window.surface.isVisible()
    window.open_demo()
    window.appearance.fold("section_strip")
    assert not window.strip.isVisible() and not kept_settings(window.session).section_strip
    window.appearance.fold("section_strip")
    assert window.strip.isVisible()


def test_on_stage_there_is_what_is_looked_at_and_struck(window, qtbot):
    window.open_demo()
    window._actions["stage_view"].trigger()
    qtbot.waitUntil(window.isFullScreen)
    assert not window.header.isVisible() and not window.bench.isVisible() and window.board.isVisible()
    assert window.strip.isVisible() and window.surface.parts.pads[0].height() > 50
    assert window.surface.all_off.isVisible() and not window.surface.keyboard.isVisible()
    column = window.board.columns["harbour"]
    assert column.bars[0].height() == 42 and column._name.property("role") == "strand-large"
    window.session.edit("mute", edits.set_strand(window.session.project, "harbour", stages=()))
    assert window.board.columns["harbour"]._name.property("role") == "strand-large"
    window.session.undo()
    window._actions["stage_view"].trigger()
    qtbot.waitUntil(lambda: not window.isFullScreen())
    assert window.header.isVisible() and window.surface.parts.pads[0].height() == 35
    assert window.surface.keyboard.isVisible() and not window.surface.all_off.isVisible()
    assert window.board.columns["harbour"].bars[0].height() == 30


def test_themes_and_sizes_are_chosen(window):
    window._actions["contrast"].trigger()
    assert theme.theme().name == "contrast" and kept_settings(window.session).theme == "contrast"
    window._actions["contrast"].trigger()
    assert theme.theme().name == "day"
    for _ in range(9):
        window.appearance.scale_by(10)
    assert kept_settings(window.session).text_percent == 160 and any("160 %" in text for text in window.notices.texts)
    window.appearance.scale_by(-100)
    assert kept_settings(window.session).text_percent == 90
    assert QApplication.instance() is not None


def test_things_move_less_where_that_is_chosen(window):
    before = window.frames.timer.interval()
    window._actions["less_motion"].trigger()
    assert (
        motion.less()
        and window.frames.timer.interval() > 4 * before
        and kept_settings(window.session).less_motion is True
    )
    window.open_demo()
    window.header.tick(1000.0)
    assert window.header.mark.turn == 0
    window._actions["less_motion"].trigger()
    assert not motion.less() and window.frames.timer.interval() == before


def test_without_a_desktop_that_says_so_nothing_moves_less(monkeypatch):
    monkeypatch.delenv("DBUS_SESSION_BUS_ADDRESS", raising=False)
    assert motion.desktop_wants_less() is False
    monkeypatch.setenv("DBUS_SESSION_BUS_ADDRESS", "unix:path=/nowhere")
    assert motion.desktop_wants_less() is False
