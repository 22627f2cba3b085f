"""The guide beside the work."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt, QUrl, pyqtSignal
from PyQt6.QtGui import QFont, QImage, QTextCursor, QTextDocument
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QTextBrowser, QVBoxLayout, QWidget

from arpegon.files.guide import page_of, pages
from arpegon.ui.controls.choices import Picker
from arpegon.ui.look import theme

_WIDTH = 420


class _Browser(QTextBrowser):
    """Pictures are as wide as there is room."""

    def loadResource(self, kind: int, name: QUrl) -> Any:
        found = super().loadResource(kind, name)
        if kind != QTextDocument.ResourceType.ImageResource.value:
            return found
        source = self.source().resolved(name).toLocalFile()
        image = QImage(source)
        viewport = self.viewport()
        if image.isNull() or viewport is None:
            return found
        room = max(120, viewport.width() - 24)
        return image.scaledToWidth(min(room, image.width()), Qt.TransformationMode.SmoothTransformation)


class GuidePanel(QWidget):
    """A page of the guide, with all others to choose from.

    Signals:
        closed: it was closed.
    """

    closed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(_WIDTH)
        box = QVBoxLayout(self)
        box.setContentsMargins(16, 12, 12, 10)
        box.setSpacing(8)
        head = QHBoxLayout()
        self.page = Picker({page.name: page.title for page in pages()}, "Pages of the guide.")
        self.page.setAccessibleName("Page")
        self.page.chosen.connect(lambda name: self.open_page(name))
        head.addWidget(self.page, 1)
        self.back = QPushButton("back")
        self.back.setToolTip("To the page before.")
        close = QPushButton("close")
        close.setToolTip("Close the guide (Esc while it has the keys).")
        close.clicked.connect(self.leave)
        for button in (self.back, close):
            button.setProperty("flat", True)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            head.addWidget(button)
        box.addLayout(head)
        self.text = _Browser()
        self.text.setAccessibleName("Guide")
        self.text.setOpenExternalLinks(False)
        self.text.setFrameShape(QTextBrowser.Shape.NoFrame)
        self.text.sourceChanged.connect(self._turned)
        self.back.clicked.connect(self.text.backward)
        self.text.backwardAvailable.connect(self.back.setEnabled)
        self.back.setEnabled(False)
        box.addWidget(self.text, 1)
        theme.changed.connect(self._dress)
        self._dress()
        self.hide()

    def open_page(self, name: str, heading: str = "") -> None:
        """Show a page, from a heading on."""
        page = page_of(name)
        if page is None:
            return
        self.show()
        self.text.setSource(QUrl.fromLocalFile(str(page.file)))
        self.page.set_value(page.name)
        if heading:
            self._scroll_to(heading)

    def leave(self) -> None:
        """Close it."""
        self.hide()
        self.closed.emit()

    @property
    def heading(self) -> str:
        """The heading to which it went, or the next above that."""
        block = self.text.textCursor().block()
        while block.isValid():
            if block.blockFormat().headingLevel():
                return str(block.text())
            block = block.previous()
        return ""

    def _turned(self, source: QUrl) -> None:
        name = source.fileName().removesuffix(".md")
        if page_of(name) is not None:
            self.page.set_value(name)
        if source.hasFragment():
            self._scroll_to(source.fragment().replace("-", " "))

    def _scroll_to(self, words: str) -> None:
        """Go to a heading, or else to the first place where a term stands."""
        document = self.text.document()
        if document is None:
            return
        wanted = words.casefold()
        block = document.begin()
        while block.isValid():
            text = block.text().casefold()
            if block.blockFormat().headingLevel() and (text == wanted or text.startswith(f"{wanted} (")):
                self._show_at_top(QTextCursor(block))
                return
            block = block.next()
        found = document.find(words, 0, QTextDocument.FindFlag.FindCaseSensitively)
        while not found.isNull() and found.charFormat().fontWeight() <= QFont.Weight.Normal:
            found = document.find(words, found, QTextDocument.FindFlag.FindCaseSensitively)
        if not found.isNull():
            self._show_at_top(QTextCursor(found.block()))

    def _show_at_top(self, cursor: QTextCursor) -> None:
        self.text.setTextCursor(cursor)
        bar, document = self.text.verticalScrollBar(), self.text.document()
        layout = document.documentLayout() if document is not None else None
        if bar is not None and layout is not None:
            bar.setValue(int(layout.blockBoundingRect(cursor.block()).top()) - 4)

    def _dress(self) -> None:
        t = theme.theme()
        self.text.setStyleSheet(f"QTextBrowser {{ background: {t.paper}; color: {t.ink}; font-size: 14px; }}")
        document = self.text.document()
        if document is not None:
            document.setDefaultStyleSheet(f"a {{ color: {t.ink}; }}")
