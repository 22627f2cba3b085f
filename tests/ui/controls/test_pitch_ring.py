"""The pitch ring: shapes, arrows, lights, and choosing on it."""

from __future__ import annotations

import pytest
from gestures import INK, LEFT, RIGHT, collect, picture, pixels
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from arpegon.ui.controls.pitch_ring import PitchRing


@pytest.fixture
def ring(shown):
    return shown(PitchRing(INK, playable=True), 184, 184)


def test_every_pitch_class_is_found_at_its_place(ring):
    clicked = collect(ring.clicked)
    for pitch_class in range(12):
        QTest.mouseClick(ring, LEFT, pos=ring._place(pitch_class).toPoint())
    QTest.mouseClick(ring, LEFT, pos=ring.rect().center())
    QTest.mouseClick(ring, RIGHT, pos=ring._place(3).toPoint())
    assert clicked == list(range(12))


def test_the_keyboard_goes_round_it(ring):
    clicked = collect(ring.clicked)
    for key in (Qt.Key.Key_Left, Qt.Key.Key_Return, Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Return):
        QTest.keyClick(ring, key)
    assert clicked == [11, 1]


def test_a_ring_that_only_shows_takes_no_keys(shown):
    ring = shown(PitchRing(INK), 184, 184)
    clicked = collect(ring.clicked)
    QTest.keyClick(ring, Qt.Key.Key_Return)
    assert clicked == [] and ring.focusPolicy() == Qt.FocusPolicy.NoFocus


def test_a_shape_of_two_is_a_line_and_of_three_a_field(ring):
    seen = [picture(ring)]
    for shape in ((2, 9), (2, 5, 9)):
        ring.show_state(shape=shape)
        seen.append(picture(ring))
    assert seen[0] != seen[1] != seen[2]
    ring.show_state(filled=(2, 5, 9))
    assert pixels(ring) > 600


def test_arrows_lead_elsewhere_or_to_nowhere(ring):
    bare = picture(ring)
    ring.show_state(arrows={6: 7}, fixed=(6,))
    led = picture(ring)
    ring.show_state(arrows={6: None})
    assert bare != led != picture(ring)


def test_a_struck_pitch_class_lights_and_fades(ring):
    dark = picture(ring)
    ring.strike(4, 1.0)
    ring.tick(1.1)
    assert picture(ring) != dark
    ring.tick(9.0)
    assert picture(ring) == dark


def test_a_light_that_fades_is_painted_anew_only_where_its_shade_is_another(shown, monkeypatch):
    ring = shown(PitchRing(INK), 184, 184)
    QApplication.processEvents()
    painted, paint = [], ring.paint
    monkeypatch.setattr(ring, "paint", lambda painter, t: (painted.append(ring.area), paint(painter, t)))
    ring.strike(4, 10.0)
    for frame in range(80):
        ring.tick(10.0 + frame / 60.0)
        QApplication.processEvents()
    assert 10 < len(painted) < 18
    assert all(area.width() < 45 and area.height() < 45 for area in painted), "only its disc"
