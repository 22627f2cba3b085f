"""What the window says, and in which tone."""

from __future__ import annotations

import pytest
from gestures import LEFT, pixels
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QPushButton

from arpegon.core.document.model import Hookup
from arpegon.ui.frame.notices import NoticeRow
from arpegon.ui.look import theme


@pytest.mark.parametrize("good", [True, False])
def test_good_news_has_not_the_colour_of_a_warning(shown, good):
    notice = shown(NoticeRow("The hookups were saved.", [], good, lambda: None), 400, 30)
    t = theme.theme()
    assert (pixels(notice, t.good) > 100) == good and (pixels(notice, t.warning) > 100) != good


def test_it_offers_what_can_be_done_and_goes_away(shown):
    told = []
    acts = [("Bring it back", lambda: told.append("back"))]
    notice = shown(NoticeRow("Unsaved work was found.", acts, True, lambda: told.append("gone")), 600, 30)
    for button in notice.findChildren(QPushButton):
        QTest.mouseClick(button, LEFT)
    assert told == ["back", "gone"]


def test_the_newest_three_are_shown_and_what_only_passes_goes(window):
    for topic in ("file", "clips", "edit", "done"):
        window.session.notice(topic, f"about {topic}")
    assert window.notices.texts == ["about done", "about edit", "about clips"]
    window.notices._pass()
    assert window.notices.texts[:2] == ["about clips", "about file"]
    window.session.notice("clips", "")
    assert "about clips" not in window.notices.texts


def test_learning_is_asked_for_in_a_friendly_tone(window, strand, qtbot):
    window.session.hooking.learn(Hookup(id="", param="tempo"))
    qtbot.waitUntil(lambda: any("hook it up to Tempo" in text for text in window.notices.texts))
    (notice,) = [row for row in window.notices.findChildren(NoticeRow) if "hook it up" in row.findChild(QLabel).text()]
    assert notice.isVisible()
    assert pixels(notice, theme.theme().good) > 50
    window.session.hooking.cancel()
    assert not any("hook it up" in text for text in window.notices.texts)
