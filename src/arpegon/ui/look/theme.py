"""The look: colours, type and the style sheet. No colour is written anywhere else."""

from __future__ import annotations

from functools import lru_cache
from typing import Final

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QFont, QFontDatabase
from PyQt6.QtWidgets import QApplication

from arpegon.files.places import DATA

INKS: Final = ("#0F7B78", "#B5316B", "#C1811A", "#3F5EA8", "#6B8A35", "#7A4FA3", "#A8492F", "#4A6572")
"""One for each strand, in turn: colour says which strand, nothing else."""
INK_NAMES: Final = ("teal", "raspberry", "ochre", "indigo", "moss", "violet", "brick", "slate")

SERIF, SANS, MONO = "Fraunces", "IBM Plex Sans Condensed", "IBM Plex Mono"


class Theme(msgspec.Struct, frozen=True):
    """The colour tokens of one theme, as ``#RRGGBB``."""

    name: str
    desk: str
    paper: str
    roll: str
    rule: str
    rule_strong: str
    ink: str
    second: str
    bar: str
    line: str
    warning: str
    field: str
    """The ground of fields and buttons, lighter than the paper by day, darker by night."""
    good: str

    @property
    def dark(self) -> bool:
        """Whether this is a dark theme."""
        return self.name == "night"

    def drawn(self, ink: str) -> str:
        """An ink as it is drawn on the roll's paper: lifted by night, so that soft strokes still show."""
        return mix(ink, self.ink, 0.3) if self.dark else ink

    @property
    def bar_text(self) -> str:
        """Text on a bar."""
        return self.paper

    @property
    def bar_second(self) -> str:
        """Quiet text on a bar."""
        return mix(self.paper, self.bar, 0.25)


DAY = Theme(
    name="day",
    desk="#DED6C5",
    paper="#F4EEE1",
    roll="#FBF8F0",
    rule="#E6DECB",
    rule_strong="#D3C8B0",
    ink="#23262D",
    second="#6A655A",
    bar="#2A2E37",
    line="#C5BAA2",
    warning="#D5402B",
    field="#FBF8F0",
    good="#6B8A35",
)
NIGHT = Theme(
    name="night",
    desk="#121419",
    paper="#1B1E25",
    roll="#15181D",
    rule="#22262E",
    rule_strong="#2E333D",
    ink="#EFE8D9",
    second="#9A9486",
    bar="#E9E1D0",
    line="#343943",
    warning="#FF6A4D",
    field="#15181D",
    good="#8FB04F",
)
CONTRAST = Theme(
    name="contrast",
    desk="#FFFFFF",
    paper="#FFFFFF",
    roll="#FFFFFF",
    rule="#C8C8C8",
    rule_strong="#8A8A8A",
    ink="#000000",
    second="#2E2E2E",
    bar="#000000",
    line="#000000",
    warning="#B00010",
    field="#FFFFFF",
    good="#1F5A00",
)
THEMES = {theme.name: theme for theme in (DAY, NIGHT, CONTRAST)}


class _Current(QObject):
    """The theme in force, and word of its change."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.theme = DAY


_current = _Current()
changed = _current.changed


def theme() -> Theme:
    """The theme in force."""
    return _current.theme


def choose(name: str) -> None:
    """Choose the theme; what stands in sight has it once it is dressed."""
    _current.theme = THEMES.get(name, DAY)


def dress() -> None:
    """Give Qt's own widgets the look of the theme.

    A widget that is put into another is dressed anew, with all that it holds: it is best done when all stands.
    """
    application = QApplication.instance()
    if isinstance(application, QApplication):
        sheet = style_sheet(_current.theme)
        if sheet != application.styleSheet():  # every widget would be dressed anew
            application.setStyleSheet(sheet)


def use(name: str) -> None:
    """Put a theme in force for the whole application."""
    choose(name)
    dress()
    _current.changed.emit()


@lru_cache(maxsize=1024)
def color(value: str, alpha: float = 1.0) -> QColor:
    """A token as a QColor; the same object each time, so nobody may change it."""
    made = QColor(value)
    made.setAlphaF(min(1.0, max(0.0, alpha)))
    return made


@lru_cache(maxsize=1024)
def brush(value: str, alpha: float = 1.0) -> QBrush:
    """The same as a brush: of a colour with which something is filled one is made each time, and that takes longer than
    filling."""
    return QBrush(color(value, alpha))


_SHARES = 64
"""In how many steps one colour goes over into another."""


def mix(first: str, second: str, share: float) -> str:
    """``share`` of the second colour in the first, in steps that nobody sees."""
    return _mixed(first, second, round(share * _SHARES))


@lru_cache(maxsize=1024)
def _mixed(first: str, second: str, shares: int) -> str:
    share = shares / _SHARES
    a, b = QColor(first), QColor(second)
    parts = [round(x + (y - x) * share) for x, y in zip(a.getRgb()[:3], b.getRgb()[:3], strict=True)]
    return "#" + "".join(f"{part:02X}" for part in parts)


@lru_cache(maxsize=1024)
def luminance(value: str) -> float:
    """The relative luminance of WCAG 2.1, 0-1."""
    channels = [QColor(value).redF(), QColor(value).greenF(), QColor(value).blueF()]
    linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in channels]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(first: str, second: str) -> float:
    """The contrast ratio of WCAG 2.1, 1-21."""
    light, dark = sorted((luminance(first), luminance(second)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


@lru_cache(maxsize=1024)
def text_on(ground: str) -> str:
    """The theme-independent text colour that reads best on a ground."""
    return max((DAY.roll, NIGHT.desk), key=lambda text: contrast(text, ground))


def ink(number: int) -> str:
    """The ink of the strand with that number."""
    return INKS[number % len(INKS)]


def roll_ink(number: int) -> str:
    """A strand's ink as it is printed on a roll."""
    return theme().drawn(ink(number))


def load_fonts() -> None:
    """Make the fonts of the package known to Qt."""
    for file in sorted((DATA / "fonts").glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(file))


def font(family: str, pixels: int, weight: int = 400) -> QFont:
    """A font of ours; nothing is set below 11 pixels."""
    made = QFont(family)
    made.setPixelSize(max(11, pixels))
    made.setWeight(QFont.Weight(weight))
    return made


@lru_cache(maxsize=64)
def label_font(pixels: int = 12, weight: int = 400) -> QFont:
    """For labels."""
    return font(SANS, pixels, weight)


@lru_cache(maxsize=64)
def number_font(pixels: int = 12, weight: int = 400) -> QFont:
    """For numbers."""
    return font(MONO, pixels, weight)


@lru_cache(maxsize=64)
def name_font(pixels: int = 16, weight: int = 600) -> QFont:
    """For names and headings."""
    return font(SERIF, pixels, weight)


@lru_cache(maxsize=1)
def caps_font() -> QFont:
    """For the small headings in capitals."""
    made = font(SANS, 11, 500)
    made.setLetterSpacing(QFont.SpacingType.AbsoluteSpacing, 1.1)
    return made


def style_sheet(t: Theme) -> str:
    """What the standard widgets look like."""
    return f"""
    * {{ font-family: "{SANS}"; font-size: 13px; color: {t.ink}; }}
    QMainWindow, QWidget#desk {{ background: {t.desk}; }}
    QWidget#paper, QScrollArea#paper, QDialog {{ background: {t.paper}; border: none; }}
    QLabel {{ background: transparent; }}
    QLabel[role="second"] {{ color: {t.second}; font-size: 12px; }}
    QLabel[role="caps"] {{ color: {t.second}; font-size: 11px; font-weight: 500; letter-spacing: 1px; }}
    QLabel[role="name"] {{ font-family: "{SERIF}"; font-weight: 600; font-size: 22px; }}
    QLabel[role="headline"] {{ font-family: "{SERIF}"; font-weight: 600; font-size: 26px; }}
    QLabel[role="title"] {{ font-family: "{SERIF}"; font-weight: 600; font-size: 17px; }}
    QLabel[role="strand"] {{ font-family: "{SERIF}"; font-weight: 600; font-size: 14px; }}
    QLabel[role="strand-small"] {{ font-family: "{SERIF}"; font-weight: 600; font-size: 12px; }}
    QLabel[role="strand-large"] {{ font-family: "{SERIF}"; font-weight: 600; font-size: 20px; }}
    QLabel[role="word"] {{ font-family: "{SERIF}"; font-weight: 400; font-size: 14px; }}
    QLabel[role="small-number"] {{ font-family: "{MONO}"; font-size: 11px; color: {t.second}; }}
    QLabel[role="desk"] {{ color: {mix(t.second, t.ink, 0.4)}; font-size: 13px; }}
    QLabel[role="number"] {{ font-family: "{MONO}"; }}
    QLabel[role="warning"] {{ color: {t.warning if t.dark else mix(t.warning, t.ink, 0.25)}; font-size: 12px; }}
    QPushButton, QToolButton {{
        background: {t.field}; border: 1px solid {t.line}; border-radius: 5px; padding: 4px 10px;
    }}
    QPushButton:hover, QToolButton:hover {{ border-color: {t.second}; }}
    QPushButton:pressed, QToolButton:pressed {{ background: {t.rule}; }}
    QPushButton:focus, QToolButton:focus, QComboBox:focus, QLineEdit:focus, QSpinBox:focus {{
        border: 1px solid {t.ink};
    }}
    QPushButton:checked, QToolButton:checked {{ background: {t.bar}; color: {t.bar_text}; border-color: {t.bar}; }}
    QPushButton:disabled, QToolButton:disabled {{ color: {mix(t.second, t.paper, 0.35)}; border-color: {t.rule}; }}
    QPushButton[flat="true"], QToolButton[flat="true"] {{
        background: transparent; border: 1px solid transparent; color: {t.second};
        padding: 2px 6px; font-size: 12px;
    }}
    QPushButton[flat="true"]:hover, QToolButton[flat="true"]:hover {{ color: {t.ink}; border-color: {t.line}; }}
    QPushButton[flat="true"]:focus {{ border-color: {t.second}; }}
    QPushButton[flat="true"]:checked {{ background: {t.bar}; color: {t.bar_text}; }}
    QPushButton[strong="true"] {{
        background: {t.bar}; color: {t.bar_text}; border-color: {t.bar}; font-weight: 600;
    }}
    QPushButton[strong="true"]:disabled {{ background: {t.line}; border-color: {t.line}; color: {t.second}; }}
    QFrame#finder {{ background: {t.paper}; border: 1px solid {t.line}; border-radius: 8px; }}
    QPushButton[alarm="true"] {{
        background: {t.warning}; color: {text_on(t.warning)}; border-color: {t.warning};
        font-weight: 600; padding: 4px 6px;
    }}
    QToolButton::menu-indicator, QPushButton::menu-indicator {{ image: none; width: 0; }}
    QPlainTextEdit {{
        font-family: "{MONO}"; font-size: 12px; color: {t.ink}; background: {t.field};
        border: 1px solid {t.line}; border-radius: 4px; padding: 6px;
    }}
    QComboBox, QLineEdit, QSpinBox, QDoubleSpinBox {{
        background: {t.field}; border: 1px solid {t.line}; border-radius: 5px; padding: 3px 8px; min-height: 20px;
        selection-background-color: {t.bar}; selection-color: {t.bar_text};
    }}
    QComboBox:disabled, QLineEdit:disabled {{ color: {mix(t.second, t.paper, 0.35)}; border-color: {t.rule}; }}
    QComboBox::drop-down {{ border: none; width: 18px; }}
    QComboBox QAbstractItemView {{
        background: {t.field}; border: 1px solid {t.line}; outline: none;
        selection-background-color: {t.bar}; selection-color: {t.bar_text};
    }}
    QMenu {{ background: {t.field}; border: 1px solid {t.line}; padding: 4px; }}
    QMenu::item {{ padding: 5px 22px 5px 12px; border-radius: 4px; }}
    QMenu::item:selected {{ background: {t.bar}; color: {t.bar_text}; }}
    QMenu::item:disabled {{ color: {mix(t.second, t.paper, 0.3)}; }}
    QMenu::separator {{ height: 1px; background: {t.rule_strong}; margin: 4px 6px; }}
    QToolTip {{
        background: {t.bar}; color: {t.bar_text}; border: none; padding: 5px 8px; font-size: 12px;
    }}
    QScrollBar:horizontal {{ height: 10px; background: transparent; }}
    QScrollBar:vertical {{ width: 10px; background: transparent; }}
    QScrollBar::handle {{ background: {t.line}; border-radius: 4px; min-width: 30px; min-height: 30px; margin: 1px; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{
        background: transparent; width: 0; height: 0;
    }}
    QScrollArea {{ background: transparent; border: none; }}
    QListWidget {{
        background: {t.field}; border: 1px solid {t.line}; border-radius: 5px; outline: none; padding: 3px;
    }}
    QListWidget::item {{ padding: 6px 8px; border-radius: 4px; }}
    QListWidget::item:selected {{ background: {t.bar}; color: {t.bar_text}; }}
    """
