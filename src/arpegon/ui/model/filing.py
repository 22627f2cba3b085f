"""The files of a session: opening, saving, and what is kept for a crash."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from arpegon.core.document import edits, take_edits
from arpegon.core.document.model import Project
from arpegon.core.errors import ArpegonError
from arpegon.core.notes.takes import Take, cut_take
from arpegon.files.atomic import read_bytes, write_atomic
from arpegon.files.autosave import Autosave, Leftover, forget
from arpegon.files.collect import take_clips_along
from arpegon.files.on_disk import OpenMark, digest, free_name, obstacle
from arpegon.files.path_text import is_text, path_text
from arpegon.files.places import DEMO
from arpegon.files.project import format_project, parse_project
from arpegon.ui.look.timers import one_shot
from arpegon.ui.model.beside import beside
from arpegon.ui.model.notices import NoticeAction

if TYPE_CHECKING:
    from arpegon.ui.model.session import Session

AUTOSAVE_MS = 4000
"""So long after the last edit the work is kept for a crash,"""
AUTOSAVE_MAX_MS = 20_000
"""and at the latest so long after the first one: some hands never rest."""


class Filing(QObject):
    """Where the document lies. What goes wrong is said, and nothing is lost.

    Signals:
        kept: the work was kept for a crash, or could not be, and why.
    """

    kept = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.path: Path | None = None
        self.folder = Path.cwd()
        """What the names of clips are relative to."""
        self._known = ""
        """The digest of what the file held when it was read or written last."""
        self._open_mark = OpenMark()
        self.autosave = Autosave()
        session.link.keeper.begin(self.autosave.memory)
        self._timer = one_shot(self, AUTOSAVE_MS)
        self._unkept_since = 0.0
        """When the first edit came that is not kept for a crash, on the machine's clock."""
        self._timer.timeout.connect(self.keep_beside)
        self._writing: threading.Thread | None = None
        self._in_autosave: Project | None = None
        """The unsaved work that is kept for a crash,"""
        self._let_go: Project | None = None
        """and the unsaved work that may be lost."""
        self.kept.connect(self._say_kept)

    def work_on(self, path: Path | None, folder: Path | None) -> None:
        """Another document is worked on, from a file or none; its memory begins anew."""
        self.path = path
        self.folder = folder or (path.parent if path else Path.cwd())
        keeper = self.session.link.keeper
        self._finish_writing()
        if not self.autosave.written:
            keeper.close(discard=True)
        self.autosave, self._in_autosave = self.autosave.next(), None
        keeper.begin(self.autosave.memory, path_text(path) if path else "")
        self._known = ""
        self._mark_open()

    @property
    def own_path(self) -> Path | None:
        """The musician's own file of the document; the demo lies in the program's."""
        return None if self.path == DEMO else self.path

    @property
    def writes_to(self) -> Path:
        """Where files are proposed to be written: beside the project's own, or at home where it has none."""
        return self.folder if self.own_path is not None else Path.home()

    def keep_soon(self) -> None:
        """Keep the work for a crash, once edits rest, or when they have gone on for long."""
        now = time.monotonic()
        if not self._timer.isActive():
            self._unkept_since = now
        left = AUTOSAVE_MAX_MS - 1000.0 * (now - self._unkept_since)
        self._timer.start(round(min(AUTOSAVE_MS, max(0.0, left))))

    def close(self) -> None:
        """What is not saved is offered at the next start, with what was played last."""
        self._timer.stop()
        safe = self.keep() or self.session.history.project is self._let_go
        self.session.link.keeper.close(discard=safe and not self.autosave.written)
        self.autosave.lock.release()
        self._open_mark.release()

    def keep(self) -> bool:
        """Keep the work for a crash, now; whether all of it is saved or kept."""
        self._finish_writing()
        self.keep_beside()
        self._finish_writing()
        history = self.session.history
        return not history.dirty or history.project is self._in_autosave

    def leave(self, go_on: Callable[[], object]) -> bool:
        """Whether another document may take the place of this one, or the window may close: what is not saved stays to
        be recovered.

        Where it cannot be kept it is asked what should become of it.

        Args:
            go_on: does again what was to be done, where it is to be lost.
        """
        self.session.hooking.fold()
        self.session.leaving.emit()
        project = self.session.history.project
        if project is self._let_go or self.keep():
            self.session.notice("unkept", "")
            return True

        def let_go() -> None:
            self._let_go = project
            go_on()

        words = f"What is not saved of “{project.title}” would be lost. Save it first, or let it go."
        self.session.notice("unkept", words, [("Let it go", let_go)])
        return False

    def keep_beside(self) -> None:
        """Keep the work for a crash, in a thread of its own: a disk may be slow, and music plays. While it still writes
        what was before, that is done later.
        """
        if self._writing is not None and self._writing.is_alive():
            self.keep_soon()
            return
        self._in_autosave = None
        if not self.session.history.dirty:
            self.autosave.clear()
            return
        kept = (self.autosave, self.session.history.project, self.path, self._known)
        self._writing = threading.Thread(target=self._write, args=kept, name="autosave")
        self._writing.start()

    def _write(self, autosave: Autosave, project: Project, path: Path | None, known: str) -> None:
        try:
            autosave.write(project, path, known)
        except ArpegonError as error:
            self.kept.emit(f"The work could not be kept for a crash: {error}")
        else:
            self._in_autosave = project
            self.kept.emit("")

    def _finish_writing(self) -> None:
        """Wait until what is kept just now is kept."""
        writing, self._writing = self._writing, None
        if writing is not None:
            writing.join()

    def _say_kept(self, words: str) -> None:
        self.session.notice("autosave", words)

    def open(self, path: Path) -> bool:
        """Open a file; what is wrong with it is said, and the document stays."""
        try:
            project, known = _read(path)
        except ArpegonError as error:
            self.session.notice("file", str(error))
            return False
        if not self.leave(lambda: self.open(path)):
            return False
        self.session.load(project, path)
        self._known = known
        self.session.notice("file", "")
        self._remember(path)
        return True

    def new(self, title: str = Project().title) -> bool:
        """Work on an empty project; whether that may be."""
        if not self.leave(lambda: self.new(title)):
            return False
        self.session.load(Project(title=title), None)
        return True

    def save(self, path: Path, asked: bool = False) -> bool:
        """Save; what goes wrong is said, and the file stays as it was.

        Args:
            asked: whether the musician said that what is there may be written over.
        """
        if not asked and path == self.path and self._ask(path):
            return False
        self.session.hooking.fold()
        project = self.session.history.project
        try:
            known = beside(lambda: _write(project, path))
        except ArpegonError as error:
            self.session.notice("file", str(error))
            return False
        self.session.history.saved = project
        if path.parent != self.folder:
            for sentence in take_clips_along(project, self.folder, path.parent):
                self.session.notice("clips", sentence)
        if path != self.path:
            self.path = path
            self._mark_open()
        self.folder = path.parent
        self._known = known
        self.session.link.keeper.lies_at(path_text(path))
        self._finish_writing()
        self.autosave.clear()
        self._timer.stop()
        for topic in ("file", "unkept"):
            self.session.notice(topic, "")
        self._remember(path)
        self.session.file_changed.emit()
        self.session.send_project()
        return True

    def _ask(self, path: Path) -> bool:
        """Ask what should become of a file that should not be written over without a word; whether it is such a one."""
        found = obstacle(path, self._known)
        mine: NoticeAction = ("Keep mine", lambda: self.save(path, asked=True))
        free = free_name(path).name
        both: NoticeAction = (f"Keep both, mine as “{free}”", lambda: self.save(free_name(path), asked=True))
        if found == "changed":
            words = f"“{path.name}” was changed by another program since it was read here; nothing was written yet."
            self.session.notice("file", words, [("Take theirs", self.take_theirs), mine, both])
        elif found == "read-only":
            words = f"“{path.name}” is marked as one that may only be read; nothing was written yet."
            self.session.notice("file", words, [("Write it all the same", mine[1]), both])
        return bool(found)

    def take_theirs(self) -> None:
        """Go on with what another program wrote to the file; undo brings one's own back."""
        if self.path is None:
            return
        try:
            project, self._known = _read(self.path)
        except ArpegonError as error:
            self.session.notice("file", str(error))
            return
        self.session.edit_document("Take what is on disk", project)
        self.session.history.saved = self.session.history.project
        self.session.notice("file", "")
        self.session.file_changed.emit()

    def _mark_open(self) -> None:
        """Show other windows which file is open here, and say where one has it open already."""
        alone = self._open_mark.hold(self.path)
        words = (
            ""
            if alone or self.path is None
            else (f"“{self.path.name}” is open in another window, too. Whoever saves second is asked what should stay.")
        )
        self.session.notice("open-twice", words)

    def name_for(self, path: Path) -> str | None:
        """How the document names a file: relative to its own folder where it lies there; where it cannot be, why."""
        name = os.path.relpath(path, self.folder)
        name = name if not name.startswith("..") else str(path)
        if not is_text(name):
            shown = os.fsencode(path.name).decode("utf-8", "replace")
            self.session.notice("file", f"“{shown}” cannot stand in a project: its name is no UTF-8 text. Rename it.")
            return None
        return name

    def _remember(self, path: Path) -> None:
        self.session.amend_settings(lambda settings: settings.with_recent(path))

    def recover(self, leftover: Leftover) -> None:
        """Go on with what a crash left instead of this document; it counts as unsaved, and what was played last becomes
        a take.

        What cannot be kept in its place stays where it is, too.
        """
        project, known, lost = leftover.project, leftover.disk, ""
        if project is None:
            project, known, lost = self._saved(leftover.origin)
        take_id = edits.fresh_id("take", (one.id for one in project.takes))
        name = edits.next_name("Played before the crash", (one.name for one in project.takes))
        take, said = beside(lambda: _take_of(leftover, take_id, name))
        if take is not None:
            project = take_edits.add_take(project, take_edits.with_stages(take, project))
        folder = leftover.origin.parent if leftover.origin else None
        self.session.load(project, leftover.origin, folder, saved=False)
        self._known = known
        if self.keep():
            forget(leftover, but_unread=True)
        self.session.notice("memory-read", said)
        self.session.notice("file", lost)

    def _saved(self, origin: Path | None) -> tuple[Project, str, str]:
        """The project as it was saved, and the digest of its file; an empty one where it cannot be read, and why."""
        if origin is None:
            return Project(), "", ""
        try:
            return *_read(origin), ""
        except ArpegonError as error:
            return Project(title=origin.stem), "", str(error)


def _take_of(leftover: Leftover, take_id: str, name: str) -> tuple[Take | None, str]:
    """A take of all that was played before a crash, and a sentence where some of it could not be read."""
    history, said = leftover.history()
    start, end = history.first_time, history.last_time
    if start is None or end is None:
        return None, said
    return cut_take(history, start, end, id=take_id, name=name), said


def _write(project: Project, path: Path) -> str:
    """Write a project to a file; the digest of what the file holds now.

    Raises:
        FileError: it cannot be written; the file is as it was.
    """
    content = format_project(project)
    write_atomic(path, content)
    return digest(content)


def _read(path: Path) -> tuple[Project, str]:
    """The project in a file, and the digest of what the file holds.

    Raises:
        FileError: it cannot be read.
    """
    content = read_bytes(path)
    return parse_project(content, str(path)), digest(content)
