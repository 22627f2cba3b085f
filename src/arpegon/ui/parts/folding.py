"""What is turned seldom, folded under a heading; whether it is unfolded is remembered."""

from __future__ import annotations

from PyQt6.QtWidgets import QBoxLayout, QVBoxLayout

from arpegon.ui.controls.fold import Fold
from arpegon.ui.model.session import Session


def folded(session: Session, name: str, title: str, box: QBoxLayout) -> QVBoxLayout:
    """A heading in a layout, and where its contents go.

    Args:
        name: under which it is remembered.
    """
    fold = Fold(title, name in session.settings.opened)
    fold.turned.connect(lambda on: session.amend_settings(lambda settings: settings.with_opened(name, on)))
    box.addWidget(fold)
    return fold.box
