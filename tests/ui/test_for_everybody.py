"""For everybody: what a screen reader gets of the running window, and what it can do; nothing cut, faint or small."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from arpegon.files.places import DEMO
from arpegon.files.project import load_project
from arpegon.processors.holding import within

ROOT = Path(__file__).resolve().parents[2]
PYTHON = "/usr/bin/python3"
"""The system's, which has what screen readers are written with."""
RUN = """
/usr/libexec/at-spi-bus-launcher --launch-immediately >/dev/null 2>&1 &
{program} --demo >/dev/null 2>&1 &
window=$!
{python} {reader} Arpegon {more} >"{out}"
kill $window
"""


def read(folder, *more):
    """The tree of the demo's window as a screen reader gets it."""
    out = folder / "tree.json"
    words = " ".join(f"'{word}'" for word in more)
    program = f"{sys.executable} -m arpegon.cli"
    script = RUN.format(program=program, python=PYTHON, reader=ROOT / "tools" / "reader_tree.py", more=words, out=out)
    environment = {
        **os.environ,
        **{f"XDG_{name}_HOME": str(folder / name) for name in ("CONFIG", "DATA", "STATE", "CACHE")},
        "QT_LINUX_ACCESSIBILITY_ALWAYS_ON": "1",
        "QT_QPA_PLATFORM": "xcb",
        "PYTHONPATH": str(ROOT / "src"),
    }
    words_ = ["dbus-run-session", "--", "xvfb-run", "-a", "-s", "-screen 0 1280x800x24", "sh", "-c", script]
    done = subprocess.run(words_, env=environment, capture_output=True, text=True, timeout=280, check=False)
    assert out.exists() and out.stat().st_size, done.stderr[-2000:]
    return json.loads(out.read_text())


def walked(node):
    """A node and all beneath it."""
    yield node
    for child in node["children"]:
        yield from walked(child)


@pytest.fixture(scope="module")
def nodes(tmp_path_factory):
    for needed in ("dbus-run-session", "xvfb-run"):
        assert shutil.which(needed), "make test installs it"
    return list(walked(read(tmp_path_factory.mktemp("reader"))))


def named(nodes, name, role):
    return [node for node in nodes if node["name"] == name and node["role"] == role]


def test_every_control_that_takes_the_keys_has_a_name(nodes):
    nameless = [
        node["role"] for node in nodes if {"focusable", "showing"} <= set(node["states"]) and not node["name"].strip()
    ]
    roles = {"frame", "filler", "panel", "layered pane", "scroll pane", "list"}  # lists are those of combo boxes
    assert [role for role in nameless if role not in roles] == []


def test_controls_have_roles_and_values(nodes):
    (register,) = named(nodes, "Register", "slider")
    assert register["value"] == [0.0, -3.0, 3.0] and register["description"] == "0 oct"
    (keep,) = named(nodes, "Keep the played note", "check box")
    assert "checked" in keep["states"]
    (tempo,) = [node for node in nodes if node["name"] == "Tempo" and "button" in node["role"]]
    demo = load_project(DEMO)
    tempi = {f"{within(demo, section).tempo:.1f}" for section in demo.sections}
    assert tempo["description"] in tempi, "the demo plays, and goes on to its next section meanwhile"
    assert [node for node in nodes if node["role"] == "combo box" and "shape" in str(node)]
    wheels = [node["name"] for node in nodes if node["role"] == "slider"]
    assert {"mod", "pedal", "Wind", "Stride"} <= set(wheels)
    stages = [node for node in nodes if node["name"].startswith("Chord, fifth")]
    assert stages and "checked" in stages[0]["states"]


def test_a_screen_reader_sets_and_presses(tmp_path):
    nodes = list(walked(read(tmp_path, "Register", "slider", "2")))
    (register,) = named(nodes, "Register", "slider")
    assert register["value"][0] == 2.0 and register["description"] == "2 oct"


def test_the_look_finds_what_is_wrong():
    code = """
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QFont
from PyQt6.QtWidgets import QPushButton, QWidget
from tools import look
from arpegon.ui.app import make_application
from arpegon.ui.look import theme
from arpegon.ui.look.painted import Painted
from arpegon.ui.look.plain import Label

application = make_application(["look"])


class Bad(Painted):
    __module__ = "arpegon.trial"

    def paint(self, painter, t):
        painter.fillRect(self.rect(), theme.color(t.paper))
        painter.setPen(theme.color(t.ink))
        painter.setFont(theme.label_font(13))
        painter.drawText(QRectF(0, 0, 30, 20), 0, "much too long for that")
        painter.drawText(QRectF(0, 30, 200, 20), 0, "one over")
        painter.drawText(QRectF(10, 30, 200, 20), 0, "another")
        small = QFont(painter.font())
        small.setPixelSize(8)
        painter.setFont(small)
        painter.drawText(QRectF(0, 60, 200, 20), 0, "tiny")
        painter.setFont(theme.label_font(13))
        painter.setPen(theme.color(t.rule))
        painter.drawText(QRectF(0, 80, 200, 20), 0, "faint")


window = QWidget()
window.resize(400, 300)
bad = Bad(window)
bad.setGeometry(0, 0, 220, 110)
label = Label("a label that has no room at all", window)
label.setGeometry(0, 120, 40, 20)
for x in (0, 30):
    QPushButton("press", window).setGeometry(x, 150, 60, 24)
window.show()
for row in look.looked_at(window, "here"):
    print(row.text, row.what)
"""
    done = subprocess.run(
        [sys.executable, "-c", code], cwd=ROOT, capture_output=True, text=True, timeout=60, check=True
    )
    said = done.stdout
    for words in ("that is cut", "overlap", "tiny is 8 px", "faint has a contrast", "at all is cut", "lie over one"):
        assert words in said, (words, said)


def test_nothing_is_cut_faint_or_too_small_at_1280x800():
    done = subprocess.run(
        [sys.executable, "-m", "tools.look"], cwd=ROOT, capture_output=True, text=True, timeout=280, check=False
    )
    assert done.returncode == 0, done.stdout[-3000:]
    assert done.stdout.strip().endswith("0 rows")
