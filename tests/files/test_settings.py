"""Settings: kept from one start to the next, shared by windows, and never worth a stop."""

from __future__ import annotations

import fcntl
import os
from pathlib import Path

import pytest

from arpegon.files import settings
from arpegon.files.places import config_dir
from arpegon.files.settings import Settings, SettingsKeeper, change_kept, load_settings, settings_trouble


def test_settings_are_kept_and_what_cannot_be_read_is_default(tmp_path, monkeypatch):
    change_kept([lambda kept: Settings(theme="night").with_recent(tmp_path / "a").with_recent(tmp_path / "b")])
    read = load_settings()
    assert read.theme == "night" and [Path(one).name for one in read.recent] == ["b", "a"]
    file = next(Path(os.environ["XDG_CONFIG_HOME"]).rglob("settings.json"))
    assert not settings_trouble()
    file.write_text("{")
    assert load_settings() == Settings() and "could not be read, so the usual ones hold" in settings_trouble()
    change_kept([lambda kept: kept.with_recent(tmp_path / "c")])
    assert file.with_name("settings.json.unread").read_text() == "{", "nothing is lost"
    assert len(load_settings().recent) == 1 and not settings_trouble()


def test_what_two_windows_change_in_the_settings_is_all_kept(tmp_path):
    one, other = SettingsKeeper(), SettingsKeeper()
    for number in range(4):
        one.change(lambda kept, number=number: kept.with_recent(tmp_path / f"tide {number}"))
        other.change(lambda kept, number=number: kept.with_listening(f"pad {number}", {"threshold_db": -30.0}))
        other.change(lambda kept, number=number: kept.with_opened(f"fold {number}", number < 3))
    one.finish()
    other.finish()
    kept = load_settings()
    assert [Path(path).name for path in kept.recent] == [f"tide {number}" for number in (3, 2, 1, 0)]
    assert len(kept.listening) == 4 and kept.opened == ("fold 0", "fold 1", "fold 2")


def test_a_change_that_fails_holds_up_none_after_it(tmp_path):
    keeper = SettingsKeeper()
    keeper.change(lambda kept: [][0])
    keeper.finish()
    keeper.change(lambda kept: kept.with_recent(tmp_path))
    keeper.finish()
    assert len(load_settings().recent) == 1


def test_a_window_that_stands_still_while_it_writes_settings_holds_up_no_other(tmp_path, monkeypatch):
    monkeypatch.setattr(settings, "_PATIENCE_SECONDS", 0.05)
    change_kept([])
    with settings.settings_file().with_suffix(".lock").open("ab") as file:
        fcntl.flock(file, fcntl.LOCK_EX)
        change_kept([lambda kept: kept.with_recent(tmp_path)])
    assert len(load_settings().recent) == 1


def test_settings_that_cannot_be_written_stop_nothing(monkeypatch, tmp_path):
    (tmp_path / "file").write_text("")
    monkeypatch.setattr(settings, "config_dir", lambda: tmp_path / "file")
    change_kept([lambda kept: kept.with_recent(tmp_path)])
    assert load_settings() == Settings()


@pytest.mark.parametrize("content", [b'{"theme": "n\xffght"}', b"\xff", b"[1]", b'{"theme": 3}', b"", b"[" * 100_000])
def test_settings_that_are_damaged_are_defaults(content):
    change_kept([lambda kept: Settings()])
    (config_dir() / "settings.json").write_bytes(content)
    assert load_settings() == Settings()
