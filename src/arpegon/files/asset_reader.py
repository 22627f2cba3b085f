"""The clips and sounds that a document names, read beside a loop that must be on time: it gets what is finished."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Generic, TypeVar

from arpegon.core.document.model import Project
from arpegon.files.assets import AssetKind, Cache

log = logging.getLogger(__name__)

LOOK_SECONDS = 2.0
"""How long after a look files that are named already are not looked at for changes."""

T = TypeVar("T")


class AssetReader(Generic[T]):
    """Reads what documents name in a thread of its own; only the newest wish counts.

    Args:
        kind: what is read.
        ready: called from that thread with what could be read, by file, and why the rest could not, where it is
            anything else than before.
    """

    def __init__(self, kind: AssetKind[T], ready: Callable[[Mapping[str, T], dict[str, str]], None]) -> None:
        self._kind = kind
        self._ready = ready
        self._wanted: tuple[Project, Path] | None = None
        self._changed = threading.Condition()
        self._asked: object = None
        self._looked = 0.0
        self._read: tuple[Mapping[str, T], dict[str, str]] = ({}, {})
        self._cache: Cache[T] = {}
        threading.Thread(target=self._work, name="assets", daemon=True).start()

    @property
    def found(self) -> Mapping[str, T]:
        """What was read last, by file."""
        return self._read[0]

    def want(self, project: Project, folder: Path) -> bool:
        """Read what a document names, or what changed of it; whether any of it was not read before.

        Files that are known are not looked at again at every edit: a thread that does so would be in the loop's way.
        """
        names = {file for _, file in self._kind.names(project)}
        found, missing = self._read
        asked, now = (names, self._kind.facts(project), folder), time.monotonic()
        if (names or found or missing) and (asked != self._asked or now - self._looked > LOOK_SECONDS):
            self._asked, self._looked = asked, now
            with self._changed:
                self._wanted = (project, folder)
                self._changed.notify()
        return not names <= {*found, *missing}

    def _work(self) -> None:
        while True:
            with self._changed:
                while self._wanted is None:
                    self._changed.wait()
                (project, folder), self._wanted = self._wanted, None
            try:
                read = self._kind.load(project, folder, self._cache)
            except Exception:  # whatever a file of others leads to: it is silent, the rest goes on
                log.exception("files could not be read")
                what = self._kind.what
                read = {}, {file: f"The {what} “{file}” could not be read." for _, file in self._kind.names(project)}
            at_hand = {id(one) for one in read[0].values()}
            self._cache = {key: one for key, one in self._cache.items() if id(one) in at_hand}
            if self._wanted is None and not _same(read, self._read):
                self._read = read
                self._ready(*read)


def _same(one: tuple[Mapping[str, T], dict[str, str]], other: tuple[Mapping[str, T], dict[str, str]]) -> bool:
    """Whether the same was read: what did not change is at hand still, so it is the same object."""
    return (
        one[1] == other[1]
        and one[0].keys() == other[0].keys()
        and all(found is other[0][file] for file, found in one[0].items())
    )
