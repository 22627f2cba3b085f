"""Names are shown as they are: never read as markup, and no letter of them is taken for a mark."""

from __future__ import annotations

import ast
import os
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel

import arpegon.ui
from arpegon.core.document.model import Section
from arpegon.ui.look.plain import Label, rich, tip, unmarked
from arpegon.ui.sections.section_strip import SectionRuler
from building import project, stage, strand

FORGED = "<img src='{}'><h1>Saved &amp; well</h1> & more"
SOURCES = sorted(Path(arpegon.ui.__file__).parent.rglob("*.py"))


def is_plain(node):
    """Whether an expression is words of our own, or goes through what makes them plain."""
    match node:
        case ast.Constant():
            return True
        case ast.IfExp():
            return is_plain(node.body) and is_plain(node.orelse)
        case ast.Call(func=ast.Name(id="tip" | "rich")):
            return True
    return False


@pytest.mark.parametrize("file", SOURCES, ids=lambda file: file.name)
def test_labels_and_tool_tips_go_through_what_makes_them_plain(file):
    odd = []
    for node in ast.walk(ast.parse(file.read_text())):
        match node:
            case ast.Call(func=ast.Name(id="QLabel" | "QMessageBox" | "QTextEdit" | "QTextBrowser")):
                odd.append(node.lineno)
            case ast.Call(func=ast.Attribute(attr="setToolTip" | "setWhatsThis"), args=[words, *_]) if not is_plain(
                words
            ):
                odd.append(node.lineno)
            case ast.Call(func=ast.Attribute(attr="showText"), args=[_, words, *_]) if not is_plain(words):
                odd.append(node.lineno)
    assert odd == []


def test_a_tip_of_a_name_is_the_name():
    assert tip("Fog & <b>Bells</b>") == "<qt>Fog &amp; &lt;b&gt;Bells&lt;/b&gt;</qt>" == tip(tip("Fog & <b>Bells</b>"))
    assert rich("<b>{}</b>, {}", "<i>", 3) == "<qt><b>&lt;i&gt;</b>, 3</qt>"
    assert (tip(""), unmarked("Fog & Bells")) == ("", "Fog && Bells")


def test_a_label_takes_what_looks_like_markup_as_words(qapp):
    label = Label("<b>x</b>")
    assert label.textFormat() == Qt.TextFormat.PlainText and label.text() == "<b>x</b>"


def test_a_project_of_forged_names_is_shown_and_hangs_nothing(window, tmp_path):
    os.mkfifo(tmp_path / "pipe")  # who opened it would wait for ever
    forged = FORGED.format(tmp_path / "pipe")
    session = window.session
    session.load(
        project(strand(stage("velocity"), name=forged), title=forged, sections=(Section(id="s", name=forged),)), None
    )
    session.notice("file", forged)
    for part in ("strand", "stage", "source", "destination"):
        session.select_part("a", part, session.project.strands[0].stages[0].id, 0)
        window.repaint()
    labels = window.findChildren(QLabel)
    assert sum(forged in label.text() or getattr(label, "full", "") == forged for label in labels) >= 3
    assert {label.textFormat() for label in labels if type(label) is not QLabel} == {Qt.TextFormat.PlainText}
    strip = window.findChild(SectionRuler)
    assert "&lt;img" in strip._words(0) and "<img" not in strip._words(0)
    assert "&& more" in strip.menu(0).actions()[0].text()
