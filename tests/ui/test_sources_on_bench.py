"""Sources that make notes by themselves, in the real window: ring, lanes, patterns, tosses, rings, beads, the clock."""

from __future__ import annotations

import pytest
from gestures import drawn, settled, unfolded, values_on_bench
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest

from arpegon.core.document import edits
from arpegon.core.document.model import ClipSource
from arpegon.core.errors import ParameterError
from arpegon.core.processing.toss import MAX_KEPT, toss
from arpegon.processors import WORKS
from arpegon.processors.sources.steps import STEP_TOSS, STEPS
from arpegon.ui.bench.editors import EDITORS
from arpegon.ui.controls.toss_figures import shape
from arpegon.ui.parts import clipboard

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton


@pytest.fixture
def on_bench(window, strand, qtbot):
    """Feeds a new strand from a generator, and puts that on the bench; its editor."""

    def put(kind, **values):
        source = edits.fresh_generator(window.session.project, kind, params=values)
        window.session.edit("add", edits.set_source(window.session.project, strand, 1, source))
        window.session.select_source(strand, 1)
        settled(window, qtbot)
        return unfolded(window.bench.editor)

    return put


def pattern(window):
    return STEPS.filled(values_on_bench(window)["patterns"][values_on_bench(window)["pattern"] - 1])


@pytest.mark.parametrize("kind", ["steps", "rings", "rebound"])
def test_it_plays_moves_and_can_be_wide(window, on_bench, kind, qtbot):
    editor = on_bench(kind)
    assert isinstance(editor, EDITORS[kind]) and window.bench.title.text() == WORKS[kind].label
    window.session.play()
    qtbot.waitUntil(lambda: len(window.bench.readout.rows.kept) > 2, timeout=8000)
    qtbot.waitUntil(lambda: bool(window.session.telemetry.live))
    first = list(window.session.telemetry.live)
    qtbot.waitUntil(lambda: window.session.telemetry.live != first)
    assert "made here" in window.bench.readout.text()
    for wide in (True, False):
        window.bench.wide.setChecked(wide)
        qtbot.waitUntil(lambda: drawn(editor))
        assert drawn(editor)
    window.bench.toggle_bypass()
    assert window.session.project.strands[0].generators[0].bypass
    window.bench.remove_selected()
    assert len(window.session.project.strands[0].sources) == 1


def test_the_ring_skips_moves_and_chooses(window, on_bench):
    editor = on_bench("steps", patterns=[[{"note": 60}, {"note": 62}, {"note": 64}, {"note": 65}]], follow_key=False)
    ring = editor.ring
    QTest.mouseClick(ring, RIGHT, pos=ring._spot(2).toPoint())
    assert pattern(window)[2]["play"] == "skip" and ring.chosen == 2
    QTest.mouseClick(ring, RIGHT, pos=ring._spot(2).toPoint())
    assert pattern(window)[2]["play"] == "note"
    QTest.mouseClick(ring, LEFT, pos=ring._spot(1).toPoint())
    QTest.keyClick(ring, Qt.Key.Key_Up)
    assert pattern(window)[1]["note"] == 64, "the next note of C major"
    editor.play.chosen.emit("rest")
    assert pattern(window)[1]["play"] == "rest"
    QTest.keyClick(ring, Qt.Key.Key_Right)
    QTest.keyClick(ring, Qt.Key.Key_Delete)
    assert pattern(window)[2]["play"] == "skip"
    editor.count.moved.emit(6.0)
    assert len(pattern(window)) == 6
    window.session.undo()
    assert len(pattern(window)) == 4


def test_the_words_in_the_ring_say_what_the_walk_does(window, on_bench):
    editor = on_bench("steps", patterns=[[{}] * 8], stride=3)
    assert (editor.ring.title, editor.ring.words) == ("stride 3", "visits all 8, ends where it began")
    editor.set(stride=2, shift=False)
    assert editor.ring.words == "stays on 4 of 8 steps"
    editor.set(patterns=[[{"play": "skip"}] * 3])
    assert editor.ring.words == "all steps are skipped"
    editor.set(patterns=[[{}] * 8], walk="shuffled", stride=1)
    assert (editor.ring.title, editor.ring.words) == ("shuffled", "shuffled anew each round")


def test_lanes_are_drawn_in_the_order_they_sound(window, on_bench):
    editor = on_bench("steps", patterns=[[{"note": 60 + step} for step in range(4)]], stride=3, in_scale=False)
    lanes = editor.lanes
    box = lanes._lane_box(1)
    QTest.mouseClick(lanes, LEFT, pos=QPoint(int(lanes._cell(box, 1).center().x()), int(box.bottom()) - 6))
    assert pattern(window)[3]["velocity"] < 10, "the second to sound is the fourth on the ring"
    QTest.keyClick(lanes, Qt.Key.Key_Up)
    assert pattern(window)[3]["velocity"] > 5
    QTest.mouseClick(lanes, RIGHT, pos=QPoint(int(lanes._cell(box, 2).center().x()), int(box.center().y())))
    assert pattern(window)[2]["play"] == "skip"
    window.session.undo()
    window.session.undo()
    window.session.undo()
    assert pattern(window)[3]["velocity"] == 96


def test_patterns_are_added_chosen_copied_pasted_and_removed(window, on_bench, qtbot):
    editor = on_bench("steps", patterns=[[{"note": 60}], [{"note": 72}, {"note": 74}]])
    row = editor.row
    QTest.mouseClick(row.buttons[1], LEFT)
    assert values_on_bench(window)["pattern"] == 2 and len(pattern(window)) == 2
    row.copy(1)
    row.paste(0)
    assert values_on_bench(window)["patterns"][0] == values_on_bench(window)["patterns"][1]
    QTest.mouseClick(row.add, LEFT)
    assert len(values_on_bench(window)["patterns"]) == 3 and values_on_bench(window)["pattern"] == 3
    row.remove(0)
    assert len(values_on_bench(window)["patterns"]) == 2 and values_on_bench(window)["pattern"] == 2
    clipboard.copy(window.session)
    row.paste(0)
    assert any("holds no pattern" in text for text in window.notices.texts)
    assert {"Copy", "Paste here", "Duplicate", "Remove"} <= {action.text() for action in row.menu(0).actions()}


def test_a_toss_is_kept_called_back_compared_starred_and_undone(window, on_bench):
    before = [{"note": 60, "length": 0.5} for _ in range(8)]
    editor = on_bench("steps", patterns=[before], toss_lanes=["note", "velocity"])
    box = editor.tosses
    QTest.mouseClick(box.button, LEFT)
    first = pattern(window)
    assert [step["length"] for step in first] == [0.5] * 8, "lanes that are not ticked stay"
    assert len({step["velocity"] for step in first}) > 2 and len(values_on_bench(window)["tosses"]) == 2
    QTest.mouseClick(box.button, LEFT)
    second = pattern(window)
    assert second != first and box.count.text() == "toss 3 of 3"
    QTest.mouseClick(box.compare, LEFT)
    assert pattern(window) == first and box.current() == 1
    QTest.mouseClick(box.compare, LEFT)
    assert pattern(window) == second
    box.star(1)
    assert [one["star"] for one in values_on_bench(window)["tosses"]] == [False, True, False]
    QTest.mouseClick(box.figures, LEFT, pos=box.figures._spot(0).toPoint())
    assert pattern(window) == STEPS.filled(before)
    QTest.keyClick(box.figures, Qt.Key.Key_Right)
    assert pattern(window) == first
    box.forget(0)
    assert len(values_on_bench(window)["tosses"]) == 2
    for _ in range(8):
        window.session.undo()
    assert pattern(window) == STEPS.filled(before) and values_on_bench(window)["tosses"] == []


def test_bounds_are_kept_and_kept_to(window, on_bench):
    editor = on_bench("steps", patterns=[[{} for _ in range(16)]], toss_lanes=["note", "play", "stride"])
    slider = editor.tosses.ranges["note"]
    QTest.mousePress(slider, LEFT, pos=QPoint(int(slider._x(70)), 9))
    QTest.mouseRelease(slider, LEFT, pos=QPoint(int(slider._x(70)), 9))
    assert abs(values_on_bench(window)["toss_bounds"]["note"][1] - 70) <= 2
    editor.set(toss_bounds={"note": [60, 64], "play": [50, 50], "stride": [3, 5]})
    for _ in range(5):
        editor.tosses.toss()
        assert all(60 <= step["note"] <= 64 for step in pattern(window))
        assert sum(step["play"] == "skip" for step in pattern(window)) == 8
        assert values_on_bench(window)["stride"] in (3, 4, 5)


def test_a_full_row_of_tosses_keeps_its_stars(window, on_bench):
    editor = on_bench("steps")
    editor.tosses.toss()
    editor.tosses.star(0)
    for _ in range(MAX_KEPT + 3):
        editor.tosses.toss()
    kept = values_on_bench(window)["tosses"]
    assert len(kept) == MAX_KEPT and kept[0]["star"]
    assert shape(7, QPointF(), 8.0) == shape(7, QPointF(), 8.0) != shape(8, QPointF(), 8.0)


def test_the_same_seed_and_bounds_toss_the_same_and_each_lane_by_itself():
    steps = [{"note": 60, "velocity": 90} for _ in range(6)]
    bounds = {"note": [40, 50], "velocity": [10, 20]}
    one = toss(STEP_TOSS, ["note"], bounds, steps, 5)
    both = toss(STEP_TOSS, ["note", "velocity"], bounds, steps, 5)
    assert toss(STEP_TOSS, ["note"], bounds, steps, 5) == one != toss(STEP_TOSS, ["note"], bounds, steps, 6)
    assert [step["note"] for step in one["made"]] == [step["note"] for step in both["made"]]
    assert both["lanes"] == bounds and all(10 <= step["velocity"] <= 20 for step in both["made"])
    declared = next(param for param in WORKS["steps"].params if param.name == "tosses")
    assert declared.check([one]) == [one]
    with pytest.raises(ParameterError, match="toss 1"):
        declared.check([{**one, "whole": {"stride": 99}}])


def test_rings_are_turned_and_counted(window, on_bench):
    editor = on_bench("rings", patterns=[[{"hits": 3, "steps": 8}, {"hits": 2, "steps": 5}]])
    view = editor.view

    def ring(number):
        return {"turn": 0, **values_on_bench(window)["patterns"][0][number]}

    QTest.mouseClick(view, LEFT, pos=view._spot(1, 0).toPoint())
    assert view.chosen == 1 and "Ring 2 of 2" in editor.which.text()
    QTest.keyClick(view, Qt.Key.Key_Right)
    assert ring(1)["turn"] == 1
    QTest.keyClick(view, "+")
    assert ring(1)["hits"] == 3
    QTest.mousePress(view, LEFT, pos=view._spot(0, 0).toPoint())
    QTest.mouseMove(view, view._spot(0, 2).toPoint())
    QTest.mouseRelease(view, LEFT, pos=view._spot(0, 2).toPoint())
    assert ring(0)["turn"] == 2
    editor._count(1)
    assert len(values_on_bench(window)["patterns"][0]) == 3
    editor.panel.controls["silent"].toggled.emit(True)
    assert values_on_bench(window)["patterns"][0][0]["silent"] is True


def test_walls_are_chosen_and_silenced(window, on_bench):
    editor = on_bench("rebound", sides=5)
    basin = editor.basin
    middle = (basin._corner(1) + basin._corner(2)) / 2
    QTest.mouseClick(basin, RIGHT, pos=middle.toPoint())
    assert values_on_bench(window)["walls"] == [{}, {"silent": True}] and basin.chosen == 1
    editor.panel.controls["degree"].moved.emit(5.0)
    assert values_on_bench(window)["walls"][1]["degree"] == 5


def test_what_an_action_starts_is_started_by_its_button(window, on_bench, qtbot):
    editor = on_bench("steps", starts="action", rate="1/32")
    QTest.mouseClick(editor.foot.by_action.start, LEFT)
    qtbot.waitUntil(lambda: len(window.bench.readout.rows.kept) > 3, timeout=8000)
    QTest.mouseClick(editor.foot.by_action.stop, LEFT)
    qtbot.waitUntil(lambda: window.session.telemetry.health.sounding == 0)


def test_a_generator_is_copied_and_pasted_as_a_source(window, on_bench, strand):
    on_bench("steps", rate="1/8")
    clipboard.copy(window.session)
    clipboard.paste(window.session)
    made = window.session.project.strand(strand).generators
    assert [one.params["rate"] for one in made] == ["1/8", "1/8"] and made[0].id != made[1].id
    window.bench._take_preset(next(one for one in clipboard_presets() if one.name == "Deck watch"))
    assert window.session.project.strand(strand).generators[1].params["stride"] == 5


def clipboard_presets():
    from arpegon.files.presets import factory_presets

    return factory_presets()


def test_a_clip_has_several_files_to_choose_from(window, strand, qtbot):
    window.session.edit("clip", edits.set_source(window.session.project, strand, 0, ClipSource(file="one.mid")))
    window.session.select_source(strand, 0)
    editor = window.bench.editor
    editor.set_clip(window.session.filing.folder / "two.mid")
    source = window.session.project.strands[0].sources[0]
    assert source.files == ("one.mid", "two.mid") and source.playing_file == "two.mid"
    QTest.mouseClick(editor.clip.rows[0], LEFT, pos=QPoint(8, editor.clip.rows[0].height() // 2))
    assert window.session.project.strands[0].sources[0].playing_file == "one.mid"
    editor.clip._remove(0)
    source = window.session.project.strands[0].sources[0]
    assert source.files == ("two.mid",) and source.choice == 1
    editor.clip.tempo.chosen.emit("file")
    assert window.session.project.strands[0].sources[0].follow_tempo is False


def test_the_clock_box_is_followed_lost_and_left(window, on_bench, qtbot):
    on_bench("steps")
    project = window.session.project
    window.session.edit("only", edits.set_source(project, project.strands[0].id, 0, None))
    window.header.open_clock()
    panel = window.header._clock_panel
    QTest.mouseClick(panel.follow_it, LEFT)
    assert window.session.project.clock.follow and window.header.tempo.caption == "Clock"
    qtbot.waitUntil(lambda: "waits for the MIDI clock" in window.status.text, timeout=5000)
    QTest.mouseClick(panel.power, LEFT)
    QTest.mouseClick(panel.run, LEFT)
    qtbot.waitUntil(lambda: window.session.telemetry.playing and window.session.telemetry.clock == "running")
    qtbot.waitUntil(lambda: abs(window.session.telemetry.tempo - 104.0) < 3.0, timeout=8000)
    qtbot.waitUntil(lambda: window.header.tempo.text.startswith("10"))
    assert "In step" in panel.state.text()
    QTest.mouseClick(panel.power, LEFT)
    qtbot.waitUntil(lambda: any("no longer comes" in text for text in window.notices.texts), timeout=5000)
    panel.leader.chosen.emit("own")
    qtbot.waitUntil(lambda: window.session.telemetry.clock == "own")
    assert window.header.tempo.caption == "Tempo"


def test_the_clock_panel_ties_the_piece_to_jacks_transport(window):
    window.header.open_clock()
    panel = window.header._clock_panel
    session = window.session
    panel.leader.chosen.emit("jack")
    assert session.project.clock.jack == "follow" and not session.project.clock.follow
    assert panel.bars_box.isVisibleTo(panel) and not panel.port_box.isVisibleTo(panel)
    panel.bars.chosen.emit("lead")
    assert session.project.clock.jack == "lead" and panel.leader.value() == "jack"
    panel.leader.chosen.emit("code")
    assert session.project.clock.follow and session.project.clock.by == "code" and not panel.lost_box.isVisibleTo(panel)
    panel.leader.chosen.emit("clock")
    assert session.project.clock.leads_tempo and session.project.clock.jack == "off"
    assert panel.port_box.isVisibleTo(panel) and not panel.bars_box.isVisibleTo(panel)
    for _ in range(2):
        session.undo()
    assert session.project.clock.jack == "lead" and panel.leader.value() == "jack"


def test_the_clock_panel_sends_time_code_from_where_the_piece_begins(window):
    window.header.open_clock()
    panel, session = window.header._clock_panel, window.session
    assert not panel.code_box.isVisibleTo(panel)
    QTest.mouseClick(panel.checks[""]["code_to"], LEFT, pos=QPoint(8, panel.checks[""]["code_to"].height() // 2))
    assert session.project.clock.code_to == ("",) and session.project.clock.send == ()
    assert panel.code_box.isVisibleTo(panel)
    panel.code_rate.chosen.emit("30")
    panel.code_start.setText("1:00:00:12")
    panel.code_start.editingFinished.emit()
    assert session.project.clock.code_start == "01:00:00:12" and session.project.clock.code_rate == "30"
    panel.code_start.setText("noon")
    panel.code_start.editingFinished.emit()
    assert session.project.clock.code_start == "01:00:00:12" and panel.code_start.text() == "01:00:00:12"
    assert any("no time code" in text for text in window.notices.texts)
