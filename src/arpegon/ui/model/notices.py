"""What the program has to say, each sentence under a topic of its own."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QObject, pyqtSignal

NoticeAction = tuple[str, Callable[[], object]]
"""What can be done about something: the words on a button, and what it does."""


class Notices(QObject):
    """The sentences that stand now, oldest first. They are for reading: nothing is worked out from them.

    Signals:
        changed: there are others.
    """

    changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.texts: dict[str, str] = {}
        self.acts: dict[str, Sequence[NoticeAction]] = {}

    def say(self, topic: str, text: str, acts: Sequence[NoticeAction] = ()) -> None:
        """Say a sentence under a topic; an empty one takes it back."""
        if not text and topic not in self.texts:
            return
        self.texts.pop(topic, None)
        self.acts.pop(topic, None)
        if text:
            self.texts[topic] = text
            self.acts[topic] = acts
        self.changed.emit()

    def keep_only(self, topics: set[str]) -> None:
        """Take back all others."""
        for topic in [topic for topic in self.texts if topic not in topics]:
            self.say(topic, "")
