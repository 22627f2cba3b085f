"""The window: header, notices, board and bench or takes, play surface, status."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtCore import QEvent, QSize, Qt
from PyQt6.QtGui import QAction, QCloseEvent, QHideEvent, QKeyEvent, QKeySequence, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from arpegon.core.theory.pitch import write_middle_c_as
from arpegon.files.places import DEMO
from arpegon.files.project import SUFFIX, load_project
from arpegon.ui.frame.appearance import Appearance
from arpegon.ui.frame.commands import CHECKED, COMMANDS
from arpegon.ui.frame.drop_target import DropTarget
from arpegon.ui.frame.export_dialog import ExportDialog
from arpegon.ui.frame.finder_box import FinderBox
from arpegon.ui.frame.frames import Frames
from arpegon.ui.frame.guide_panel import GuidePanel
from arpegon.ui.frame.header import Header
from arpegon.ui.frame.log_view import LogView
from arpegon.ui.frame.menu import ProjectMenu
from arpegon.ui.frame.notices import NoticeBar, StatusLine
from arpegon.ui.frame.place import place_of
from arpegon.ui.frame.recipe_book import RecipeBook
from arpegon.ui.frame.seeking import Seeking, everything, topic_of
from arpegon.ui.frame.surface import PlaySurface
from arpegon.ui.look import motion, theme
from arpegon.ui.look.plain import name_controls
from arpegon.ui.model.change import EVERYTHING
from arpegon.ui.model.faults import Faults
from arpegon.ui.model.managed import Managed
from arpegon.ui.model.session import Session
from arpegon.ui.parts import clipboard
from arpegon.ui.parts.hook_handle import handle_of
from arpegon.ui.parts.save_dialog import ask_where
from arpegon.ui.single import Raising
from arpegon.ui.workplace import Workplace

if TYPE_CHECKING:
    from arpegon.ui.hookups.hookups_view import HookupsView
    from arpegon.ui.sections.sections_view import SectionsView
    from arpegon.ui.take.take_view import TakeView

_FILTER = f"Arpegon projects (*{SUFFIX});;All files (*)"


_V = TypeVar("_V", bound=QWidget)

VIEWS = ("Board", "Take", "Hookups", "Sections")


LEAST = QSize(800, 480)
"""The least room that there may be: that of a small screen on which everything is drawn at 160 %."""


class Window(QMainWindow):
    """Everything in sight."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setWindowTitle("Arpegon")
        self.resize(1280, 800)
        self.setMinimumSize(LEAST)
        # Everything has its place from the start: what is moved into it later is fitted to the style once more, whole.
        middle = QWidget(self)
        middle.setObjectName("desk")
        self.setCentralWidget(middle)
        box = QVBoxLayout(middle)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        self.header = Header(session, middle)
        self.notices = NoticeBar(session, middle, self.header)
        self.views = QStackedWidget(middle)
        self.workplace = Workplace(session, self.views)
        self.strip, self.board, self.bench = self.workplace.strip, self.workplace.board, self.workplace.bench
        self.surface = PlaySurface(session, middle)
        self.status = StatusLine(session, middle)
        self.views.addWidget(self.workplace)
        self.view = VIEWS[0]
        """The view in sight, by its name."""
        box.addWidget(self.header)
        self.guide = GuidePanel(middle)
        beside = QHBoxLayout()
        beside.setSpacing(1)
        beside.addWidget(self.views, 1)
        beside.addWidget(self.guide)
        box.addLayout(beside, 1)
        box.addWidget(self.surface)
        box.addWidget(self.status)
        self.header.view.connect(self.show_view)
        self.header.menu.connect(self._project_menu)
        self.header.all_off.clicked.connect(self.all_off)
        self.bench.widened.connect(self._widen)
        self.status.follow.toggled.connect(self.board.follow)
        self.board.demo.connect(self.open_demo)
        session.file_changed.connect(self._name_window)
        self._raising = Raising(self.come_to_front, self)
        session.file_changed.connect(lambda: self._raising.listen(session.filing.path))
        session.changed.connect(self._colour_surface)
        session.selected.connect(self._colour_surface)
        session.recorder.kept.connect(self._kept)
        self._export_dialog: ExportDialog | None = None
        self._recipes: RecipeBook | None = None
        self._ending = False
        self._topic: tuple[str, str] | None = None
        self.managed: Managed | None = None
        """The session of several programs that this one is in, if any."""
        self._actions: dict[str, QAction] = {}
        self._make_actions()
        self.seeking = Seeking(
            session, self._actions, lambda: self.show_view("Board"), self.show_guide, lambda: self.bench.editor
        )
        self.finder = FinderBox(middle, lambda: everything(session), self.seeking.do)
        self.header.find_button.clicked.connect(self.open_finder)
        self.board.recipes.connect(self.open_recipes)
        self.surface.all_off.clicked.connect(self.all_off)
        self.frames = Frames(self, session, (self.header, self.strip), self._view, lambda: self.board.moves)
        self.appearance = Appearance(
            self,
            session,
            self.surface,
            self.strip,
            self.board,
            (self.header, self.bench, self.status, self.guide),
            self.frames,
            lambda: self.show_view("Board"),
        )
        self._name_window()
        name_controls(self)
        self.board.setAccessibleName("Board")
        self.board.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.board.setFocus()
        self.faults = Faults(session, ("Show the log", self.show_log))
        self.drops = DropTarget(self, session, self._strand_at, lambda: self.view == "Take")

    # -- views: all but the first are made, with all that they need, when they are first wanted ---------

    @cached_property
    def takes(self) -> TakeView:
        """The Take view."""
        from arpegon.ui.take.take_view import TakeView

        return self._added(TakeView(self.session, self.views))

    @cached_property
    def hookups(self) -> HookupsView:
        """The Hookups view."""
        from arpegon.ui.hookups.hookups_view import HookupsView

        return self._added(HookupsView(self.session, self.views))

    @cached_property
    def sections(self) -> SectionsView:
        """The Sections view."""
        from arpegon.ui.sections.sections_view import SectionsView

        return self._added(SectionsView(self.session, self.views))

    def _added(self, view: _V) -> _V:
        self.views.addWidget(view)
        name_controls(view)
        return view

    def _view(self) -> Workplace | TakeView | HookupsView | SectionsView:
        """The view in sight."""
        match self.view:
            case "Take":
                return self.takes
            case "Hookups":
                return self.hookups
            case "Sections":
                return self.sections
        return self.workplace

    # -- actions -----------------------------------------------------------------------------------

    def _make_actions(self) -> None:
        session = self.session
        does: dict[str, Callable[[], object]] = {
            "new": session.filing.new,
            "open": self.ask_open,
            "save": self.save,
            "save_as": self.ask_save,
            "export": self.open_export,
            "demo": self.open_demo,
            "undo": session.undo,
            "redo": session.redo,
            "play": session.play,
            "start": session.rewind,
            "tap": session.tap,
            "metronome": session.add_metronome,
            "clock": self.header.open_clock,
            "on_stop": session.toggle_on_stop,
            "record": session.recorder.record,
            "keep": self.header.keep.click,
            "all_off": self.all_off,
            "bypass": self.bench.toggle_bypass,
            "wide": self.bench.wide.toggle,
            "hold_readout": self.bench.readout.hold.toggle,
            "copy": self.bench.readout.copy,
            "strand": self.new_strand,
            "copy_part": lambda: clipboard.copy(session),
            "cut_part": lambda: clipboard.cut(session),
            "paste_part": lambda: clipboard.paste(session),
            "duplicate": lambda: clipboard.duplicate(session),
            "presets": self.bench.open_presets,
            "follow": self.status.follow.toggle,
            "fit": self.toggle_fit,
            "layout": self.surface.change_layout,
            "board": lambda: self.show_view("Board"),
            "take": lambda: self.show_view("Take"),
            "learn": self.learn,
            "hookups": lambda: self.show_view("Hookups"),
            "sections": lambda: self.show_view("Sections"),
            "section_next": lambda: session.piece.go_by(1),
            "section_previous": lambda: session.piece.go_by(-1),
            "hold": self.strip.hold.toggle,
            "unlearn": self.escape,
            "night": lambda: self.appearance.use_theme("night"),
            "contrast": lambda: self.appearance.use_theme("contrast"),
            "larger": lambda: self.appearance.scale_by(10),
            "smaller": lambda: self.appearance.scale_by(-10),
            "fold_surface": lambda: self.appearance.fold("surface"),
            "fold_sections": lambda: self.appearance.fold("section_strip"),
            "stage_view": lambda: self.appearance.toggle_stage(),
            "middle_c": self.toggle_middle_c,
            "less_motion": lambda: self.appearance.toggle_motion(),
            "menu": lambda: self._project_menu(self.header.menu_button),
            "find": self.open_finder,
            "recipes": self.open_recipes,
            "guide": self.help_here,
            "guide_keys": lambda: self.show_guide("keys", ""),
            "log": self.show_log,
            "quit": self.close,
        }
        for command in COMMANDS:
            action = QAction(command.text, self)
            if command.keys:
                action.setShortcut(QKeySequence(command.keys))
            action.setCheckable(command.name in CHECKED)
            action.triggered.connect(lambda _=False, act=does[command.name]: act())
            self.addAction(action)
            self._actions[command.name] = action

    def _project_menu(self, below: QWidget) -> None:
        menu = self.project_menu()
        menu.exec(below.mapToGlobal(below.rect().bottomLeft()))

    def project_menu(self) -> QMenu:
        """The menu, as it is now."""
        settings = self.session.settings
        for name, on in {
            "on_stop": self.session.project.on_stop == "start",
            "night": settings.theme == "night",
            "contrast": settings.theme == "contrast",
            "middle_c": settings.middle_c == 3,
            "less_motion": motion.less(),
            "fold_surface": settings.surface,
            "fold_sections": settings.section_strip,
            "stage_view": self.isFullScreen(),
            "wide": self.bench.wide.isChecked(),
        }.items():
            self._actions[name].setChecked(on)
        managed = lambda: self.managed is not None and self.managed.on  # noqa: E731
        return ProjectMenu(self.session, self._actions, managed, self).made()

    # -- acts --------------------------------------------------------------------------------------

    def show_view(self, name: str) -> None:
        """Bring a view into sight."""
        self.view = name
        self.views.setCurrentWidget(self._view())
        self.header.tabs[name].setChecked(True)

    def learn(self) -> None:
        """Hook a control up to the control that has the focus."""
        handle = handle_of(QApplication.focusWidget())
        if handle is None:
            self.session.notice("edit", "Choose a control first, by Tab or a click, then Ctrl+L; or right click on it.")
        else:
            handle.learn()

    def all_off(self) -> None:
        """Silence everything, and let go of what is held on the play surface."""
        self.surface.rest()
        self.session.all_off()

    def new_strand(self) -> None:
        """Offer a new strand."""
        self.show_view("Board")
        if self.session.project.strands:
            self.board.new_strand.show_sounds(True)
            self.board.area.ensureWidgetVisible(self.board.new_strand)

    def toggle_fit(self) -> None:
        """Narrow columns that all fit, or wide ones that are scrolled."""
        self.board.set_fit(not self.board.fit)

    def escape(self) -> None:
        """Leave what was opened last: the guide that has the keys, the stage; else learn no more."""
        focus = self.focusWidget()
        if self.guide.isVisible() and focus is not None and self.guide.isAncestorOf(focus):
            self.guide.leave()
        elif self.appearance.on_stage:
            self.appearance.toggle_stage()
        else:
            self.session.hooking.cancel()

    def open_finder(self) -> None:
        """Find anything."""
        self.finder.open()

    def open_recipes(self) -> None:
        """Look through the recipes."""
        if self._recipes is None:
            self._recipes = RecipeBook(self.session, self)
            self._recipes.built.connect(lambda: self.show_view("Board"))
            self._recipes.guide.connect(self.show_guide)
        self._recipes.open_on()

    def show_guide(self, page: str, words: str) -> None:
        """Show a page of the guide beside the work."""
        self.guide.open_page(page, words)

    def help_here(self) -> None:
        """The page of the guide for where somebody is, or close it where it shows that already."""
        topic = topic_of(self.session, self.view, QApplication.focusWidget())
        if self.guide.isVisible() and topic == self._topic:
            self.guide.leave()
        else:
            self._topic = topic
            self.show_guide(*topic)

    def toggle_middle_c(self) -> None:
        """Write the octaves of notes from middle C as C4, or as C3; files always have C4."""
        octave = 3 if self.session.settings.middle_c == 4 else 4
        write_middle_c_as(octave)
        self.session.change_settings(middle_c=octave)
        self.session.changed.emit(EVERYTHING)
        theme.use(theme.theme().name)  # everything is painted anew

    def show_log(self) -> None:
        """Show what our processes wrote to their logs."""
        view = LogView(self)
        view.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        view.show()

    def ask_open(self) -> None:
        """Let a project be chosen."""
        name, _ = QFileDialog.getOpenFileName(self, "Open a project", str(self.session.filing.folder), _FILTER)
        if name:
            self.session.filing.open(Path(name))

    def save(self) -> bool:
        """Save under the project's name; one that has none is asked for it."""
        path = self.session.filing.own_path
        if path is None:
            return self.ask_save()
        return self.session.filing.save(path)

    def ask_save(self) -> bool:
        """Let a file be chosen, and save."""
        proposed = self.session.filing.writes_to / f"{self.session.title.replace('/', '-')}{SUFFIX}"
        path = ask_where(self, "Save the project", proposed, "Arpegon projects", (SUFFIX,))
        return path is not None and self.session.filing.save(path, asked=True)

    def open_export(self) -> None:
        """Ask what is to be exported, and follow it."""
        if self._export_dialog is None:
            self._export_dialog = ExportDialog(self.session, self)
        self._export_dialog.show()
        self._export_dialog.raise_()

    def open_demo(self) -> None:
        """Open the demo, and play it."""
        if not self.session.filing.leave(self.open_demo):
            return
        self.session.load(load_project(DEMO), DEMO)
        self.session.link.play(0.0)
        strand = self.session.project.strands[0]
        self.session.select_stage(strand.stages[-1].id)

    # -- showing -----------------------------------------------------------------------------------

    def changeEvent(self, event: QEvent | None) -> None:
        super().changeEvent(event)
        if event is not None and event.type() == QEvent.Type.WindowStateChange:
            self.frames.tell_sight()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.frames.tell_sight()

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        self.frames.tell_sight()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.bench.window_resized()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Return presses the button, or opens the list, that has the keys: Space plays, wherever one is."""
        focus = self.focusWidget()
        if event is None or event.key() not in (Qt.Key.Key_Return, Qt.Key.Key_Enter) or event.isAutoRepeat():
            super().keyPressEvent(event)
        elif isinstance(focus, QAbstractButton) and focus.isEnabled():
            focus.click()
        elif isinstance(focus, QComboBox) and focus.isEnabled():
            focus.showPopup()
        else:
            super().keyPressEvent(event)

    def _widen(self, on: bool) -> None:
        self.board.show_only(self.session.selection.strand if on else None)

    def _colour_surface(self) -> None:
        """The keyboard is lit in the ink of the strand that is worked on."""
        ink = theme.ink(self.session.ink_number(self.session.selection.strand))
        if ink != self.surface.keyboard.ink:
            self.surface.keyboard.ink = ink
            self.surface.keyboard.update()
        if self.board.only is not None and self.session.selection.strand:
            self.board.show_only(self.session.selection.strand)

    def _kept(self, take_id: str) -> None:
        self.session.notice("kept", "Kept: it stands in the Take view (Ctrl+2).")

    def _name_window(self) -> None:
        mark = "• " if self.session.history.dirty else ""
        self.setWindowTitle(f"{mark}{self.session.title} – Arpegon")

    def come_to_front(self) -> None:
        """Be seen, whatever lies over it."""
        self.setWindowState(self.windowState() & ~Qt.WindowState.WindowMinimized)
        self.show()
        self.raise_()
        self.activateWindow()

    def _strand_at(self, widget: QWidget | None) -> tuple[str, QWidget]:
        """The strand whose column holds a widget, and what of the window shows where something would go."""
        for strand_id, column in self.board.columns.items():
            if widget is not None and column.isVisible() and column.isAncestorOf(widget):
                return strand_id, column
        return "", self.views

    def be_managed(self, managed: Managed) -> None:
        """Work in a session of several programs: its server says what is opened, and closing only hides."""
        self.managed = managed
        managed.taken.connect(self._leave_files_to_the_server)
        managed.shown.connect(self.setVisible)

    def _leave_files_to_the_server(self) -> None:
        for name in ("new", "open", "save_as", "demo"):
            self._actions[name].setEnabled(False)
        self.board.demo.disconnect(self.open_demo)

    def end(self) -> None:
        """Close without asking anything: the system, or who started us, ends us."""
        self._ending = True
        self.close()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if self.managed is not None and self.managed.on and event is not None and event.spontaneous():
            event.ignore()  # the server ends us, or Quit does; the cross of the window only hides it
            self.hide()
            self.managed.tell_shown(False)
            return
        if not self._ending and not self.session.filing.leave(self.close):
            if event is not None:
                event.ignore()
            return
        self.frames.stop()
        if self.managed is not None:
            self.managed.close()
        self.surface.release_all()
        self.surface.computer_keys.close()
        self.session.change_settings(place=place_of(self), maximized=self.isMaximized(), view=self.view)
        self.session.close()
        super().closeEvent(event)
