"""Where things are kept on this computer."""

from __future__ import annotations

from pathlib import Path

import platformdirs

DATA = Path(__file__).resolve().parent.parent / "data"
DEMO = DATA / "demo" / "the-lamplighters-tide.arpegon"


def config_dir() -> Path:
    """The folder of settings."""
    return Path(platformdirs.user_config_dir("arpegon"))


def state_dir() -> Path:
    """The folder of autosaves and logs."""
    return Path(platformdirs.user_state_dir("arpegon"))
