"""The window's model: it knows no widget, and says what changed."""

from __future__ import annotations

import subprocess
import sys

import msgspec

from arpegon.core.document import edits
from arpegon.ui.model.change import EVERYTHING, Change, change_between
from building import project, stage, strand


def test_it_imports_no_widget():
    widgets = "('PyQt6.QtWidgets', 'PyQt6.QtGui')"
    code = f"import sys, arpegon.ui.model.session; print([one for one in sys.modules if one in {widgets}])"
    found = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert found.stdout.strip() == "[]"


def test_a_turned_knob_changes_one_strand_and_no_field():
    before = project(strand(stage("humanize", "h")), strand(strand_id="b"))
    after = edits.set_params(before, "h", {"low": 50})
    assert change_between(before, after) == Change(strands=frozenset("a"))
    assert change_between(before, before) == Change()


def test_fields_names_and_the_order_of_strands_are_told():
    before = project(strand(), strand(strand_id="b"))
    assert change_between(before, edits.set_project(before, tempo=99.0)).fields == {"tempo"}
    assert change_between(before, edits.set_strand(before, "a", name="Lamp")) == Change(
        frozenset({"names"}), frozenset("a")
    )
    swapped = msgspec.structs.replace(before, strands=before.strands[::-1])
    assert change_between(before, swapped) == Change(frozenset({"strands"}))
    fewer = edits.remove_strand(before, "b")
    assert change_between(before, fewer).touches("strands") and EVERYTHING.touches("hookups")


def test_the_window_starts_without_what_only_sound_and_takes_need():
    heavy = ["numpy", "scipy", "soundfile", "arpegon.ui.take.take_view", "arpegon.ui.hookups.hookups_view"]
    code = f"import sys, arpegon.cli, arpegon.ui.app; print([one for one in {heavy} if one in sys.modules])"
    found = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert found.stdout.strip() == "[]"
