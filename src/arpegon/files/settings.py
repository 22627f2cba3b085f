"""The settings that are not a project's, remembered from one start to the next and shared by all windows."""

from __future__ import annotations

import contextlib
import fcntl
import logging
import os
import threading
import time
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import Any

import msgspec

from arpegon.core.errors import FileError
from arpegon.files.atomic import write_atomic
from arpegon.files.json_text import read_own
from arpegon.files.path_text import path_text
from arpegon.files.places import config_dir

log = logging.getLogger(__name__)

RECENT = 10
_UNREAD = "settings.json.unread"
_PATIENCE_SECONDS = 2.0


class Settings(msgspec.Struct, frozen=True):
    """What is remembered from one start to the next; unknown keys of other versions are passed over."""

    theme: str = "day"
    recent: tuple[str, ...] = ()
    middle_c: int = 4
    audio_device: str = ""
    block: int = 256
    key_layout: str = "piano"
    knobs_and_pads: bool = True
    surface: bool = True
    """Whether the play surface is in sight."""
    section_strip: bool = True
    """Whether the strip of sections is, where there are any."""
    less_motion: bool | None = None
    """Whether things move less; ``None``: as the desktop says."""
    text_percent: int = 100
    """How large everything is drawn."""
    place: tuple[int, int, int, int] | None = None
    """Where the window stood last: x, y, width, height."""
    maximized: bool = False
    view: str = "Board"
    readout: int | None = None
    """How many pixels the readout was given; ``None``: what the editor leaves."""
    readout_folded: bool = False
    """Whether only its last event shows."""
    opened: tuple[str, ...] = ()
    """What was unfolded on the bench, each by the editor and its heading."""
    osc_port: int = 0
    """Where OSC is heard; 0: it is not."""
    osc_anywhere: bool = False
    """Whether from the local network, too."""
    listening: dict[str, dict[str, Any]] = {}
    """What new audio sources begin with, by what they listen for."""

    def with_recent(self, path: Path) -> Settings:
        """The settings with a file first among the recent ones."""
        first = path_text(path.resolve())
        rest = tuple(one for one in self.recent if one != first)
        return msgspec.structs.replace(self, recent=(first, *rest)[:RECENT])

    def with_opened(self, name: str, on: bool) -> Settings:
        """The settings with something unfolded on the bench, or folded."""
        rest = tuple(one for one in self.opened if one != name)
        return msgspec.structs.replace(self, opened=(*rest, name) if on else rest)

    def with_listening(self, kind: str, params: dict[str, Any]) -> Settings:
        """The settings with what new audio sources of a kind begin with."""
        return msgspec.structs.replace(self, listening={**self.listening, kind: params})


SettingsChange = Callable[[Settings], Settings]


def settings_file() -> Path:
    """Where they are kept."""
    return config_dir() / "settings.json"


def load_settings() -> Settings:
    """The settings, or the defaults where there are none or they cannot be read."""
    return _read()[0]


def settings_trouble() -> str:
    """A sentence where there are settings that cannot be read; an empty one where all is well."""
    return _read()[1]


def _read() -> tuple[Settings, str]:
    file = settings_file()
    try:
        return read_own(file, Settings), ""
    except FileError:
        words = f"The settings in “{file}” could not be read, so the usual ones hold; it is kept as “{_UNREAD}”."
        return Settings(), words if file.exists() else ""


def change_kept(changes: Iterable[SettingsChange]) -> None:
    """Change what is kept, and nothing else of it: another window may have changed it meanwhile.

    What cannot be read is kept beside it. A folder that cannot be written to is passed over:
    settings are not worth a stop.
    """
    file = settings_file()
    with contextlib.suppress(OSError, FileError), _alone(file.with_suffix(".lock")):
        settings, trouble = _read()
        if trouble:
            os.replace(file, file.with_name(_UNREAD))
        for change in changes:
            settings = change(settings)
        write_atomic(file, msgspec.json.format(msgspec.json.encode(settings)))


@contextlib.contextmanager
def _alone(lock: Path) -> Iterator[None]:
    """While no other window writes; one that was stopped in the midst of it is not waited for."""
    lock.parent.mkdir(parents=True, exist_ok=True)
    until = time.monotonic() + _PATIENCE_SECONDS
    with lock.open("ab") as file:
        while True:
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                if time.monotonic() < until:
                    time.sleep(0.01)
                    continue
            break
        yield


class SettingsKeeper:
    """Changes what is kept beside the one who asks, in order: a disk may be slow."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._waiting: list[SettingsChange] = []
        self._writer: threading.Thread | None = None

    def change(self, change: SettingsChange) -> None:
        """Have a change kept soon."""
        with self._lock:
            self._waiting.append(change)
            if self._writer is None:
                self._writer = threading.Thread(target=self._work, name="settings")
                self._writer.start()

    def finish(self) -> None:
        """Wait until all is kept."""
        writer = self._writer
        if writer is not None:
            writer.join()

    def _work(self) -> None:
        while True:
            with self._lock:
                changes, self._waiting = self._waiting, []
                if not changes:
                    self._writer = None
                    return
            try:
                change_kept(changes)
            except Exception:  # those that come later are kept all the same
                log.exception("settings could not be kept")
