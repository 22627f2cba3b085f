"""The files of a session: opening, saving, and what is kept for a crash."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject

from arpegon.core.document import edits
from arpegon.core.document.model import Project
from arpegon.core.errors import ArpegonError
from arpegon.core.notes.takes import cut_take
from arpegon.files.autosave import Autosave, Leftover, forget
from arpegon.files.collect import take_clips_along
from arpegon.files.project import load_project, save_project
from arpegon.ui.model.timers import one_shot

if TYPE_CHECKING:
    from arpegon.ui.model.session import Session

AUTOSAVE_MS = 4000


class Filing(QObject):
    """Where the document lies. What goes wrong is said, and nothing is lost."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.path: Path | None = None
        self.folder = Path.cwd()
        """What the names of clips are relative to."""
        self.autosave = Autosave()
        session.link.keeper.begin(self.autosave.memory)
        self._timer = one_shot(self, AUTOSAVE_MS)
        self._timer.timeout.connect(self.keep)

    def placed(self, path: Path | None, folder: Path | None) -> None:
        """Another document is worked on, from a file or none; its memory begins anew."""
        self.path = path
        self.folder = folder or (path.parent if path else Path.cwd())
        keeper = self.session.link.keeper
        if not self.autosave.written:
            keeper.close(discard=True)
        self.autosave = self.autosave.next()
        keeper.begin(self.autosave.memory, str(path) if path else "")

    def keep_soon(self) -> None:
        """Keep the work for a crash, once edits rest."""
        self._timer.start()

    def close(self) -> None:
        """What is not saved is offered at the next start, with what was played last."""
        self._timer.stop()
        self.keep()
        self.session.link.keeper.close(discard=not self.autosave.written)
        self.autosave.lock.release()

    def keep(self) -> None:
        """Keep the work for a crash."""
        if not self.session.history.dirty:
            self.autosave.clear()
            return
        try:
            self.autosave.write(self.session.history.project, self.path)
        except ArpegonError as error:
            self.session.notice("autosave", f"The work could not be kept for a crash: {error}")
        else:
            self.session.notice("autosave", "")

    def open(self, path: Path) -> bool:
        """Open a file; what is wrong with it is said, and the document stays."""
        try:
            project = load_project(path)
        except ArpegonError as error:
            self.session.notice("file", str(error))
            return False
        self._keep_unsaved()
        self.session.load(project, path)
        self.session.notice("file", "")
        self._remember(path)
        return True

    def _keep_unsaved(self) -> None:
        """What was not saved before another project came stays to be recovered."""
        if self.session.history.dirty:
            self.keep()

    def new(self) -> None:
        """Work on an empty project."""
        self._keep_unsaved()
        self.session.load(Project(), None)

    def save(self, path: Path) -> bool:
        """Save; what goes wrong is said, and the file stays as it was."""
        project = self.session.history.project
        try:
            save_project(project, path)
        except ArpegonError as error:
            self.session.notice("file", str(error))
            return False
        self.session.history.saved = project
        if path.parent != self.folder:
            for sentence in take_clips_along(project, self.folder, path.parent):
                self.session.notice("clips", sentence)
        self.path = path
        self.folder = path.parent
        self.session.link.keeper.lies_at(str(path))
        self.autosave.clear()
        self._timer.stop()
        self.session.notice("file", "")
        self._remember(path)
        self.session.file_changed.emit()
        self.session.send_project()
        return True

    def _remember(self, path: Path) -> None:
        self.session.change_settings(recent=self.session.settings.with_recent(path).recent)

    def recover(self, leftover: Leftover) -> None:
        """Go on with what a crash left; it counts as unsaved. What was played last becomes a take."""
        history, said = leftover.history()
        project, lost = leftover.project, ""
        if project is None:
            project, lost = self._saved(leftover.origin)
        start, end = history.first_time, history.last_time
        take = None
        if start is not None and end is not None:
            take_id = edits.fresh_id("take", (one.id for one in project.takes))
            name = edits.next_name("Played before the crash", (one.name for one in project.takes))
            take = cut_take(history, start, end, id=take_id, name=name)
        if take is not None:
            project = edits.add_take(project, take)
        folder = leftover.origin.parent if leftover.origin else None
        self._keep_unsaved()
        self.session.load(project, leftover.origin, folder, saved=False)
        self.keep()
        forget(leftover)
        self.session.notice("memory-read", said)
        self.session.notice("file", lost)

    def _saved(self, origin: Path | None) -> tuple[Project, str]:
        """The project as it was saved; an empty one where it cannot be read, and why."""
        if origin is None:
            return Project(), ""
        try:
            return load_project(origin), ""
        except ArpegonError as error:
            return Project(title=origin.stem), str(error)
