"""The program in the menus of a desktop: entry, icons, file types, manual, completions.

    python -m arpegon.desktop install PREFIX
    python -m arpegon.desktop uninstall PREFIX

Everything stands under ``PREFIX/share``, but for the program's own name in ``PREFIX/bin``.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import click
from click.shell_completion import BashComplete, FishComplete, ShellComplete, ZshComplete

from arpegon import APP_ID, __version__
from arpegon.files.places import DATA

PNG_SIZES = (16, 24, 32, 48, 64, 128, 256, 512)
_FILES = DATA / "desktop"
_CACHES = (
    ("update-desktop-database", "-q", "applications"),
    ("update-mime-database", "mime"),
    ("gtk-update-icon-cache", "-q", "-t", "-f", "icons/hicolor"),
)

_CACHE_FILES = (
    ("applications", ("mimeinfo.cache",), "*.desktop"),
    (
        "mime",
        (
            *("aliases", "generic-icons", "globs", "globs2", "icons", "magic", "mime.cache", "subclasses"),
            *("treemagic", "types", "version", "XMLnamespaces"),
        ),
        "packages/*.xml",
    ),
    ("icons/hicolor", ("icon-theme.cache",), "*/*/*"),
)
"""Files that the commands above write, by folder; they are removed with the last file that they describe."""


def install(prefix: Path, program: Path) -> list[Path]:
    """Put everything in its place.

    Args:
        program: what is started; ``PREFIX/bin/arpegon`` leads to it.

    Returns:
        The files that were written.
    """
    written = []
    for path, content in _contents(prefix):
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(content)
        written.append(path)
    link = prefix / "bin" / "arpegon"
    link.parent.mkdir(parents=True, exist_ok=True)
    if link.resolve() != program.resolve():
        link.unlink(missing_ok=True)
        link.symlink_to(program)
    _renew_caches(prefix / "share")
    return [*written, link]


def uninstall(prefix: Path) -> list[Path]:
    """Take everything away that :func:`install` put there, and folders that are empty then; what was taken away."""
    gone = []
    for path in (*(path for path, _ in _contents(prefix)), prefix / "bin" / "arpegon"):
        if path.is_symlink() or path.exists():
            path.unlink()
            gone.append(path)
    _renew_caches(prefix / "share")
    for path in gone:
        _remove_empty(path.parent, prefix)
    for folder, caches, described in _CACHE_FILES:
        if not any((prefix / "share" / folder).glob(described)):
            for name in caches:
                (prefix / "share" / folder / name).unlink(missing_ok=True)
            for inside in [*(prefix / "share" / folder).glob("*/")]:
                _remove_empty(inside, prefix)
            _remove_empty(prefix / "share" / folder, prefix)
    return gone


def _contents(prefix: Path) -> Iterator[tuple[Path, bytes]]:
    """Every file under ``share``, and what it holds."""
    share = prefix / "share"
    entry = (_FILES / f"{APP_ID}.desktop").read_text().replace("@PROGRAM@", str(prefix / "bin" / "arpegon"))
    yield share / "applications" / f"{APP_ID}.desktop", entry.encode()
    yield share / "metainfo" / f"{APP_ID}.metainfo.xml", (_FILES / f"{APP_ID}.metainfo.xml").read_bytes()
    yield share / "mime" / "packages" / "arpegon.xml", (_FILES / "arpegon-mime.xml").read_bytes()
    icons = share / "icons" / "hicolor"
    yield icons / "scalable" / "apps" / "arpegon.svg", (_FILES / "arpegon.svg").read_bytes()
    for size in PNG_SIZES:
        yield icons / f"{size}x{size}" / "apps" / "arpegon.png", png(size)
    yield share / "man" / "man1" / "arpegon.1", manual().encode()
    yield share / "bash-completion" / "completions" / "arpegon", _completion(BashComplete).encode()
    yield share / "zsh" / "site-functions" / "_arpegon", _completion(ZshComplete).encode()
    yield share / "fish" / "vendor_completions.d" / "arpegon.fish", _completion(FishComplete).encode()


def png(size: int) -> bytes:
    """The icon as a PNG of so many pixels."""
    from PyQt6.QtCore import QBuffer, QIODevice, Qt
    from PyQt6.QtGui import QImage, QPainter
    from PyQt6.QtSvg import QSvgRenderer

    image = QImage(size, size, QImage.Format.Format_ARGB32)
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    QSvgRenderer(str(_FILES / "arpegon.svg")).render(painter)
    painter.end()
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")
    return bytes(buffer.data().data())


def _completion(kind: type[ShellComplete]) -> str:
    from arpegon.cli import main

    # Not kind.source: bash's own asks which bash this machine has, and the files are for whoever installs.
    return ShellComplete.source(kind(main, {}, "arpegon", "_ARPEGON_COMPLETE"))


def manual() -> str:
    """The page of the manual, in troff, made of the commands as they are declared."""
    from arpegon.cli import main

    lines = [f'.TH ARPEGON 1 "" "Arpegon {__version__}" "User commands"', ".SH NAME"]
    lines.append("arpegon \\- chain MIDI processors, see every step, and keep what came out")
    lines += [".SH SYNOPSIS", ".B arpegon", "[\\fIPROJECT\\fR]", ".br"]
    lines += [line for name in _shown(main) for line in (f".B arpegon {_troff(name)}", "[\\fIOPTIONS\\fR] ...", ".br")]
    lines += [".SH DESCRIPTION", _troff(main.help or ""), ".SH OPTIONS", *_options(main)]
    lines.append(".SH COMMANDS")
    for name in _shown(main):
        command = main.commands[name]
        usage = " ".join(param.make_metavar(_context(command)) for param in command.params if _is_argument(param))
        lines += [f".SS {_troff(name)} {_troff(usage)}".rstrip(), _troff(command.help or ""), *_options(command)]
    lines += [".SH EXIT STATUS", "0 where all went well, 1 where a project that was checked has faults, 2 where"]
    lines += ["something was asked for that cannot be done: it is said in a sentence on standard error.", ""]
    return "\n".join(lines)


def _shown(group: click.Group) -> list[str]:
    return [name for name, command in sorted(group.commands.items()) if not command.hidden]


def _is_argument(param: click.Parameter) -> bool:
    return isinstance(param, click.Argument)


def _context(command: click.Command) -> click.Context:
    return click.Context(command, info_name="arpegon")


def _options(command: click.Command) -> list[str]:
    lines = []
    for param in (one for one in command.get_params(_context(command)) if not _is_argument(one)):
        record = param.get_help_record(_context(command))
        if record is not None:
            lines += [".TP", f".B {_troff(record[0])}", _troff(record[1])]
    return lines


def _troff(text: str) -> str:
    """Text as troff reads it: hyphens are hyphens, and no line begins with what would be a request."""
    escaped = text.replace("\\", "\\e").replace("-", "\\-")
    rows = [line.strip() for line in escaped.splitlines()]
    return "\n".join(f"\\&{row}" if row.startswith((".", "'")) else row or ".PP" for row in rows)


def _renew_caches(share: Path) -> None:
    """Have menus and file managers know of it, where their tools are."""
    for tool, *arguments in _CACHES:
        folder = share / arguments[-1]
        if shutil.which(tool) and folder.is_dir():
            subprocess.run([tool, *arguments[:-1], str(folder)], check=False, capture_output=True)


def _remove_empty(folder: Path, prefix: Path) -> None:
    while folder.is_dir() and prefix in folder.parents and not any(folder.iterdir()):
        folder.rmdir()
        folder = folder.parent


def main(arguments: list[str]) -> int:
    """Install or uninstall; the exit code."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    if len(arguments) != 2 or arguments[0] not in ("install", "uninstall"):
        print("arpegon: say install or uninstall, and a folder such as ~/.local.", file=sys.stderr)
        return 2
    prefix = Path(arguments[1]).expanduser().absolute()
    try:
        if arguments[0] == "install":
            files = install(prefix, Path(sys.prefix) / "bin" / "arpegon")
            print(
                f"Arpegon is installed: {prefix / 'bin' / 'arpegon'}, and {len(files) - 1} files in {prefix / 'share'}."
            )
        else:
            print(f"{len(uninstall(prefix))} files were taken away from {prefix}.")
    except OSError as error:
        print(f"arpegon: “{error.filename}” cannot be written: {error.strerror}.", file=sys.stderr)
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
