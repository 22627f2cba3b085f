"""The program in the menus: what is installed is valid, is found by file managers, and goes away again."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from PyQt6.QtGui import QImage

from arpegon import APP_ID, desktop
from arpegon.cli import main
from arpegon.files.places import DEMO

ROOT = Path(__file__).resolve().parent.parent


@pytest.fixture
def prefix(tmp_path):
    """A place where it is installed."""
    assert desktop.main(["install", str(tmp_path / "home")]) == 0
    return tmp_path / "home"


def run(*command):
    done = subprocess.run([str(one) for one in command], capture_output=True, text=True, timeout=60)
    return done.returncode, done.stdout + done.stderr


def test_entry_and_metadata_are_valid(prefix):
    entry = prefix / "share" / "applications" / f"{APP_ID}.desktop"
    assert f"Exec={prefix}/bin/arpegon %f" in entry.read_text()
    assert run("desktop-file-validate", entry) == (0, "")
    code, said = run("appstreamcli", "validate", "--no-net", prefix / "share" / "metainfo" / f"{APP_ID}.metainfo.xml")
    assert code == 0, said


@pytest.mark.parametrize("file", [DEMO, "preset"])
def test_file_managers_know_projects_and_presets_by_name_and_by_content(prefix, tmp_path, file):
    kind = "preset" if file == "preset" else "project"
    source = next((DEMO.parent.parent / "presets").iterdir()) if kind == "preset" else DEMO
    shutil.copy(source, tmp_path / f"x.arpegon{'-preset' if kind == 'preset' else ''}")
    shutil.copy(source, tmp_path / "nameless")
    environment = {**os.environ, "XDG_DATA_HOME": str(prefix / "share"), "XDG_DATA_DIRS": "/usr/share"}
    program = (
        "import sys\nfrom PyQt6.QtCore import QMimeDatabase\n"
        "print(*[QMimeDatabase().mimeTypeForFile(one).name() for one in sys.argv[1:]])"
    )
    names = [str(path) for path in sorted(tmp_path.iterdir()) if path.is_file()]
    done = subprocess.run([sys.executable, "-c", program, *names], capture_output=True, text=True, env=environment)
    assert done.stdout.split() == [f"application/x-arpegon-{kind}"] * 2, done.stderr


def test_icons_are_drawn_at_every_size(prefix):
    for size in desktop.PNG_SIZES:
        image = QImage(str(prefix / "share" / "icons" / "hicolor" / f"{size}x{size}" / "apps" / "arpegon.png"))
        assert (image.width(), image.height()) == (size, size) and image.pixelColor(size // 2, size // 8).alpha() > 200


def test_the_manual_and_completions_know_every_command(prefix):
    page = (prefix / "share" / "man" / "man1" / "arpegon.1").read_text()
    for name, command in main.commands.items():
        assert (f".SS {name}" in page) is not command.hidden
    assert "\\-\\-headless" in page and "\\-\\-take\\-tempo" in page
    environment = {**os.environ, "COMP_WORDS": "arpegon re", "COMP_CWORD": "1", "_ARPEGON_COMPLETE": "bash_complete"}
    program = Path(sys.executable).with_name("arpegon")
    done = subprocess.run([program], capture_output=True, text=True, env=environment, timeout=60)
    assert done.stdout == "plain,render\n"
    for place in ("bash-completion/completions/arpegon", "zsh/site-functions/_arpegon"):
        assert "_ARPEGON_COMPLETE" in (prefix / "share" / place).read_text()


def test_uninstall_leaves_what_is_not_ours(prefix):
    other = prefix / "share" / "applications" / "other.desktop"
    other.write_text("[Desktop Entry]\n")
    assert desktop.main(["uninstall", str(prefix)]) == 0
    left = [path.name for path in prefix.rglob("*") if path.is_file() or path.is_symlink()]
    assert "other.desktop" in left and not [name for name in left if "rpegon" in name]
    assert desktop.main(["uninstall", str(prefix)]) == 0, "what is gone is no fault"


def test_uninstall_leaves_no_cache_behind_of_what_nothing_is_left_of(prefix):
    assert desktop.main(["uninstall", str(prefix)]) == 0
    left = [str(path.relative_to(prefix)) for path in (prefix / "share").rglob("*") if path.is_file()]
    assert not [name for name in left if "mime" in name or "icon" in name]


def test_what_cannot_be_installed_is_said(tmp_path, capsys):
    (tmp_path / "file").write_text("")
    assert desktop.main(["install", str(tmp_path / "file")]) == 2
    assert "cannot be written" in capsys.readouterr().err
    assert desktop.main(["paint"]) == 2 and "install or uninstall" in capsys.readouterr().err


def test_a_wheel_holds_all_that_the_program_needs(tmp_path):
    """As pipx installs it: from the wheel alone, with none of the sources beside it."""
    pip = [sys.executable, "-m", "pip", "--disable-pip-version-check", "-q"]
    copy = tmp_path / "copy"
    shutil.copytree(ROOT / "src", copy / "src", ignore=shutil.ignore_patterns("*.egg-info", "__pycache__"))
    for name in ("pyproject.toml", "README.md", "LICENSE"):
        shutil.copy(ROOT / name, copy / name)
    code, said = run(*pip, "wheel", "--no-deps", "-w", tmp_path, copy)
    assert code == 0, said
    (wheel,) = tmp_path.glob("*.whl")
    code, said = run(*pip, "install", "--no-deps", "--target", tmp_path / "there", wheel)
    assert code == 0, said
    environment = {**os.environ, "PYTHONPATH": str(tmp_path / "there")}

    def there(*arguments):
        command = [sys.executable, "-P", "-m", *map(str, arguments)]
        return subprocess.run(command, capture_output=True, text=True, env=environment, cwd=tmp_path, timeout=100)

    where = subprocess.run(
        [sys.executable, "-P", "-c", "import arpegon; print(arpegon.__file__)"],
        capture_output=True,
        text=True,
        env=environment,
        cwd=tmp_path,
    )
    assert str(tmp_path / "there") in where.stdout
    demo = tmp_path / "there" / "arpegon" / "data" / "demo" / "the-lamplighters-tide.arpegon"
    assert there("arpegon.cli", "check", demo).returncode == 0
    assert there("arpegon.desktop", "install", tmp_path / "home").returncode == 0
    assert (tmp_path / "home" / "share" / "applications" / f"{APP_ID}.desktop").is_file()
