"""Presets to choose from, and to keep."""

from __future__ import annotations

import pytest
from gestures import collect
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from arpegon.core.document.model import Stage
from arpegon.files import presets
from arpegon.files.presets import Preset, factory_presets
from arpegon.ui.parts.preset_picker import PresetPicker


class Said:
    """A session that only keeps what is said."""

    def __init__(self):
        self.sentences = []

    def notice(self, topic, sentence):
        self.sentences.append(sentence)


@pytest.fixture
def said():
    return Said()


@pytest.fixture
def picker(said, shown, tmp_path, monkeypatch):
    monkeypatch.setattr(presets, "own_folder", lambda: tmp_path)
    made = PresetPicker(
        said, "chord", lambda name: Preset(name=name, stage=Stage(id="", kind="chord", params={"offsets": [5]}))
    )
    made.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose, False)
    return shown(made, 360, 380)


def names(picker):
    return [picker.list.item(row).text().split("\n")[0] for row in range(picker.list.count())]


def test_only_what_fits_the_stage_is_offered(picker):
    assert names(picker) == [preset.name for preset in factory_presets() if preset.kind == "chord"] and names(picker)


def test_words_narrow_the_list_and_none_is_said(picker):
    every = len(names(picker))
    picker.search.setText("harp")
    assert 0 < len(names(picker)) < every and picker.none.isHidden()
    picker.search.setText("harp zzz")
    assert names(picker) == [] and not picker.none.isHidden()
    chosen = collect(picker.chosen)
    QTest.keyClick(picker.search, Qt.Key.Key_Return)
    assert chosen == [] and not picker.isHidden()


def test_arrows_walk_from_the_search_field_and_return_chooses(picker):
    chosen = collect(picker.chosen)
    for key in (Qt.Key.Key_Down, Qt.Key.Key_Down, Qt.Key.Key_Up, Qt.Key.Key_Return):
        QTest.keyClick(picker.search, key)
    assert [preset.name for preset in chosen] == [names(picker)[1]] and picker.isHidden()


def test_what_is_kept_is_found_again_and_can_be_taken_away(picker, said):
    picker.name.setText("  Fourths ")
    QTest.keyClick(picker.name, Qt.Key.Key_Return)
    assert "Fourths" in names(picker) and picker.name.text() == "" and said.sentences == []
    assert picker.remove_button.isEnabled() == (picker.list.currentItem().text().startswith("Fourths"))
    picker.search.setText("fourths")
    picker.remove()
    picker.search.clear()
    assert "Fourths" not in names(picker)


def test_the_factorys_stay(picker):
    every = names(picker)
    assert not picker.remove_button.isEnabled()
    picker.remove()
    assert names(picker) == every


def test_a_preset_without_a_name_is_not_kept_and_it_is_said(picker, said):
    every = names(picker)
    picker.name.setText("   ")
    picker.keep()
    assert names(picker) == every and len(said.sentences) == 1 and "name" in said.sentences[0]


def test_where_nothing_is_selected_nothing_can_be_kept(said, shown):
    picker = shown(PresetPicker(said, "chord"), 360, 380)
    assert picker.name.isHidden() and picker.keep_button.isHidden()
