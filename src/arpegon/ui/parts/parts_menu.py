"""A menu of all parts of a project: itself, its strands with what is in them, its instruments, its sections."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import partial

from PyQt6.QtWidgets import QMenu, QWidget

from arpegon.core.document.hookup_values import HOOKABLE
from arpegon.core.document.model import Project
from arpegon.core.processing.parameters import Param
from arpegon.processors.actions import ACTIONS, actions_on
from arpegon.processors.targets import holdable, name_of, param_at, params_of, part_names
from arpegon.ui.look.plain import unmarked

MenuEntry = tuple[str, Callable[[], object]] | Callable[[QMenu], object] | None
"""A line of the menu and what it does; or what puts a menu of its own in; ``None`` is a rule."""

Take = Callable[[str, str], object]
"""Takes the id of what is chosen, and the parameter."""


def parts_menu(project: Project, parent: QWidget, entries: Callable[[str], Iterable[MenuEntry]]) -> QMenu:
    """A menu with submenus; ``entries`` says what each part offers (by its id, the project's is empty)."""
    menu = QMenu(parent)

    def fill(inner: QMenu | None, target: str) -> None:
        if inner is None:
            return
        for entry in entries(target):
            if entry is None:
                inner.addSeparator()
            elif callable(entry):
                entry(inner)
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
    sections = menu.addMenu("Sections") if project.sections else None
    for section in project.sections:
        fill(sections.addMenu(unmarked(section.name)) if sections is not None else None, section.id)
    return menu


def _parts(project: Project, target: str, usable: Callable[[Param], bool], take: Take) -> list[MenuEntry]:
    """A menu of the single values inside a part of the project; empty where it has none."""
    names = [
        name
        for name in part_names(project, target)
        if (param := param_at(project, (target, name))) is not None and usable(param)
    ]
    return [partial(_add_tree, project, target, names, take)] if names else []


def _add_tree(project: Project, target: str, names: Sequence[str], take: Take, menu: QMenu) -> None:
    """Put in a menu of single values, which is filled when it is opened: there may be a thousand."""
    inner = menu.addMenu("One value of …")
    if inner is not None:
        inner.aboutToShow.connect(partial(_fill_tree, project, target, "", names, take, inner))


def _fill_tree(project: Project, target: str, prefix: str, names: Sequence[str], take: Take, menu: QMenu) -> None:
    if not menu.isEmpty():
        return
    heads = dict.fromkeys(name[len(prefix) :].partition(".")[0] for name in names)
    for head in heads:
        whole = f"{prefix}{head}"
        if whole in names:
            param = param_at(project, (target, whole))
            label = param.label.rpartition(", ")[2] if param is not None else head
            menu.addAction(unmarked(label[:1].upper() + label[1:]), partial(take, target, whole))
            continue
        label = head if prefix else _row_label(project, target, head)
        inner = menu.addMenu(unmarked(label))
        inside = [name for name in names if name.startswith(f"{whole}.")]
        if inner is not None:
            inner.aboutToShow.connect(partial(_fill_tree, project, target, f"{whole}.", inside, take, inner))


def _row_label(project: Project, target: str, head: str) -> str:
    param = param_at(project, (target, head))
    return param.label if param is not None else head.capitalize()


def holdable_menu(project: Project, parent: QWidget, take: Callable[[str, str], None]) -> QMenu:
    """Everything that sections can hold; ``take`` gets target and parameter."""

    def entries(target: str) -> list[MenuEntry]:
        whole: list[MenuEntry] = [
            (param.label, partial(take, target, key)) for key, param in holdable(project, target).items()
        ]
        return [*whole, *_parts(project, target, lambda param: True, take)] if whole else whole

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
        params += _parts(
            project, target, lambda param: isinstance(param, HOOKABLE), lambda target, key: take(target, key, "")
        )
        return [*actions, None, *params] if actions and params else actions + params

    return parts_menu(project, parent, entries)
