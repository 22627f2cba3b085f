"""The recipes: what somebody wants or what troubles them, the chain that does it, and one click that builds it."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from arpegon.core.document import edits
from arpegon.files.recipes import Recipe, matching
from arpegon.processors import processor_class
from arpegon.ui.controls.chain_figure import ChainFigure
from arpegon.ui.look.plain import Label, tip
from arpegon.ui.model.selection import Selection
from arpegon.ui.model.session import Session
from arpegon.ui.model.words import destination_words, source_words

_ROLE = Qt.ItemDataRole.UserRole


def build_recipe(session: Session, recipe: Recipe) -> str:
    """Put a recipe into the project behind all others, as one step of undo, and select it; the id of its strand."""
    project, made = session.project, ""
    for strand in recipe.project.strands:
        project, strand_id = edits.insert_strand(project, strand, recipe.project.instruments)
        made = made or strand_id
    session.edit(f"Recipe: {recipe.title}", project)
    strand_now = session.project.strand(made)
    if strand_now is not None and strand_now.stages:
        session.select_stage(strand_now.stages[0].id)
    else:
        session.select(Selection(made, "strand"))
    how = "start the transport (Space)" if recipe.play == "transport" else "play the keyboard below"
    session.notice("done", f"“{recipe.title}” stands on the board: {how} to try it. Ctrl+Z takes it away.")
    return made


class RecipeBook(QDialog):
    """All recipes, to be looked through while music plays.

    Signals:
        built: one was built, so the board is wanted.
        guide: a page and a heading of the guide are wanted.
    """

    built = pyqtSignal()
    guide = pyqtSignal(str, str)

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Tool)
        self.session = session
        self.setWindowTitle("Recipes")
        self.resize(860, 560)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 14, 16, 14)
        row.setSpacing(18)
        left = QVBoxLayout()
        self.search = QLineEdit()
        self.search.setPlaceholderText("What do you want, or what is wrong? pedal, one finger, too loud …")
        self.search.setAccessibleName("Search recipes")
        self.search.textChanged.connect(self._fill)
        left.addWidget(self.search)
        self.list = QListWidget()
        self.list.setAccessibleName("Recipes")
        self.list.currentItemChanged.connect(lambda item, _: self._show(item))
        self.list.itemActivated.connect(lambda _: self.build())
        left.addWidget(self.list, 1)
        row.addLayout(left, 5)
        right = QVBoxLayout()
        right.setSpacing(10)
        self.title = Label("")
        self.title.setProperty("role", "name")
        self.title.setWordWrap(True)
        self.about = Label("")
        self.about.setWordWrap(True)
        right.addWidget(self.title)
        right.addWidget(self.about)
        self.figure = ChainFigure()
        area = QScrollArea()
        area.setWidgetResizable(False)
        area.setWidget(self.figure)
        self.figure.setAutoFillBackground(False)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        viewport = area.viewport()
        if viewport is not None:
            viewport.setAutoFillBackground(False)
        right.addWidget(area, 1)
        buttons = QHBoxLayout()
        self.build_button = QPushButton("Build it")
        self.build_button.setProperty("strong", True)
        self.build_button.setToolTip("Put it on the board; Ctrl+Z takes it away again.")
        self.build_button.clicked.connect(self.build)
        self.guide_button = QPushButton("Read about it")
        self.guide_button.clicked.connect(self._read)
        buttons.addWidget(self.build_button)
        buttons.addWidget(self.guide_button)
        buttons.addStretch(1)
        right.addLayout(buttons)
        row.addLayout(right, 6)
        self._fill("")

    @property
    def chosen(self) -> Recipe | None:
        """The recipe that is shown."""
        item = self.list.currentItem()
        return item.data(_ROLE) if item is not None else None

    def open_on(self, words: str = "") -> None:
        """Show it, with what matches words."""
        self.search.setText(words)
        self.show()
        self.raise_()
        self.search.setFocus()

    def build(self) -> None:
        """Put the chosen one on the board."""
        recipe = self.chosen
        if recipe is not None:
            build_recipe(self.session, recipe)
            self.built.emit()

    def _fill(self, text: str) -> None:
        self.list.clear()
        group, first = "", None
        for recipe in matching(text):
            if recipe.group != group:
                group = recipe.group
                head = QListWidgetItem(group.upper())
                head.setFlags(Qt.ItemFlag.NoItemFlags)
                self.list.addItem(head)
            item = QListWidgetItem(recipe.title)
            item.setData(_ROLE, recipe)
            item.setToolTip(tip(recipe.about))
            self.list.addItem(item)
            first = first or item
        if first is not None:
            self.list.setCurrentItem(first)
        else:
            self._show(None)

    def _show(self, item: QListWidgetItem | None) -> None:
        recipe: Recipe | None = item.data(_ROLE) if item is not None else None
        for button in (self.build_button, self.guide_button):
            button.setEnabled(recipe is not None)
        if recipe is None:
            self.title.setText("Nothing found")
            self.about.setText("Try fewer or other words, such as a controller, an instrument or what you hear.")
            self.figure.show_chains([])
            return
        self.title.setText(recipe.title)
        self.about.setText(recipe.about)
        project = recipe.project
        self.figure.show_chains(
            [
                (
                    [source_words(project, source)[0] for source in strand.sources],
                    [processor_class(stage.kind).label for stage in strand.stages],
                    [destination_words(project, one)[0] for one in strand.destinations],
                )
                for strand in project.strands
            ]
        )

    def _read(self) -> None:
        recipe = self.chosen
        if recipe is not None:
            page, _, heading = recipe.guide.partition("#")
            self.guide.emit(page, heading)
