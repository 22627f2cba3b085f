"""An instrument's panel: knobs, drawbars, switches, its level."""

from __future__ import annotations

import pytest
from gestures import INK, LEFT, collect, drag, drawn, pixels, wheel
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from arpegon.sound import SOUNDS
from arpegon.sound.sounds import Control
from arpegon.ui.controls.panel import InstrumentPanel, Meter, PanelControl


def test_a_knob_turns_by_drag_wheel_and_arrows_and_rests_by_double_click(shown):
    knob = shown(PanelControl(Control(7, "Volume", 100), INK))
    told = collect(knob.turned)
    drag(knob, QPoint(30, 40), QPoint(30, 20))
    assert told[-1] == (7, 124)
    drag(knob, QPoint(30, 40), QPoint(30, 60), modifiers=Qt.KeyboardModifier.ShiftModifier)
    assert told[-1] == (7, 118)
    wheel(knob)
    assert told[-1] == (7, 122)
    knob.setFocus()
    QTest.keyClick(knob, Qt.Key.Key_Down)
    assert told[-1] == (7, 118)
    QTest.mouseDClick(knob, LEFT, pos=QPoint(30, 20))
    assert told[-1] == (7, 100)
    assert drawn(knob)


def test_a_drawbar_is_pulled_out_downwards_and_a_switch_flips(shown):
    bar = shown(PanelControl(Control(22, "8′", 64, "drawbar"), INK))
    told = collect(bar.turned)
    drag(bar, QPoint(18, 40), QPoint(18, 60))
    assert told[-1] == (22, 96)
    switch = shown(PanelControl(Control(80, "Rotor", 0, "switch"), INK))
    told = collect(switch.turned)
    for _ in range(2):
        QTest.mouseClick(switch, LEFT, pos=QPoint(30, 24))
    assert told == [(80, 127), (80, 0)]
    assert drawn(bar) and drawn(switch)


@pytest.mark.parametrize("sound", SOUNDS)
def test_every_sound_has_a_panel_that_shows_what_arrived(shown, sound):
    panel = shown(InstrumentPanel(INK), 380, 240)
    controls = SOUNDS[sound].controls
    assert len({control.number for control in controls}) == len(controls)
    panel.show_controls(controls, {7: 3})
    assert panel.controls[7].value == 3 and panel.controls[11].value == 127
    panel.show_controls(controls, {})
    assert panel.controls[7].value == 100


def test_a_meter_falls_by_itself(shown):
    meter = shown(Meter(INK), 200, 10)
    meter.show_level(0.5)
    assert pixels(meter) > 100
    before = meter._level
    meter.show_level(0.0)
    assert 0 < meter._level < before
    for _ in range(120):
        meter.show_level(0.0)
    assert meter._level == 0.0 and pixels(meter) == 0
