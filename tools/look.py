"""Looks at every editor and view, and lists text that is cut, too small or too faint, and what overlaps.

    python -m tools.look [--all]

Without ``--all`` at 1280x800 in the day theme; with it at three sizes, in all themes, and as large and as small as
everything can be drawn. Whatever draws text in Python
does so by ``painting``, whose painter is watched; labels and buttons of Qt's own are asked what they need. Exits with 1
where anything was found.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Iterator
from itertools import combinations
from typing import Any, ClassVar, NamedTuple

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QImage, QPainter
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSlider,
    QApplication,
    QComboBox,
    QLabel,
    QLineEdit,
    QScrollArea,
    QWidget,
)

from arpegon.core.document import edits
from arpegon.core.document.model import Stage
from arpegon.files.places import DEMO
from arpegon.files.project import load_project
from arpegon.files.settings import Settings
from arpegon.processors import GENERATORS, WORKS
from arpegon.processors.registry import LISTENINGS
from arpegon.ui.controls.more_edge import Cover
from arpegon.ui.look import painted, theme
from arpegon.ui.model.session import Session, fresh_audio
from arpegon.ui.window import VIEWS, Window

SIZES = ((1280, 800), (1366, 768), (1920, 1080))
PERCENTS = (90, 160)
"""Of how many percent everything is drawn besides: that leaves so much more or less room."""
LEAST_PIXELS = 11
AA, AA_LARGE = 4.5, 3.0
_LARGE_PIXELS = 19
_MAX_PAIRED = 60
_NEAR_INK = 90
"""How far, in all three colours together, what is seen of a letter may be from its ink."""
_SHIFTS = np.array([16, 8, 0], np.uint32)
"""Where red, green and blue stand in a colour."""
_SLACK = 2.0
"""Pixels by which metrics may differ from what is drawn."""
_LAYOUTS = 5
"""How often one layout may change another."""


class Row(NamedTuple):
    """Something that is wrong."""

    where: str
    widget: str
    text: str
    what: str


class Drawn(NamedTuple):
    """A text that was drawn."""

    text: str
    room: QRectF | None
    """Where it was to go, in pixels of the widget; ``None`` where only a point was named."""
    needs: QRectF
    pixels: int
    bold: bool
    ink: QColor


def contrast(one: QColor, other: QColor) -> float:
    """The contrast of two colours, 1 to 21 (WCAG 2.1)."""

    def light(color: QColor) -> float:
        parts = [part / 12.92 if part <= 0.03928 else ((part + 0.055) / 1.055) ** 2.4 for part in color.getRgbF()[:3]]
        return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]

    dark, bright = sorted((light(one), light(other)))
    return (bright + 0.05) / (dark + 0.05)


class WatchedPainter(QPainter):
    """Notes all text that it draws, while somebody wants that."""

    wanted: ClassVar[list[Drawn] | None] = None
    whose: ClassVar[QWidget | None] = None
    """The widget of which it is wanted: others may be drawn with it."""

    def drawText(self, *given: Any) -> Any:
        if WatchedPainter.wanted is not None and self.device() is WatchedPainter.whose:
            self._note(given)
        return super().drawText(*given)

    def _note(self, given: tuple[Any, ...]) -> None:
        text = next((one for one in given if isinstance(one, str)), "")
        first = given[0]
        room = QRectF(first) if isinstance(first, (QRect, QRectF)) else None
        font, ink = self.font(), self.pen().color()
        if not text.strip() or ink.alpha() <= 200 or WatchedPainter.wanted is None:
            return
        metrics = QFontMetricsF(font)
        flags = next((one for one in given[1:] if isinstance(one, (int, Qt.AlignmentFlag, Qt.TextFlag))), 0)
        flags = flags if isinstance(flags, int) else flags.value
        if room is not None:
            needs = metrics.boundingRect(room, flags, text)
        else:
            at = QPointF(first) if isinstance(first, (QPoint, QPointF)) else QPointF(given[0], given[1])
            needs = metrics.boundingRect(text).translated(at)
        turned = self.worldTransform()
        WatchedPainter.wanted.append(
            Drawn(
                text,
                turned.mapRect(room) if room is not None else None,
                turned.mapRect(needs),
                font.pixelSize(),
                font.weight() >= 600,
                ink,
            )
        )


painted.QPainter = WatchedPainter  # type: ignore[misc]


def _colors(widget: QWidget) -> np.ndarray:
    """What is seen of a widget: the colour of every pixel as 0xAARRGGBB, of shape (height, width)."""
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_ARGB32)
    return np.frombuffer(image.constBits().asstring(image.sizeInBytes()), np.uint32).reshape(image.height(), -1)


def _ground(seen: np.ndarray, area: QRectF, ink: QColor) -> QColor | None:
    """The colour that is seen most often in an area: the ground of its text; ``None`` where that is covered."""
    height, width = seen.shape
    inside = area.toAlignedRect().intersected(QRect(0, 0, width, height))
    pixels = seen[inside.top() : inside.bottom() + 1 : 2, inside.left() : inside.right() + 1 : 2].reshape(-1, 1)
    away = np.abs((pixels >> _SHIFTS & 0xFF).astype(int) - ink.getRgb()[:3]).sum(axis=1)
    if away.min(initial=_NEAR_INK) >= _NEAR_INK:
        return None
    colors, firsts, counts = np.unique(pixels, return_index=True, return_counts=True)
    return QColor(int(colors[np.lexsort((firsts, -counts))[0]]))


def _named(widget: QWidget) -> str:
    return f"{type(widget).__name__} {widget.accessibleName() or widget.objectName()}".strip()


def painted_rows(widget: QWidget, where: str, seen: np.ndarray) -> Iterator[Row]:
    """What is wrong with a widget that draws itself; ``seen`` are the pixels of its window."""
    drawn: list[Drawn] = []
    WatchedPainter.wanted, WatchedPainter.whose = drawn, widget
    widget.grab(QRect(QPoint(0, 0), widget.size()))
    at = QPointF(widget.mapTo(widget.window(), QPoint(0, 0)))
    WatchedPainter.wanted = None
    for one, other in combinations(drawn[:_MAX_PAIRED], 2):
        shared = one.needs.intersected(other.needs)
        if shared.width() > _SLACK and shared.height() > 0.4 * min(one.needs.height(), other.needs.height()):
            yield Row(where, _named(widget), f"{one.text} / {other.text}", "overlap")
    area = QRectF(widget.rect()).adjusted(-_SLACK, -_SLACK, _SLACK, _SLACK)
    for one in drawn:
        if one.room is not None and one.room.width() > 0:
            wide = one.needs.width() > one.room.width() + _SLACK
            if wide and not one.room.isEmpty():
                yield Row(where, _named(widget), one.text, "is cut")
        if not area.contains(one.needs.center()):
            continue
        if one.needs.right() > area.right() + 1 or one.needs.left() < area.left() - 1:
            yield Row(where, _named(widget), one.text, "reaches beyond its control")
        if 0 < one.pixels < LEAST_PIXELS:
            yield Row(where, _named(widget), one.text, f"is {one.pixels} px")
        ground = _ground(seen, one.needs.translated(at), one.ink)
        asked = AA_LARGE if one.pixels >= _LARGE_PIXELS else AA
        if ground is not None and widget.isEnabled() and contrast(one.ink, ground) < asked - 0.05:
            yield Row(where, _named(widget), one.text, f"has a contrast of {contrast(one.ink, ground):.1f}")


def standard_rows(widget: QWidget, where: str) -> Iterator[Row]:
    """What is wrong with a label or button of Qt's own."""
    if isinstance(widget, QLabel) and widget.text() and not widget.wordWrap():
        plain = widget.text()
        needs = widget.fontMetrics().horizontalAdvance(plain)
        if needs > widget.contentsRect().width() + _SLACK and not plain.startswith("<"):
            yield Row(where, _named(widget), plain, "is cut")
    elif isinstance(widget, QLabel) and widget.text():
        needs = widget.heightForWidth(widget.width())
        if needs > widget.height() + _SLACK + 2:
            yield Row(where, _named(widget), widget.text()[:50], "is cut")
    elif (
        isinstance(widget, QAbstractButton) and type(widget).paintEvent is QAbstractButton.paintEvent and widget.text()
    ):
        needs = widget.fontMetrics().horizontalAdvance(widget.text().replace("&", ""))
        if needs > widget.width() + _SLACK:
            yield Row(where, _named(widget), widget.text(), "is cut")


def _seen(widget: QWidget) -> bool:
    """Whether all of a widget is in sight: what is scrolled away is another matter."""
    return widget.isVisible() and widget.visibleRegion().boundingRect() == widget.rect() and not widget.size().isEmpty()


def overlapping_rows(window: QWidget, where: str) -> Iterator[Row]:
    """Controls that lie over one another."""
    for parent in (window, *window.findChildren(QWidget)):
        kinds = (QAbstractButton, QAbstractSlider, QComboBox, QLineEdit)
        mine = [one for one in parent.children() if isinstance(one, kinds) and one.isVisible()]
        for one, other in combinations(mine[:_MAX_PAIRED], 2):
            shared = one.geometry().intersected(other.geometry())
            if shared.width() > _SLACK and shared.height() > _SLACK:
                yield Row(where, _named(one), _named(other), "lie over one another")


def _in_window(widget: QWidget) -> QRect:
    return QRect(widget.mapTo(widget.window(), QPoint(0, 0)), widget.size())


def looked_at(window: QWidget, where: str) -> Iterator[Row]:
    """What is wrong with all that is in sight."""
    yield from overlapping_rows(window, where)
    seen = _colors(window)
    covers = [_in_window(cover) for cover in window.findChildren(Cover) if cover.isVisible()]
    for widget in window.findChildren(QWidget):
        hidden = any(cover.intersects(_in_window(widget)) for cover in covers) and not isinstance(widget, Cover)
        if hidden or not _seen(widget) or isinstance(widget, QScrollArea):
            continue
        if type(widget).__module__.startswith("arpegon") and hasattr(widget, "paint"):
            yield from painted_rows(widget, where, seen)
        else:
            yield from standard_rows(widget, where)


class Tour:
    """Goes to every editor and view of a window with the demo."""

    def __init__(self) -> None:
        self.session = Session(Settings())
        self.window = Window(self.session)
        self.window.show()
        self.session.load(load_project(DEMO), DEMO)

    def wait(self, seconds: float = 0.06) -> None:
        """Let layouts settle, however busy the machine is."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            QApplication.processEvents()
            time.sleep(0.005)
        self.session.paths.check()  # what is silent is said now, and not while we look
        for _ in range(_LAYOUTS):
            QApplication.sendPostedEvents()
            QApplication.processEvents()

    def places(self) -> Iterator[str]:
        """One after the other, each in sight when its name comes."""
        session, window = self.session, self.window
        window.show_view("Board")
        for kind in WORKS:
            if kind in LISTENINGS:
                continue
            self._show(kind)
            yield f"{kind}"
        for kind in LISTENINGS:
            made_ear = fresh_audio(session, kind)
            session.edit("look", edits.set_source(session.project, "lamp", 0, made_ear))
            session.select_source("lamp", 0)
            self.wait()
            yield kind
        window.bench.wide.setChecked(True)
        for kind in (*GENERATORS, "arpeggiator", "chord", "convert"):
            self._show(kind)
            yield f"wide {kind}"
        window.bench.wide.setChecked(False)
        for part in ("destination", "strand"):
            session.select_part("harbour", part, "", 0)
            self.wait()
            yield part
        for view in VIEWS[1:]:
            window.show_view(view)
            self.wait()
            yield view

    def _show(self, kind: str) -> None:
        """Put a generator or a stage of a kind onto the bench."""
        session = self.session
        if kind in GENERATORS:
            made = edits.fresh_generator(session.project, kind)
            session.edit("look", edits.set_source(session.project, "lamp", 0, made))
            session.select_source("lamp", 0)
        else:
            stages = (Stage(id="looked", kind=kind),)
            session.edit("look", edits.set_strand(session.project, "lamp", stages=stages))
            session.select_stage("looked")
        self.wait()

    def rows(self) -> Iterator[Row]:
        """What is wrong, everywhere, as things are set."""
        name = f"{self.window.width()}x{self.window.height()} {theme.theme().name}"
        for place in self.places():
            yield from looked_at(self.window, f"{name} {place}")

    def close(self) -> None:
        """End the engine."""
        self.session.close()


def main() -> None:
    """Look, and say."""
    whole = "--all" in sys.argv
    with tempfile.TemporaryDirectory() as own:
        for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME"):
            os.environ[name] = own
        from arpegon.ui.app import make_application

        painted.KEEPS_STILL = False
        application = make_application(sys.argv[:1])
        theme.use("day")
        tour = Tour()
        found: dict[tuple[str, str, str], Row] = {}
        looks = [(size, name) for size in SIZES for name in theme.THEMES]
        looks += [((100 * wide // by, 100 * high // by), "day") for wide, high in SIZES for by in PERCENTS]
        for size, name in looks if whole else [(SIZES[0], "day")]:
            theme.use(name)
            tour.window.resize(*size)
            tour.wait(0.2)
            for row in tour.rows():
                found.setdefault(row[1:], row)
        tour.close()
        application.quit()
    for row in found.values():
        print(f"{row.where}: {row.widget}: “{row.text}” {row.what}")
    print(f"{len(found)} rows")
    sys.stdout.flush()  # which the next line does not
    os._exit(1 if found else 0)


if __name__ == "__main__":
    main()
