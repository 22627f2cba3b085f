"""What is done with what was found, and to which page of the guide something leads."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QWidget

from arpegon.files.guide import where
from arpegon.files.presets import factory_presets, own_presets
from arpegon.processors import WORKS
from arpegon.processors.registry import LISTENINGS
from arpegon.ui.frame.commands import COMMANDS
from arpegon.ui.frame.recipe_book import build_recipe
from arpegon.ui.model.finder import Found, places
from arpegon.ui.model.session import Session
from arpegon.ui.parts import clipboard
from arpegon.ui.parts.bench_part import BenchPart

_NOTHING_SOUNDS = Found(
    "command", "Nothing sounds: why?", "goes where the way breaks", "silent no sound hear nothing quiet mute", "why"
)
_TOO_LOUD = Found(
    "command", "Too loud: to the level", "of the selected strand", "level volume loud quiet soft db", "level"
)
_VIEW_TOPICS = {
    "Take": ("takes", ""),
    "Hookups": ("controllers", "Hookups"),
    "Sections": ("sections", ""),
    "Board": ("first-path", "The board"),
}


def everything(session: Session) -> list[Found]:
    """All that can be found now."""
    commands = [(one.name, one.text, one.keys, one.words) for one in COMMANDS]
    presets = [*factory_presets(), *own_presets()[0]]
    return [_NOTHING_SOUNDS, _TOO_LOUD, *places(commands, presets, session.project)]


class Seeking:
    """Does what was found.

    Args:
        show_guide: shows a page of the guide, from some words on.
        editor: what stands on the bench.
    """

    def __init__(
        self,
        session: Session,
        actions: dict[str, QAction],
        show_board: Callable[[], None],
        show_guide: Callable[[str, str], None],
        editor: Callable[[], BenchPart],
    ) -> None:
        self._session = session
        self._actions = actions
        self._show_board = show_board
        self._show_guide = show_guide
        self._editor = editor

    def do(self, found: Found) -> None:
        """Do it."""
        session = self._session
        match found.kind:
            case "command" if found.what == "why":
                self._why()
            case "command" if found.what == "level":
                self._show_board()
                self._to_level()
            case "command":
                self._actions[found.what].trigger()
            case "recipe":
                self._show_board()
                build_recipe(session, found.what)
            case "preset":
                self._show_board()
                clipboard.put_in(session, found.what)
            case "guide":
                self._show_guide(*found.what)
            case "param":
                self._show_board()
                self._turn(*found.what)
            case "stage":
                self._show_board()
                self._add(found.what)

    def _add(self, kind: str) -> None:
        strand, stage = clipboard.selected(self._session)
        strand = strand or next(iter(self._session.project.strands), None)
        if strand is None or kind in LISTENINGS:
            self._session.notice("edit", "Add a strand first, or choose “Audio” as the source of one.")
            return
        place = strand.stages.index(stage) + 1 if stage in strand.stages else None
        clipboard.put_stage(self._session, strand.id, clipboard.fresh_stage(kind), place, f"Add {WORKS[kind].label}")

    def _turn(self, stage_id: str, key: str) -> None:
        """Put a stage on the bench, and the keys on one of its controls."""
        session = self._session
        for strand in session.project.strands:
            for place, source in enumerate(strand.sources):
                if getattr(source, "id", "") == stage_id:
                    session.select_source(strand.id, place)
                    break
            else:
                continue
            break
        else:
            session.select_stage(stage_id)
        self._editor().reveal(key)

    def _why(self) -> None:
        session = self._session
        first = next(iter(session.paths.breaks.values()), None)
        if first is not None:
            self._show_board()
            session.paths.go_to(first)
            session.notice("edit", f"It breaks here: {first.reason}.")
        elif not session.project.strands:
            session.notice("edit", "There is no strand yet: choose a sound on the board, or build a recipe.")
        else:
            session.notice(
                "edit",
                "Every strand reaches a destination. Look at the rolls: does anything come in at the top, and which "
                "stage lets nothing through? The level of the instrument stands at the foot of its strand.",
            )

    def _to_level(self) -> None:
        session = self._session
        strand = session.project.strand(session.selection.strand) or next(iter(session.project.strands), None)
        if strand is not None and strand.destinations:
            session.select_part(strand.id, "destination", "", 0)


def topic_of(session: Session, view: str, focus: QWidget | None) -> tuple[str, str]:
    """The page of the guide, and the words, for where somebody is."""
    widget = focus
    while widget is not None:
        said = widget.property("guide")
        if isinstance(said, str):
            page, _, heading = said.partition("#")
            return page, heading
        widget = widget.parentWidget()
    if view != "Board":
        return _VIEW_TOPICS[view]
    found = session.project.find_stage(session.selection.stage) if session.selection.stage else None
    if found is not None:
        kinds = {**WORKS, **LISTENINGS}
        if found[1].kind in LISTENINGS:
            return "listening", ""
        return where(kinds[found[1].kind].label) or _VIEW_TOPICS[view]
    if session.selection.part in ("source", "destination"):
        return "shaping-notes", "Many sources, many ends"
    return _VIEW_TOPICS[view]
