"""A menu of all parts of a project: itself, its strands with their stages and sources, its instruments."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial

from PyQt6.QtWidgets import QMenu, QWidget

from arpegon.core.document.model import Project
from arpegon.processors.targets import ACTIONS, actions_on, holdable, name_of, params_of
from arpegon.ui.look.plain import unmarked

MenuEntry = tuple[str, Callable[[], object]] | None
"""A line of the menu and what it does; ``None`` is a rule."""


def parts_menu(project: Project, parent: QWidget, entries: Callable[[str], Iterable[MenuEntry]]) -> QMenu:
    """A menu with submenus; ``entries`` says what each part offers (by its id, the project's is empty)."""
    menu = QMenu(parent)

    def fill(inner: QMenu | None, target: str) -> None:
        if inner is None:
            return
        for entry in entries(target):
            if entry is None:
                inner.addSeparator()
            else:
                inner.addAction(*entry)

    fill(menu, "")
    menu.addSeparator()
    for strand in project.strands:
        sub = menu.addMenu(unmarked(strand.name))
        fill(sub, strand.id)
        for stage in strand.all_stages:
            fill(sub.addMenu(unmarked(name_of(project, stage.id) or stage.id)) if sub is not None else None, stage.id)
    instruments = menu.addMenu("Instruments")
    for instrument in project.instruments:
        fill(instruments.addMenu(unmarked(instrument.id)) if instruments is not None else None, instrument.id)
    return menu


def holdable_menu(project: Project, parent: QWidget, take: Callable[[str, str], None]) -> QMenu:
    """Everything that sections can hold; ``take`` gets target and parameter."""

    def entries(target: str) -> list[MenuEntry]:
        return [(param.label, partial(take, target, key)) for key, param in holdable(project, target).items()]

    return parts_menu(project, parent, entries)


def target_menu(project: Project, parent: QWidget, take: Callable[[str, str, str], None]) -> QMenu:
    """Everything that can be hooked up; ``take`` gets target, parameter, action."""

    def entries(target: str) -> list[MenuEntry]:
        actions: list[MenuEntry] = [
            (ACTIONS[name].label, partial(take, target, "", name)) for name in actions_on(project, target)
        ]
        params: list[MenuEntry] = [
            (param.label, partial(take, target, key, "")) for key, param in params_of(project, target).items()
        ]
        return [*actions, None, *params] if actions and params else actions + params

    return parts_menu(project, parent, entries)
