"""Random gestures on the real window (offscreen) while the demo plays: whatever they meet must not be a fault.

Presses, drags, double clicks, menus, the wheel, keys, undo and redo go to whatever is in sight, to popups and dialogs
only while there are any. It works in folders of its own, and ends with 1 where a fault was logged or the window did
not answer.

``python -m tools.gesture_walk --minutes 5 [--seed N]``
"""

from __future__ import annotations

import argparse
import faulthandler
import os
import random
import tempfile
import threading
import time
from collections import deque
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"

from PyQt6 import sip
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt, QTimer, qInstallMessageHandler
from PyQt6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QApplication, QFileDialog, QWidget

from arpegon.files.logs import log_dir, start_log
from arpegon.files.settings import load_settings
from arpegon.ui.app import make_application, open_window

_STEP_MS = 4
_NESTED = 12
"""So many menus and dialogs may wait for one another; the walk goes slower then, so that Escape can close some."""
_HANGS_SECONDS = 20.0
_TRAIL = 6
_LEFT = Qt.MouseButton.LeftButton
_NO_BUTTON = Qt.MouseButton.NoButton
_CTRL, _SHIFT, _ALT, _BARE = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.NoModifier,
)
_MODIFIERS = (*5 * (_BARE,), _CTRL, _SHIFT, _ALT, _CTRL | _SHIFT)
_KEYS = (
    *map(ord, "ASZYDCVXKMNBH1234907+-/"),
    *(Qt.Key(one) for one in range(Qt.Key.Key_Escape, Qt.Key.Key_Delete + 1)),
    *(Qt.Key(one) for one in range(Qt.Key.Key_Home, Qt.Key.Key_PageDown + 1)),
    *(Qt.Key.Key_Space, Qt.Key.Key_F1, Qt.Key.Key_F2, Qt.Key.Key_F5, Qt.Key.Key_Menu),
)
_GESTURES = {"click": 30, "drag": 14, "menu": 5, "double": 5, "wheel": 8, "key": 24, "hover": 8, "undo": 6}
_Type = QEvent.Type


class Walk:
    """One walk over a window."""

    def __init__(self, seed: int, seconds: float) -> None:
        self.dice = random.Random(seed)
        self.window = open_window(load_settings(), None, demo=True)
        self.window.resize(1280, 800)
        self.end = time.monotonic() + seconds
        self.steps = 0
        self.alive = time.monotonic()
        self.trail: deque[str] = deque(maxlen=_TRAIL)
        self._held: tuple[QWidget, int, Qt.KeyboardModifier] | None = None
        """What is pressed, for how many moves yet."""
        self._nested = 0

    def go(self) -> None:
        """Make a gesture, and have the next one made: also in the loops of menus and dialogs that it opens."""
        self.alive = time.monotonic()
        if self.alive > self.end or not self.window.isVisible():
            QApplication.exit()
            return
        QTimer.singleShot(_STEP_MS if self._nested < _NESTED else 25 * _STEP_MS, self.go)
        self._nested += 1
        try:
            self._press_on() if self._held is not None else self._begin()
            self.steps += 1
        except RuntimeError as error:
            if "has been deleted" not in str(error):  # it went while it was looked at
                raise
        finally:
            self._nested -= 1

    # -- gestures ----------------------------------------------------------------------------------

    def _press_on(self) -> None:
        assert self._held is not None
        (widget, moves, modifiers), self._held = self._held, None
        if sip.isdeleted(widget) or not widget.isVisible() or _in_front() not in (None, widget.window()):
            return
        if moves:
            self._held = widget, moves - 1, modifiers
            self._mouse(widget, _Type.MouseMove, _NO_BUTTON, _LEFT, modifiers)
        else:
            self._mouse(widget, _Type.MouseButtonRelease, _LEFT, _NO_BUTTON, modifiers)

    def _begin(self) -> None:
        widget = self._any_widget()
        if widget is None:
            return
        what = self.dice.choices(list(_GESTURES), list(_GESTURES.values()))[0]
        modifiers = self.dice.choice(_MODIFIERS)
        name = widget.accessibleName() or widget.objectName()
        self.trail.append(f"{what} {type(widget).__name__} {name}".strip())
        spot = self._spot(widget)
        if what in ("click", "drag", "double"):
            kind = _Type.MouseButtonDblClick if what == "double" else _Type.MouseButtonPress
            self._held = widget, self.dice.randint(1, 12) if what == "drag" else 0, modifiers
            self._mouse(widget, kind, _LEFT, _LEFT, modifiers)
        elif what == "menu":
            asked = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, spot, widget.mapToGlobal(spot))
            QApplication.postEvent(widget, asked)
        elif what == "wheel":
            self._wheel(widget, spot, modifiers)
        elif what == "hover":
            self._mouse(widget, _Type.MouseMove, _NO_BUTTON, _NO_BUTTON, modifiers)
        elif what == "key":
            self._key(widget, modifiers)
        elif _in_front() is None:
            (self.window.session.undo if self.dice.random() < 0.6 else self.window.session.redo)()

    def _any_widget(self) -> QWidget | None:
        window = _in_front() or self.dice.choice([one for one in QApplication.topLevelWidgets() if one.isVisible()])
        seen = [one for one in window.findChildren(QWidget) if one.isEnabled() and not one.visibleRegion().isEmpty()]
        return self.dice.choice(seen) if seen and self.dice.random() < 0.95 else window

    def _spot(self, widget: QWidget) -> QPoint:
        """Most often within it; a drag may leave it."""
        spot = QPoint(self.dice.randrange(max(1, widget.width())), self.dice.randrange(max(1, widget.height())))
        far = self._held is not None and self.dice.random() < 0.2
        return spot + QPoint(self.dice.randint(-300, 300), self.dice.randint(-200, 200)) if far else spot

    def _mouse(
        self,
        widget: QWidget,
        kind: QEvent.Type,
        button: Qt.MouseButton,
        buttons: Qt.MouseButton,
        modifiers: Qt.KeyboardModifier,
    ) -> None:
        spot = self._spot(widget)
        places = QPointF(spot), QPointF(widget.mapToGlobal(spot))
        QApplication.postEvent(widget, QMouseEvent(kind, *places, button, buttons, modifiers))

    def _wheel(self, widget: QWidget, spot: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        turn = QPoint(self.dice.choice((0, 0, 120)), self.dice.choice((-240, -120, 120, 240)))
        places = QPointF(spot), QPointF(widget.mapToGlobal(spot))
        phase = Qt.ScrollPhase.NoScrollPhase
        QApplication.postEvent(widget, QWheelEvent(*places, QPoint(), turn, _NO_BUTTON, modifiers, phase, False))

    def _key(self, widget: QWidget, modifiers: Qt.KeyboardModifier) -> None:
        focus, front = QApplication.focusWidget(), _in_front()
        if focus is not None and self.dice.random() < 0.6 and front in (None, focus.window()):
            widget = focus
        key = self.dice.choice(_KEYS)
        text = chr(key).lower() if key < 127 and modifiers == _BARE else ""
        for kind in (_Type.KeyPress, _Type.KeyRelease)[: 1 if front is not None else 2]:
            QApplication.postEvent(widget, QKeyEvent(kind, key, modifiers, text))


def _in_front() -> QWidget | None:
    """The popup or dialog that has all to itself."""
    return QApplication.activePopupWidget() or QApplication.activeModalWidget()


def _watch(walk: Walk) -> None:
    """End a window that does not answer, and say where it is."""
    while True:
        time.sleep(1.0)
        if time.monotonic() - walk.alive > _HANGS_SECONDS:
            print(f"The window does not answer after {walk.steps} steps: {' · '.join(walk.trail)}", flush=True)
            faulthandler.dump_traceback(all_threads=True)
            os._exit(1)


def _faults() -> str:
    """What was logged of faults, in whatever process."""
    logs = [log.read_text(encoding="utf-8", errors="replace") for log in sorted(log_dir().iterdir())]
    return "".join(log for log in logs if "Traceback" in log or "Fatal" in log)


def walk_in(folder: Path, seed: int, seconds: float) -> int:
    """Walk with all that the program writes in a folder; 0 where no fault was met."""
    for place in ("HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME"):
        os.environ[place] = str(folder / place.lower())
        Path(os.environ[place]).mkdir()
    faulthandler.enable()
    start_log("window")
    for asks in ("getOpenFileName", "getSaveFileName"):
        setattr(QFileDialog, asks, lambda *_: ("", ""))  # they reach all files of this machine
    qInstallMessageHandler(lambda *_: None)  # it says of every menu what cannot be done without a screen
    application = make_application(["arpegon"])
    walk = Walk(seed, seconds)
    threading.Thread(target=_watch, args=(walk,), daemon=True).start()
    QTimer.singleShot(1000, walk.window.session.transport.toggle)
    QTimer.singleShot(1500, walk.go)
    application.exec()
    walk.window.session.close()
    found = _faults()
    print(found, end="")
    how = "a fault was met" if found else "no fault was met"
    print(f"{walk.steps} steps with seed {seed}: {how}, last {' · '.join(walk.trail)}", flush=True)
    return 1 if found else 0


def main() -> None:
    """Walk as it is asked for."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--minutes", type=float, default=5.0)
    parser.add_argument("--seed", type=int, default=random.randrange(10**6))
    given = parser.parse_args()
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        code = walk_in(Path(folder), given.seed, 60.0 * given.minutes)
    os._exit(code)  # menus may wait still


if __name__ == "__main__":
    main()
