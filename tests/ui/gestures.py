"""Gestures that Qt's own test helpers do not make, and what they lead to."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QApplication

from arpegon.files.settings import load_settings
from arpegon.ui.controls.fold import Fold
from arpegon.ui.controls.in_place import InPlace
from arpegon.ui.look import theme

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
SHIFT, ALT = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.AltModifier
INK = theme.INKS[0]
_NONE = Qt.KeyboardModifier.NoModifier


def kept_settings(session):
    """The settings as the next start reads them."""
    session.settings_keeper.finish()
    return load_settings()


def mouse(widget, kind, place, button=LEFT, modifiers=_NONE):
    spot = QPointF(widget.mapToGlobal(QPointF(place).toPoint()))
    held = Qt.MouseButton.NoButton if kind == QMouseEvent.Type.MouseButtonRelease else button
    QApplication.sendEvent(widget, QMouseEvent(kind, QPointF(place), spot, button, held, modifiers))


def drag(widget, *places, button=LEFT, modifiers=_NONE):
    """Press at the first place, move over the others, let go at the last."""
    mouse(widget, QMouseEvent.Type.MouseButtonPress, places[0], button)
    for place in places[1:]:
        mouse(widget, QMouseEvent.Type.MouseMove, place, button, modifiers)
    mouse(widget, QMouseEvent.Type.MouseButtonRelease, places[-1], button)


def wheel(widget, up=True, place=None, modifiers=_NONE):
    spot = QPointF(widget.rect().center()) if place is None else QPointF(place)
    turn = QPoint(0, 120 if up else -120)
    phase = Qt.ScrollPhase.NoScrollPhase
    event = QWheelEvent(spot, spot, QPoint(), turn, Qt.MouseButton.NoButton, modifiers, phase, False)
    QApplication.sendEvent(widget, event)


def settled(window, qtbot):
    """Wait until the engine works on the document as it is now, and has done all that it was told before."""
    revision = window.session.send_project()
    qtbot.waitUntil(lambda: window.session.telemetry.revision >= revision)


def collect(signal):
    """What a signal tells from now on."""
    told = []
    signal.connect(lambda *values: told.append(values[0] if len(values) == 1 else values))
    return told


def heard_to_its_end(session, qtbot, start):
    """Start a take, and wait until it was heard to its end, however seldom the window is told of it."""
    told = collect(session.reported)
    start()
    qtbot.waitUntil(lambda: any(one.take_began is not None for one in told) and told[-1].take_began is None)


def _image(widget):
    """What a widget looks like: red, green, blue and 255 of its pixels, shape (height, width, 4)."""
    image = picture(widget).convertToFormat(QImage.Format.Format_RGBX8888)
    flat = np.frombuffer(image.constBits().asstring(image.sizeInBytes()), np.uint8)
    return flat.reshape(image.height(), image.bytesPerLine() // 4, 4)[:, : image.width()]


def pixels(widget, colour=INK):
    """How many pixels of a widget have nearly this colour."""
    wanted = QColor(colour)
    away = np.abs(_image(widget)[:, :, :3].astype(np.int16) - [wanted.red(), wanted.green(), wanted.blue()])
    return int((away.max(axis=2) <= 6).sum())


def drawn(widget):
    """Whether there is something on a widget but one ground."""
    left = np.ascontiguousarray(_image(widget)).view(np.uint32).ravel()
    for _ in range(2):
        left = left[left != left[:1]] if len(left) else left
    return len(left) > 0


def picture(widget):
    """What a widget looks like, to be compared with itself later."""
    return widget.grab().toImage()


def typing_over(widget):
    """The field that is open over a widget, to be typed into."""
    (field,) = [one for one in widget.findChildren(InPlace) if not one.isHidden()]
    return field


def values_on_bench(window):
    """The values of the stage or source on the bench."""
    return window.session.values(window.session.project.find_stage(window.session.selection.stage)[1])


def unfolded(editor):
    """An editor with nothing folded away."""
    for fold in editor.findChildren(Fold):
        fold.set_open(True)
    QApplication.processEvents()
    return editor
