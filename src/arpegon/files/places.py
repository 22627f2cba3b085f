"""Where things are kept on this computer, and the settings that are not a project's."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec
import platformdirs

from arpegon.core.errors import FileError
from arpegon.files.atomic import write_atomic
from arpegon.files.json_text import read_own
from arpegon.files.path_text import path_text

DATA = Path(__file__).resolve().parent.parent / "data"
DEMO = DATA / "demo" / "the-lamplighters-tide.arpegon"
RECENT = 10


def config_dir() -> Path:
    """The folder of settings."""
    return Path(platformdirs.user_config_dir("arpegon"))


def state_dir() -> Path:
    """The folder of autosaves and logs."""
    return Path(platformdirs.user_state_dir("arpegon"))


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


def load_settings() -> Settings:
    """The settings, or the defaults where there are none or they cannot be read."""
    try:
        return read_own(config_dir() / "settings.json", Settings)
    except FileError:
        return Settings()


def save_settings(settings: Settings) -> None:
    """Keep the settings; a folder that cannot be written to is passed over (they are not worth a stop)."""
    try:
        write_atomic(config_dir() / "settings.json", msgspec.json.format(msgspec.json.encode(settings)))
    except FileError:
        return
