"""The window with the demo, to be measured from outside: it does what it reads, and says when it is there.

Reads ``play``, ``stop``, ``minimize``, ``show``, ``count`` and ``quit``; writes ``seen`` once it is painted, ``sounds``
once a key that was struck in it made a sound, and, when asked to ``count``, how many drop-outs there were.
"""

from __future__ import annotations

import os
import sys

from arpegon.core.time import studio
from arpegon.starting import begin

_KEY = 60


def main() -> None:
    """Open it, and do as told."""
    begin()
    from PyQt6.QtCore import QEvent, QObject, QSocketNotifier, QTimer

    from arpegon.core.events import note_off, note_on
    from arpegon.files.settings import Settings
    from arpegon.ui.app import make_application, open_window

    application = make_application(sys.argv[:1])
    window = open_window(Settings(), demo=True)
    session = window.session
    said: set[str] = set()

    def say(word: str) -> None:
        if word not in said:
            said.add(word)
            print(word, flush=True)

    def strike() -> None:
        if "sounds" not in said:
            session.feed(note_on(studio.now(), 0, _KEY, 100))
            session.feed(note_off(studio.now() + 0.02, 0, _KEY))

    def heard(telemetry: object) -> None:
        if any(peak > 0.0 for peak in session.telemetry.meters.values()):
            say("sounds")

    session.reported.connect(heard)

    class Exposed(QObject):
        """Says so once the window was painted on its screen, which an exposure does at once."""

        def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
            if event is not None and event.type() == QEvent.Type.Expose:
                QTimer.singleShot(0, lambda: say("seen"))
            return False

    exposed = Exposed()
    handle = window.windowHandle()
    assert handle is not None
    handle.installEventFilter(exposed)
    striking = QTimer()
    striking.timeout.connect(strike)
    striking.start(50)

    def play() -> None:
        if not session.transport.playing:  # the demo plays as soon as it is open
            session.play()

    def count() -> None:
        print(session.telemetry.health.audio_dropouts, flush=True)

    does = {
        "play": play,
        "stop": window.all_off,
        "minimize": window.showMinimized,
        "show": window.showNormal,
        "count": count,
    }

    def obey() -> None:
        striking.stop()
        for word in os.read(sys.stdin.fileno(), 4096).decode().split() or ["quit"]:
            does.get(word, application.quit)()

    told = QSocketNotifier(sys.stdin.fileno(), QSocketNotifier.Type.Read)
    told.activated.connect(obey)
    application.exec()
    session.close()


if __name__ == "__main__":
    main()
