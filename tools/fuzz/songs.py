"""MIDI files by many hands: those that games of the distribution bring, fetched but never kept with the code."""

from __future__ import annotations

import gzip
import struct
import subprocess
from collections.abc import Iterator
from pathlib import Path

PACKAGES = (
    "simutrans-data",
    "openttd-openmsx",
    "freedink-data",
    "planetblupi-music-midi",
    "fretsonfire-songs-sectoid",
    "fretsonfire-songs-muldjord",
    "freedoom",
    "freedm",
    "pinball-table-hurd-data",
    "kobodeluxe-data",
    "pangzero",
    "liquidwar-data",
)
_HEAD = b"MThd"


def fetch(folder: Path) -> list[str]:
    """Fetch and unpack what is not there yet; the packages that could not be fetched."""
    folder.mkdir(parents=True, exist_ok=True)
    failed = []
    for name in PACKAGES:
        place = folder / name
        if place.is_dir():
            continue
        done = subprocess.run(["apt-get", "download", "-qq", name], cwd=folder, capture_output=True, check=False)
        found = sorted(folder.glob(f"{name}_*.deb"))
        if done.returncode or not found:
            failed.append(name)
            continue
        subprocess.run(["dpkg-deb", "-x", found[-1].name, name], cwd=folder, check=True)
        found[-1].unlink()
    return failed


def songs(folder: Path) -> dict[str, bytes]:
    """All different MIDI files beneath a folder by name, also those inside of other files."""
    found: dict[bytes, str] = {}
    for file in sorted(file for name in PACKAGES for file in (folder / name).rglob("*")):
        if file.is_file() and not file.is_symlink():
            content = file.read_bytes()
            if file.suffix == ".gz":
                content = gzip.decompress(content)
            for number, song in enumerate(_inside(content)):
                found.setdefault(song, f"{file.relative_to(folder)}#{number}")
    return {name: song for song, name in found.items()}


def _inside(content: bytes) -> Iterator[bytes]:
    """MIDI files in other bytes, each as far as its chunks go."""
    at = content.find(_HEAD)
    while at >= 0:
        end = at
        while content[end : end + 4] in (_HEAD, b"MTrk") and (end == at or content[end : end + 4] != _HEAD):
            if end + 8 > len(content):
                break
            end += 8 + struct.unpack(">I", content[end + 4 : end + 8])[0]
        if end > at + 14:
            yield content[at:end]
        at = content.find(_HEAD, max(end, at + 4))
