"""The clips that a document names, read beside the loop: it gets what is finished."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Mapping
from pathlib import Path

from arpegon.core.document.model import Project
from arpegon.files.assets import Cache, load_clips
from arpegon.files.midi import Clip

log = logging.getLogger(__name__)

LOOK_SECONDS = 2.0
"""How long after a look files that are named already are not looked at for changes."""

Clips = Mapping[str, Clip]
Ready = Callable[[Clips, dict[str, str]], None]
"""Takes the clips that could be read, by file, and why the others could not."""


class Assets:
    """Reads what documents name in a thread of its own; only the newest wish counts.

    Args:
        ready: called from that thread with what was read, where it is anything else than before.
    """

    def __init__(self, ready: Ready) -> None:
        self._ready = ready
        self._cache: Cache = {}
        self._wanted: tuple[Project, Path] | None = None
        self._changed = threading.Condition()
        self._named: object = (set(), (4, 4), None)
        self._looked = 0.0
        self._read: tuple[Clips, dict[str, str]] = ({}, {})
        threading.Thread(target=self._work, name="assets", daemon=True).start()

    @property
    def clips(self) -> Clips:
        """The clips that were read last."""
        return self._read[0]

    def want(self, project: Project, folder: Path) -> bool:
        """Read what a document names, or what changed of it; whether any of it was not read before.

        Files that are known are not looked at again at every edit: a thread that does so would be in the loop's way.
        """
        names = {file for _, file in project.clip_files()}
        clips, missing = self._read
        named, now = (names, project.meter, folder), time.monotonic()
        if named != self._named or (names and now - self._looked > LOOK_SECONDS):
            self._named, self._looked = named, now
            with self._changed:
                self._wanted = (project, folder)
                self._changed.notify()
        return not names <= {*clips, *missing}

    def _work(self) -> None:
        while True:
            with self._changed:
                while self._wanted is None:
                    self._changed.wait()
                (project, folder), self._wanted = self._wanted, None
            try:
                found = load_clips(project, folder, self._cache)
            except Exception:  # whatever a file of others leads to: its clip is silent, the rest goes on
                log.exception("clips could not be read")
                found = {}, {file: f"The clip “{file}” could not be read." for _, file in project.clip_files()}
            if self._wanted is None and not _same(found, self._read):
                self._read = found
                self._ready(*found)


def _same(one: tuple[Clips, dict[str, str]], other: tuple[Clips, dict[str, str]]) -> bool:
    """Whether the same was read: clips come from the cache, so those that did not change are the same objects."""
    return (
        one[1] == other[1]
        and one[0].keys() == other[0].keys()
        and all(clip is other[0][file] for file, clip in one[0].items())
    )
