"""The window: header, notices, board and bench or takes, play surface, status."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QCloseEvent, QKeySequence, QResizeEvent
from PyQt6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from arpegon.core.theory.pitch import write_middle_c_as
from arpegon.files.autosave import Leftover, forget
from arpegon.files.path_text import text_path
from arpegon.files.places import DEMO
from arpegon.files.project import SUFFIX, load_project
from arpegon.ui.bench.bench import Bench
from arpegon.ui.board.board import Board
from arpegon.ui.frame.drop_target import DropTarget
from arpegon.ui.frame.export_dialog import ExportDialog
from arpegon.ui.frame.header import Header
from arpegon.ui.frame.log_view import LogView
from arpegon.ui.frame.notices import NoticeBar, StatusLine
from arpegon.ui.frame.place import place_of
from arpegon.ui.frame.surface import PlaySurface
from arpegon.ui.hookups.hookups_view import HookupsView
from arpegon.ui.look import theme
from arpegon.ui.look.plain import unmarked
from arpegon.ui.model.change import EVERYTHING
from arpegon.ui.model.faults import Faults
from arpegon.ui.model.managed import Managed
from arpegon.ui.model.session import Session
from arpegon.ui.model.timers import ticking
from arpegon.ui.parts import clipboard
from arpegon.ui.parts.hook_handle import handle_of
from arpegon.ui.parts.save_dialog import ask_where
from arpegon.ui.sections.section_strip import SectionStrip
from arpegon.ui.sections.sections_view import SectionsView
from arpegon.ui.single import Raising
from arpegon.ui.take.take_view import TakeView

FRAME_MS = 16
_FILTER = f"Arpegon projects (*{SUFFIX});;All files (*)"


VIEWS = ("Board", "Take", "Hookups", "Sections")


class View(Protocol):
    """What the window asks of a view: all else a view hears from the session."""

    def tick(self, now: float) -> None:
        """One frame, while it is in sight."""


class Workplace(QWidget):
    """Board and bench side by side, with the strip of sections above the board."""

    def __init__(self, strip: SectionStrip, board: Board, bench: Bench) -> None:
        super().__init__()
        self._parts: tuple[View, ...] = (board, bench)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(1)
        left = QVBoxLayout()
        left.setContentsMargins(0, 0, 0, 0)
        left.setSpacing(0)
        left.addWidget(strip)
        left.addWidget(board, 1)
        row.addLayout(left, 1)
        row.addWidget(bench)

    def tick(self, now: float) -> None:
        """One frame."""
        for part in self._parts:
            part.tick(now)


class Window(QMainWindow):
    """Everything in sight."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setWindowTitle("Arpegon")
        self.resize(1280, 800)
        self.setMinimumSize(980, 620)
        middle = QWidget()
        middle.setObjectName("desk")
        box = QVBoxLayout(middle)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        self.header = Header(session)
        self.notices = NoticeBar(session, middle, self.header)
        self.strip = SectionStrip(session)
        self.board = Board(session)
        self.bench = Bench(session)
        self.takes = TakeView(session)
        self.surface = PlaySurface(session)
        self.status = StatusLine(session)
        workplace = Workplace(self.strip, self.board, self.bench)
        self.views = QStackedWidget()
        self.hookups = HookupsView(session)
        self.sections = SectionsView(session)
        self._by_name: dict[str, View] = {
            "Board": workplace,
            "Take": self.takes,
            "Hookups": self.hookups,
            "Sections": self.sections,
        }
        for view in (workplace, self.takes, self.hookups, self.sections):
            self.views.addWidget(view)
        box.addWidget(self.header)
        box.addWidget(self.views, 1)
        box.addWidget(self.surface)
        box.addWidget(self.status)
        self.setCentralWidget(middle)
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
        self.managed: Managed | None = None
        """The session of several programs that this one is in, if any."""
        self._actions: dict[str, QAction] = {}
        self._make_actions()
        self._frames = ticking(self, FRAME_MS)
        self._frames.setTimerType(Qt.TimerType.PreciseTimer)
        self._frames.timeout.connect(self._frame)
        self._frames.start()
        self._name_window()
        self.board.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.board.setFocus()
        self.faults = Faults(session, ("Show the log", self.show_log))
        self.drops = DropTarget(self, session, self._strand_at, lambda: self.views.currentWidget() is self.takes)

    # -- actions -----------------------------------------------------------------------------------

    def _make_actions(self) -> None:
        session = self.session
        table: list[tuple[str, str, str, Callable[[], object]]] = [
            ("new", "New", "Ctrl+N", session.filing.new),
            ("open", "Open …", "Ctrl+O", self.ask_open),
            ("save", "Save", "Ctrl+S", self.save),
            ("save_as", "Save as …", "Ctrl+Shift+S", self.ask_save),
            ("export", "Export …", "Ctrl+Shift+E", self.open_export),
            ("demo", "Open the demo", "", self.open_demo),
            ("undo", "Undo", "Ctrl+Z", session.undo),
            ("redo", "Redo", "Ctrl+Shift+Z", session.redo),
            ("play", "Play or stop", "Space", session.play),
            ("start", "To the start", "Home", session.rewind),
            ("tap", "Tap the tempo", "Ctrl+Space", session.tap),
            ("metronome", "Add a metronome", "Ctrl+M", session.add_metronome),
            ("clock", "Clock: follow, send, try …", "Ctrl+Shift+T", self.header.open_clock),
            ("on_stop", "Stop goes back to the start", "", session.toggle_on_stop),
            ("record", "Record", "Ctrl+R", session.recorder.record),
            ("keep", "Keep", "Ctrl+K", self.header.keep.click),
            ("all_off", "All off", "Ctrl+.", self.all_off),
            ("bypass", "Bypass the selected stage", "Ctrl+B", self.bench.toggle_bypass),
            ("wide", "Wide bench", "Ctrl+E", self.bench.wide.toggle),
            ("hold_readout", "Hold the readout", "Ctrl+H", self.bench.readout.hold.toggle),
            ("copy", "Copy the readout", "Ctrl+Shift+C", self.bench.readout.copy),
            ("strand", "New strand", "Ctrl+T", self.new_strand),
            ("copy_part", "Copy", "Ctrl+C", lambda: clipboard.copy(session)),
            ("cut_part", "Cut", "Ctrl+X", lambda: clipboard.cut(session)),
            ("paste_part", "Paste", "Ctrl+V", lambda: clipboard.paste(session)),
            ("duplicate", "Duplicate", "Ctrl+D", lambda: clipboard.duplicate(session)),
            ("presets", "Presets", "Ctrl+P", self.bench.open_presets),
            ("follow", "Follow the last note", "Ctrl+F", self.status.follow.toggle),
            ("fit", "Fit all columns, or give each its room", "Ctrl+Shift+F", self.toggle_fit),
            ("layout", "Computer keys: piano or in key", "Ctrl+Shift+L", self.surface.change_layout),
            ("board", "Board", "Ctrl+1", lambda: self.show_view("Board")),
            ("take", "Take", "Ctrl+2", lambda: self.show_view("Take")),
            ("learn", "Learn: hook a control up to this", "Ctrl+L", self.learn),
            ("hookups", "Hookups", "Ctrl+3", lambda: self.show_view("Hookups")),
            ("sections", "Sections", "Ctrl+4", lambda: self.show_view("Sections")),
            ("section_next", "To the next section", "Ctrl+PgDown", lambda: session.piece.go_by(1)),
            ("section_previous", "To the section before", "Ctrl+PgUp", lambda: session.piece.go_by(-1)),
            ("hold", "Hold changes in the section", "Ctrl+Shift+H", self.strip.hold.toggle),
            ("unlearn", "Learn no more", "Esc", session.hooking.cancel),
            ("night", "Night theme", "Ctrl+Shift+N", self.toggle_theme),
            ("middle_c", "Middle C is written C3", "", self.toggle_middle_c),
            ("menu", "Project menu", "Alt+P", lambda: self._project_menu(self.header.menu_button)),
            ("log", "Show the log", "", self.show_log),
            ("quit", "Quit", "Ctrl+Q", self.close),
        ]
        for name, text, keys, act in table:
            action = QAction(text, self)
            if keys:
                action.setShortcut(QKeySequence(keys))
            action.triggered.connect(lambda _=False, act=act: act())
            self.addAction(action)
            self._actions[name] = action

    def _project_menu(self, below: QWidget) -> None:
        menu = self.project_menu()
        menu.exec(below.mapToGlobal(below.rect().bottomLeft()))

    def project_menu(self) -> QMenu:
        """The menu of the project, as it is now."""
        menu = QMenu(self)
        actions, session = self._actions, self.session
        for name in ("new", "open"):
            menu.addAction(actions[name])
        recent = menu.addMenu("Open recent")
        if recent is not None:
            for path in session.settings.recent:
                recent.addAction(unmarked(path), lambda path=path: session.filing.open(text_path(path)))
            managed = self.managed is not None and self.managed.on
            recent.setEnabled(bool(session.settings.recent) and not managed)
        for name in ("demo", "save", "save_as", "export"):
            menu.addAction(actions[name])
        menu.addSeparator()
        undo, redo = session.history.undo_label, session.history.redo_label
        actions["undo"].setText(f"Undo {unmarked(undo)}" if undo else "Undo")
        actions["redo"].setText(f"Redo {unmarked(redo)}" if redo else "Redo")
        for name in ("undo", "redo"):
            menu.addAction(actions[name])
        menu.addSeparator()
        for name in ("copy_part", "cut_part", "paste_part", "duplicate", "presets"):
            menu.addAction(actions[name])
        menu.addSeparator()
        actions["on_stop"].setCheckable(True)
        actions["on_stop"].setChecked(session.project.on_stop == "start")
        for name in ("tap", "clock", "metronome", "on_stop"):
            menu.addAction(actions[name])
        osc = menu.addMenu("Control over OSC")
        for text, on, turn in (
            ("Hear it", session.osc.on, session.osc.set_on),
            ("From the local network, too", session.osc.anywhere, session.osc.set_anywhere),
        ):
            choice = osc.addAction(text) if osc is not None else None
            if choice is not None:
                choice.setCheckable(True)
                choice.setChecked(on)
                choice.toggled.connect(turn)
        counting = menu.addMenu("Count-in before recording")
        for bars in (0, 1, 2, 4):
            words = "none" if not bars else "1 bar" if bars == 1 else f"{bars} bars"
            choice = counting.addAction(words, lambda bars=bars: session.set_count_in(bars)) if counting else None
            if choice is not None:
                choice.setCheckable(True)
                choice.setChecked(session.project.count_in == bars)
        self._audio_menu(menu)
        for name in ("section_next", "section_previous", "hold"):
            actions[name].setEnabled(bool(session.project.sections))
            menu.addAction(actions[name])
        menu.addSeparator()
        actions["middle_c"].setCheckable(True)
        actions["middle_c"].setChecked(session.settings.middle_c == 3)
        for name in ("layout", "follow", "fit", "night", "middle_c", "wide", "log", "quit"):
            menu.addAction(actions[name])
        return menu

    def _audio_menu(self, menu: QMenu) -> None:
        session = self.session
        audio = menu.addMenu("Audio output")
        if audio is None:
            return
        for device in ("", *session.ports.audio):
            label = unmarked(device) or "The system's default"
            action = audio.addAction(label, lambda device=device: self._set_audio(device, session.settings.block))
            if action is not None:
                action.setCheckable(True)
                action.setChecked(session.settings.audio_device == device)
        audio.addSeparator()
        for block in (64, 128, 256, 512, 1024):
            action = audio.addAction(
                f"{block} frames ({block / 48:.1f} ms at 48 kHz)",
                lambda block=block: self._set_audio(session.settings.audio_device, block),
            )
            if action is not None:
                action.setCheckable(True)
                action.setChecked(session.settings.block == block)

    def _set_audio(self, device: str, block: int) -> None:
        self.session.change_settings(audio_device=device, block=block)
        self.session.link.set_audio(device, block)

    # -- acts --------------------------------------------------------------------------------------

    def show_view(self, name: str) -> None:
        """Bring a view into sight."""
        self.views.setCurrentIndex(VIEWS.index(name))
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

    def toggle_theme(self) -> None:
        """Day to night and back."""
        name = "day" if theme.theme().dark else "night"
        theme.use(name)
        self.session.change_settings(theme=name)
        self.repaint()

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
        path = self.session.filing.path
        if path is None or path == DEMO:
            return self.ask_save()
        return self.session.filing.save(path)

    def ask_save(self) -> bool:
        """Let a file be chosen, and save."""
        here = self.session.filing.path
        folder = Path.home() if here is None or here == DEMO else here.parent
        proposed = folder / f"{self.session.title.replace('/', '-')}{SUFFIX}"
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
        self.session.load(load_project(DEMO), DEMO)
        self.session.link.play(0.0)
        strand = self.session.project.strands[0]
        self.session.select_stage(strand.stages[-1].id)

    def offer_recovery(self, leftovers: list[Leftover]) -> None:
        """Offer the unsaved work that a crash left."""
        if not leftovers:
            return
        newest = leftovers[0]
        when = time.strftime("%H:%M on %d %B", time.localtime(newest.saved_at))

        def done(act: Callable[[], None]) -> Callable[[], None]:
            def run() -> None:
                act()
                self.session.notice("recover", "")
                self.offer_recovery(leftovers[1:])

            return run

        played = newest.played
        if newest.project is not None:
            words = f"Unsaved work on “{newest.title}” from {when} was found"
            words += ", with what was played before the crash." if played else "."
        else:
            words = f"What was played on “{newest.title}” before a crash at {when} was found."
        self.session.notice(
            "recover",
            words,
            [
                ("Get it back", done(lambda: self.session.filing.recover(newest))),
                ("Throw it away", done(lambda: forget(newest))),
            ],
        )

    # -- showing -----------------------------------------------------------------------------------

    def _frame(self) -> None:
        now = time.monotonic()
        self.header.tick(now)
        self.strip.tick(now)
        self._by_name[VIEWS[self.views.currentIndex()]].tick(now)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.bench.window_resized()

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

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if self.managed is not None and self.managed.on and event is not None and event.spontaneous():
            event.ignore()  # the server ends us, or Quit does; the cross of the window only hides it
            self.hide()
            self.managed.tell_shown(False)
            return
        self._frames.stop()
        if self.managed is not None:
            self.managed.close()
        application = QApplication.instance()
        if application is not None:
            application.removeEventFilter(self.surface)
        view = VIEWS[self.views.currentIndex()]
        self.session.change_settings(place=place_of(self), maximized=self.isMaximized(), view=view)
        self.session.close()
        super().closeEvent(event)
