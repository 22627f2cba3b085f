"""The menu: what can be done, in groups."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QMenu, QWidget

from arpegon.files.path_text import text_path
from arpegon.ui.frame.commands import COMMANDS, GROUPS
from arpegon.ui.look.plain import unmarked
from arpegon.ui.model.session import Session

_COUNT_INS = {0: "none", 1: "1 bar", 2: "2 bars", 4: "4 bars"}
_BLOCKS = (64, 128, 256, 512, 1024)


class ProjectMenu:
    """Makes the menu as things are now.

    Args:
        actions: all commands by name.
        managed: whether a session server says what is opened.
    """

    def __init__(
        self, session: Session, actions: Mapping[str, QAction], managed: Callable[[], bool], parent: QWidget
    ) -> None:
        self._session = session
        self._actions = actions
        self._managed = managed
        self._parent = parent

    def made(self) -> QMenu:
        """The menu: a submenu for each group, none longer than ten."""
        self._name_actions()
        menu = QMenu(self._parent)
        more: dict[str, Callable[[QMenu], None]] = {
            "Project": self._recent,
            "Play and record": self._count_in,
            "Sound and control": self._sound,
        }
        for group in GROUPS:
            inside = menu.addMenu(group)
            if inside is None:
                continue
            for command in COMMANDS:
                if command.group == group:
                    inside.addAction(self._actions[command.name])
            if group in more:
                more[group](inside)
        return menu

    def _name_actions(self) -> None:
        actions, history = self._actions, self._session.history
        undo, redo = history.undo_label, history.redo_label
        actions["undo"].setText(f"Undo {unmarked(undo)}" if undo else "Undo")
        actions["redo"].setText(f"Redo {unmarked(redo)}" if redo else "Redo")
        for name in ("section_next", "section_previous", "hold"):
            actions[name].setEnabled(bool(self._session.project.sections))

    def _recent(self, menu: QMenu) -> None:
        session = self._session
        recent = QMenu("Open recent", menu)
        for path in session.settings.recent:
            recent.addAction(unmarked(path), lambda path=path: session.filing.open(text_path(path)))
        recent.setEnabled(bool(session.settings.recent) and not self._managed())
        menu.insertMenu(self._actions["demo"], recent)

    def _count_in(self, menu: QMenu) -> None:
        counting = menu.addMenu("Count-in before recording")
        for bars, words in _COUNT_INS.items():
            chosen = self._session.project.count_in == bars
            _choice(counting, words, chosen, partial(self._session.set_count_in, bars))

    def _sound(self, menu: QMenu) -> None:
        session = self._session
        settings = session.settings
        device = menu.addMenu("Audio output")
        for name in ("", *session.reports.ports.audio):
            label = unmarked(name) or "The system's default"
            _choice(device, label, settings.audio_device == name, partial(session.set_audio, device=name))
        block = menu.addMenu("Audio block")
        for frames in _BLOCKS:
            label = f"{frames} frames ({frames / 48:.1f} ms at 48 kHz)"
            _choice(block, label, settings.block == frames, partial(session.set_audio, block=frames))
        osc = menu.addMenu("Control over OSC")
        _choice(osc, "Hear it", session.osc.on, lambda: session.osc.set_on(not session.osc.on))
        anywhere = session.osc.anywhere
        _choice(osc, "From the local network, too", anywhere, lambda: session.osc.set_anywhere(not anywhere))


def _choice(menu: QMenu | None, words: str, chosen: bool, act: Callable[[], object]) -> None:
    action = menu.addAction(words) if menu is not None else None
    if action is not None:
        action.setCheckable(True)
        action.setChecked(chosen)
        action.triggered.connect(lambda _=False: act())
